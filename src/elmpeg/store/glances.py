"""What the shop's list tells of each build, kept with the revision that it is told of: a long list opens without working out
anything that it told before."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from datetime import datetime
from functools import cache
from pathlib import Path
from threading import Lock

from pydantic import TypeAdapter
from sqlalchemy import and_, select
from sqlalchemy.dialects.sqlite import insert

import elmpeg.core
from elmpeg import __version__
from elmpeg.core.advice.at_a_glance import Glance
from elmpeg.store.builds import Where, stands_there
from elmpeg.store.database import Database
from elmpeg.store.tables import KeptGlance, Revision, StoredBuild

_GLANCE: TypeAdapter[Glance] = TypeAdapter(Glance)
NOT_TOLD = {"worst": {"__all__": {"remedies", "rests_on", "inputs"}}}
"""Of a check, what a glance has none of."""


@cache
def rules() -> str:
    """Tells the rules of this version from those of any other: what they found is found anew."""
    told = hashlib.sha256(__version__.encode())
    for path in sorted(Path(elmpeg.core.__file__).parent.rglob("*.py")):
        told.update(path.read_bytes())
    return told.hexdigest()


@dataclass(frozen=True, slots=True)
class Listed:
    """A build in the shop's list: its newest revision and who made it, and what is told of it, where that has been worked out."""

    id: str
    name: str
    number: int
    person: str
    at: datetime
    glance: Glance | None
    damaged: bool = False
    """Whether what is kept of it cannot be read."""


class Glances:
    """The list of builds in the store."""

    def __init__(self, database: Database) -> None:
        self._db = database
        self._found: dict[str, tuple[int, Glance]] = {}
        self._lock = Lock()

    def listed(self, where: Where = "in work") -> tuple[Listed, ...]:
        """The builds that stand there, oldest first."""
        newest = and_(Revision.build_id == StoredBuild.id, Revision.number == StoredBuild.head)
        told = and_(KeptGlance.build_id == StoredBuild.id, KeptGlance.number == StoredBuild.head, KeptGlance.rules == rules())
        columns = (StoredBuild.id, StoredBuild.name, StoredBuild.head, Revision.person, Revision.at, KeptGlance.document)
        asked = select(*columns).join(Revision, newest).outerjoin(KeptGlance, told).where(*stands_there(where))
        with self._db.reading() as session:
            rows = session.execute(asked.order_by(StoredBuild.created, StoredBuild.id)).all()
        with self._lock:
            found = dict(self._found)
        listed = []
        for row in rows:
            number, glance = found.get(row[0], (0, None))
            kept = glance if number == row[2] else _GLANCE.validate_json(row[5]) if row[5] else None
            listed.append(Listed(*row[:5], kept))
        return tuple(listed)

    def keep(self, number: int, glance: Glance) -> None:
        """Keep what is told of a build at a revision, in place of what was told of an earlier one; for the next start once it is
        written down."""
        with self._lock:
            self._found[glance.id] = (number, glance)

    def write_down(self) -> None:
        """Write down what was found since the last time. Whoever only looks writes nothing; this is done aside, now and then."""
        with self._lock:
            found, self._found = self._found, {}
        if not found:
            return
        with self._db.writing() as session:
            for build_id, (number, glance) in found.items():
                told = {"number": number, "rules": rules(), "document": _GLANCE.dump_json(glance, exclude=NOT_TOLD).decode()}
                put = insert(KeptGlance).values(build_id=build_id, **told)
                if session.get(StoredBuild, build_id) is not None:
                    session.execute(put.on_conflict_do_update(index_elements=["build_id"], set_=told))
