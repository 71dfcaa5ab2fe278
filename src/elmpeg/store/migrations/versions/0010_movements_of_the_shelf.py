"""Movements of the shelf: what was counted, cut, brought in or taken off, so that it can be taken back."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "stock_move",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("at", sa.DateTime, nullable=False),
        sa.Column("person", sa.String(80), nullable=False),
        sa.Column("words", sa.String(200), nullable=False),
        sa.Column("build_id", sa.String(80), nullable=False, server_default="", index=True),
        sa.Column("cut", sa.Text, nullable=False, server_default="[]"),
        sa.Column("before", sa.Text, nullable=False),
        sa.Column("after", sa.Text, nullable=False),
        sa.Column("undone", sa.DateTime),
        sa.Column("undone_by", sa.String(80), nullable=False, server_default=""),
    )
