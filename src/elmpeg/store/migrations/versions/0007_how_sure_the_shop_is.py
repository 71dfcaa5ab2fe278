"""The chance of being inside a limit that a shop asks of “holds”."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("shop", sa.Column("sure", sa.Float, nullable=False, server_default="0.975"))
