"""Measuring devices with their tokens, and the keys of readings already taken in from a queue."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "device",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("user_id", sa.Integer, sa.ForeignKey("user.id", ondelete="CASCADE"), nullable=False),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("tool", sa.String(80), nullable=False),
        sa.Column("simulated", sa.Boolean, nullable=False),
        sa.Column("token_hash", sa.String(64), nullable=False, unique=True),
        sa.Column("created", sa.DateTime, nullable=False),
        sa.Column("seen", sa.DateTime, nullable=True),
        sa.Column("battery_pct", sa.Float, nullable=True),
    )
    op.create_table(
        "taken_reading",
        sa.Column("build_id", sa.String(80), sa.ForeignKey("build.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("key", sa.String(80), primary_key=True),
        sa.Column("at", sa.DateTime, nullable=False),
    )
