"""The shop itself, links to choose a password, people switched off, builds archived and removed, and the parts book."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "shop",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("units", sa.String(20), nullable=False),
        sa.Column("currency", sa.String(10), nullable=False),
        sa.Column("hourly_rate", sa.Float, nullable=True),
        sa.Column("tools", sa.Text, nullable=False),
        sa.Column("cautions", sa.Text, nullable=False),
    )
    op.add_column("user", sa.Column("off", sa.DateTime, nullable=True))
    op.add_column("user", sa.Column("link_hash", sa.String(64), nullable=True))
    op.add_column("user", sa.Column("link_until", sa.DateTime, nullable=True))
    op.add_column("build", sa.Column("archived", sa.DateTime, nullable=True))
    op.add_column("build", sa.Column("removed", sa.DateTime, nullable=True))
    op.create_table(
        "book_part",
        sa.Column("id", sa.String(80), primary_key=True),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("head", sa.Integer, nullable=False),
        sa.Column("created", sa.DateTime, nullable=False),
        sa.Column("removed", sa.DateTime, nullable=True),
    )
    op.create_table(
        "book_version",
        sa.Column("part_id", sa.String(80), sa.ForeignKey("book_part.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("number", sa.Integer, primary_key=True),
        sa.Column("format", sa.Integer, nullable=False),
        sa.Column("document", sa.Text, nullable=False),
        sa.Column("words", sa.String(300), nullable=False),
        sa.Column("person", sa.String(80), nullable=False),
        sa.Column("at", sa.DateTime, nullable=False),
    )
