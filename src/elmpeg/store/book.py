"""The parts book: the shop's parts across builds, each version kept as it was."""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import select

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.naming import cleaned_name, new_id
from elmpeg.core.starters.book_part import BookPart, require_sound_part
from elmpeg.formats import part_file
from elmpeg.store.database import Database
from elmpeg.store.revisions import Author
from elmpeg.store.tables import BookPart as PartRow
from elmpeg.store.tables import BookVersion

LONGEST_WORDS = 300


@dataclass(frozen=True, slots=True)
class Kept:
    """A part of the book as one version says it."""

    id: str
    number: int
    part: BookPart
    words: str
    person: str
    at: datetime

    @property
    def origin(self) -> str:
        """What a copy of it remembers: the part and its version."""
        return f"{self.id} version {self.number}"


class Book:
    """The shop's parts in the store."""

    def __init__(self, database: Database) -> None:
        self._db = database

    def parts(self, gone: bool = False) -> tuple[Kept, ...]:
        """All parts in their newest version, by name; those taken out instead where they are asked for."""
        with self._db.reading() as session:
            rows = session.execute(
                select(BookVersion)
                .join(PartRow, (PartRow.id == BookVersion.part_id) & (PartRow.head == BookVersion.number))
                .where(PartRow.removed.is_not(None) if gone else PartRow.removed.is_(None))
                .order_by(PartRow.name)
            ).scalars()
            return tuple(_kept(row) for row in rows)

    def part(self, part_id: str, number: int | None = None) -> Kept:
        """One part, in its newest version unless another is asked for. Raises MissingError."""
        with self._db.reading() as session:
            row = session.get(PartRow, part_id)
            version = session.get(BookVersion, (part_id, number or row.head)) if row else None
            if version is None:
                raise MissingError(f"the book has no part “{part_id}”" + (f" of version {number}" if number else ""))
            return _kept(version)

    def versions(self, part_id: str) -> tuple[Kept, ...]:
        """All versions of a part, the newest first."""
        with self._db.reading() as session:
            rows = session.scalars(select(BookVersion).where(BookVersion.part_id == part_id).order_by(BookVersion.number.desc()))
            return tuple(_kept(row) for row in rows)

    def keep(self, part: BookPart, author: Author, words: str, part_id: str = "", seen: int | None = None) -> Kept:
        """Keep a new part, or a further version of one. Raises InputError where the part is unsound, another has its name, or
        somebody kept a version after the one that was ``seen``."""
        require_sound_part(part)
        name = cleaned_name(part.name)
        with self._db.writing() as session:
            others = session.execute(select(PartRow.id, PartRow.name, PartRow.removed)).all()
            if any(n.lower() == name.lower() and i != part_id and r is None for i, n, r in others):
                raise InputError("name", f"another part of the book is called “{name}” already; choose a different name")
            row = session.get(PartRow, part_id) if part_id else None
            if part_id and row is None:
                raise MissingError(f"the book has no part “{part_id}”")
            if row is None:
                row = PartRow(id=new_id(name, (i for i, _, _ in others)), name=name, head=0, created=datetime.now(UTC))
                session.add(row)
                session.flush()
            elif seen is not None and seen != row.head:
                raise InputError("name", f"somebody kept version {row.head} of this part meanwhile; look at it and keep yours again")
            row.name, row.head, row.removed = name, row.head + 1, None
            version = BookVersion(
                part_id=row.id,
                number=row.head,
                format=part_file.VERSION,
                document=json.dumps(part_file.to_plain(part), ensure_ascii=False),
                words=" ".join(words.split())[:LONGEST_WORDS],
                person=author.name,
                at=datetime.now(UTC),
            )
            session.add(version)
            session.flush()
            return _kept(version)

    def take_out(self, part_id: str, back: bool = False) -> None:
        """Take a part out of the book, or bring it back; its versions stay. Raises MissingError."""
        with self._db.writing() as session:
            row = session.get(PartRow, part_id)
            if row is None:
                raise MissingError(f"the book has no part “{part_id}”")
            row.removed = None if back else datetime.now(UTC)


def _kept(row: BookVersion) -> Kept:
    plain: dict[str, Any] = json.loads(row.document)
    return Kept(row.part_id, row.number, part_file.from_plain(plain, row.format), row.words, row.person, row.at)
