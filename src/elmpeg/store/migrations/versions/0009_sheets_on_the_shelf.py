"""Sheets on the shelf: how wide and how long each is."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("stock", sa.Column("wide_mm", sa.Float, nullable=False, server_default="0"))
    op.add_column("stock", sa.Column("long_mm", sa.Float, nullable=False, server_default="0"))
