"""The shop's notebook: calculations kept by themselves."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "reckoning",
        sa.Column("id", sa.String(80), primary_key=True),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("calculator", sa.String(40), nullable=False),
        sa.Column("head", sa.Integer, nullable=False),
        sa.Column("document", sa.Text, nullable=False),
        sa.Column("changed", sa.DateTime, nullable=False),
        sa.Column("removed", sa.DateTime, nullable=True),
    )
