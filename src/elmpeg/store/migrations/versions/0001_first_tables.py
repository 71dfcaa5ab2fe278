"""First tables: people, sessions, tokens, builds with revisions, presence, shelf."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "user",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("login", sa.String(80), nullable=False, unique=True),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("role", sa.String(20), nullable=False),
        sa.Column("password_hash", sa.String(200), nullable=False),
        sa.Column("units", sa.String(20), nullable=False),
        sa.Column("theme", sa.String(10), nullable=False),
        sa.Column("created", sa.DateTime, nullable=False),
    )
    op.create_table(
        "signed_in",
        sa.Column("token_hash", sa.String(64), primary_key=True),
        sa.Column("user_id", sa.Integer, sa.ForeignKey("user.id", ondelete="CASCADE"), nullable=False),
        sa.Column("csrf", sa.String(64), nullable=False),
        sa.Column("created", sa.DateTime, nullable=False),
        sa.Column("seen", sa.DateTime, nullable=False),
    )
    op.create_table(
        "api_token",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("user_id", sa.Integer, sa.ForeignKey("user.id", ondelete="CASCADE"), nullable=False),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("token_hash", sa.String(64), nullable=False, unique=True),
        sa.Column("created", sa.DateTime, nullable=False),
        sa.Column("used", sa.DateTime),
    )
    op.create_table(
        "failed_sign_in",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("login", sa.String(80), nullable=False, index=True),
        sa.Column("address", sa.String(80), nullable=False, index=True),
        sa.Column("at", sa.DateTime, nullable=False, index=True),
    )
    op.create_table(
        "build",
        sa.Column("id", sa.String(80), primary_key=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("head", sa.Integer, nullable=False),
        sa.Column("created", sa.DateTime, nullable=False),
    )
    op.create_table(
        "revision",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("build_id", sa.String(80), sa.ForeignKey("build.id", ondelete="CASCADE"), nullable=False),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("before", sa.Integer),
        sa.Column("kind", sa.String(10), nullable=False),
        sa.Column("user_id", sa.Integer, sa.ForeignKey("user.id", ondelete="SET NULL")),
        sa.Column("person", sa.String(80), nullable=False),
        sa.Column("at", sa.DateTime, nullable=False),
        sa.Column("words", sa.String(300), nullable=False),
        sa.Column("document", sa.LargeBinary, nullable=False),
        sa.UniqueConstraint("build_id", "number"),
    )
    op.create_table(
        "presence",
        sa.Column("build_id", sa.String(80), sa.ForeignKey("build.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("user_id", sa.Integer, sa.ForeignKey("user.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("seen", sa.DateTime, nullable=False),
    )
    op.create_table(
        "stock",
        sa.Column("id", sa.String(80), primary_key=True),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("form", sa.String(20), nullable=False),
        sa.Column("mm", sa.Float, nullable=False),
        sa.Column("bore_mm", sa.Float, nullable=False),
        sa.Column("qty", sa.Integer, nullable=False),
        sa.Column("place", sa.String(80), nullable=False),
    )


def downgrade() -> None:
    for table in ("stock", "presence", "revision", "build", "failed_sign_in", "api_token", "signed_in", "user"):
        op.drop_table(table)
