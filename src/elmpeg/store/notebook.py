"""The shop's notebook: calculations kept by themselves, outside any build."""

from __future__ import annotations

from datetime import UTC, datetime

from pydantic import TypeAdapter
from sqlalchemy import select

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.naming import cleaned_name, new_id
from elmpeg.core.build.reckonings import Reckoning, ReckoningVersion
from elmpeg.core.reckoning.keeping import with_version
from elmpeg.store.database import Database
from elmpeg.store.tables import NotebookPage

_RECKONING: TypeAdapter[Reckoning] = TypeAdapter(Reckoning)


class Notebook:
    """Kept calculations in the store."""

    def __init__(self, database: Database) -> None:
        self._db = database

    def all(self, gone: bool = False) -> tuple[Reckoning, ...]:
        """Every kept calculation, the last changed first; those taken out instead where they are asked for."""
        with self._db.reading() as session:
            removed = NotebookPage.removed.is_not(None) if gone else NotebookPage.removed.is_(None)
            rows = session.scalars(select(NotebookPage).where(removed).order_by(NotebookPage.changed.desc()))
            return tuple(_RECKONING.validate_json(row.document) for row in rows)

    def get(self, reckoning_id: str) -> Reckoning:
        """One of them, also one that was taken out. Raises MissingError."""
        with self._db.reading() as session:
            row = session.get(NotebookPage, reckoning_id)
            if row is None:
                raise MissingError(f"the notebook has no reckoning “{reckoning_id}”")
            return _RECKONING.validate_json(row.document)

    def keep(self, name: str, calculator: str, version: ReckoningVersion, reckoning_id: str = "", seen: int = 0) -> Reckoning:
        """Keep a new calculation, or a further version of one. Raises InputError where another has the name, or somebody kept
        a version after the one that was ``seen``."""
        tidy = cleaned_name(name)
        with self._db.writing() as session:
            others = session.execute(select(NotebookPage.id, NotebookPage.name, NotebookPage.removed)).all()
            if any(n.lower() == tidy.lower() and i != reckoning_id and r is None for i, n, r in others):
                raise InputError("name", f"another reckoning is called “{tidy}” already; choose a different name")
            row = session.get(NotebookPage, reckoning_id) if reckoning_id else None
            if reckoning_id and row is None:
                raise MissingError(f"the notebook has no reckoning “{reckoning_id}”")
            if row is None:
                row = NotebookPage(id=new_id(tidy, (i for i, _, _ in others)), calculator=calculator, head=0)
                earlier: tuple[ReckoningVersion, ...] = ()
            else:
                if seen != row.head:
                    by = _RECKONING.validate_json(row.document).newest.by
                    raise InputError("name", f"{by} kept version {row.head} of this meanwhile; look at it and keep yours again")
                earlier = _RECKONING.validate_json(row.document).versions
            made = with_version(Reckoning(row.id, tidy, calculator, earlier), version)
            row.name, row.head, row.document = tidy, made.newest.number, _RECKONING.dump_json(made).decode()
            row.changed, row.removed = datetime.now(UTC), None
            session.add(row)
            return made

    def take_out(self, reckoning_id: str, back: bool = False) -> None:
        """Take a calculation out, or bring it back. Raises MissingError, and InputError where its name is taken by now."""
        with self._db.writing() as session:
            row = session.get(NotebookPage, reckoning_id)
            if row is None:
                raise MissingError(f"the notebook has no reckoning “{reckoning_id}”")
            if (
                back
                and session.scalars(
                    select(NotebookPage).where(NotebookPage.name == row.name, NotebookPage.removed.is_(None), NotebookPage.id != row.id)
                ).first()
            ):
                raise InputError("name", f"another reckoning is called “{row.name}” by now; rename that one first")
            row.removed = None if back else datetime.now(UTC)
