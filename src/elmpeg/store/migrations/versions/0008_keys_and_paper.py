"""Whether the keys of the large view act for a person, and the paper that the shop prints on."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("user", sa.Column("keys", sa.Boolean, nullable=False, server_default=sa.true()))
    op.add_column("shop", sa.Column("paper", sa.String(10), nullable=False, server_default="A4"))
