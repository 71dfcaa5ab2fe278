"""Revisions carry their format's version, keep only what changed, and say what undo and redo would do; who is here is no
longer written down; a reservation belongs to an option's stack."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.drop_table("presence")
    op.add_column("revision", sa.Column("version", sa.Integer, nullable=False, server_default="4"))
    op.add_column("revision", sa.Column("since", sa.Integer, nullable=True))
    op.add_column("revision", sa.Column("depth", sa.Integer, nullable=False, server_default="0"))
    op.add_column("revision", sa.Column("undo", sa.Integer, nullable=False, server_default="0"))
    op.add_column("revision", sa.Column("redo", sa.Integer, nullable=False, server_default="0"))
    op.add_column("stock_use", sa.Column("option", sa.String(80), nullable=False, server_default=""))
    _link_history(op.get_bind())


def _link_history(connection: sa.Connection) -> None:
    """What undo would take back after each revision, and the undoing that redo would bring back; 0 for nothing."""
    before: dict[tuple[str, int], int] = {}
    undo: dict[tuple[str, int], int] = {}
    redo: dict[tuple[str, int], int] = {}
    for row, build, number, made_on, kind in connection.execute(
        sa.text("SELECT id, build_id, number, before, kind FROM revision ORDER BY build_id, number")
    ).all():
        here = (build, number)
        before[here] = made_on or 0
        undo[here], redo[here] = number if made_on else 0, 0
        if kind == "undo":
            taken_back = (build, undo.get((build, before[here]), 0))
            undo[here], redo[here] = undo.get((build, before.get(taken_back, 0)), 0), number
        elif kind == "redo":
            undone_on = (build, before.get((build, redo.get((build, before[here]), 0)), 0))
            undo[here], redo[here] = undo.get(undone_on, 0), redo.get(undone_on, 0)
        values = {"undo": undo[here], "redo": redo[here], "row": row}
        connection.execute(sa.text("UPDATE revision SET undo = :undo, redo = :redo WHERE id = :row"), values)
