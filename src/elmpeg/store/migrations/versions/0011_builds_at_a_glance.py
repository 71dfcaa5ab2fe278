"""What the shop's list tells of each build, kept with the revision that it is told of."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "glance",
        sa.Column("build_id", sa.String(80), sa.ForeignKey("build.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("rules", sa.String(64), nullable=False),
        sa.Column("document", sa.Text, nullable=False),
    )
