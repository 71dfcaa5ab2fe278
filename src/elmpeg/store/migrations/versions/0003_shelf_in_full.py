"""The shelf's materials, outsides and threads, and what builds have reserved or used of it."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("stock", sa.Column("material", sa.String(20), nullable=False, server_default="steel"))
    op.add_column("stock", sa.Column("outside_mm", sa.Float, nullable=False, server_default="0"))
    op.add_column("stock", sa.Column("thread", sa.String(40), nullable=False, server_default=""))
    op.create_table(
        "stock_use",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("build_id", sa.String(80), sa.ForeignKey("build.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("mount", sa.String(80), nullable=False),
        sa.Column("stock_id", sa.String(80), sa.ForeignKey("stock.id"), nullable=False, index=True),
        sa.Column("count", sa.Integer, sa.CheckConstraint("count > 0"), nullable=False),
        sa.Column("state", sa.String(10), nullable=False),
        sa.Column("person", sa.String(80), nullable=False),
        sa.Column("at", sa.DateTime, nullable=False),
    )
