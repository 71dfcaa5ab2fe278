"""Movements of the shelf: each keeps what lay there before and after it, and can be taken back."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass
from datetime import UTC, datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.stages.mount.shelf import StockItem
from elmpeg.store.tables import Stock, StockMove, StockUse

LONGEST_WORDS = 200
Kinds = Mapping[str, StockItem | None]
"""What lies on the shelf by its id; None where nothing of that id does."""


@dataclass(frozen=True, slots=True)
class Moved:
    """One movement of the shelf."""

    id: int
    at: datetime
    person: str
    words: str
    build_id: str
    cut: tuple[str, ...]
    """Ids of the pieces of that build that were cut with it."""
    undone: datetime | None
    undone_by: str


def kept(session: Session, person: str, words: str, before: Kinds, after: Kinds, build_id: str = "", cut: Iterable[str] = ()) -> None:
    """Write a movement down; nothing where the shelf is as it was."""
    if before == after and not cut:
        return
    session.add(
        StockMove(
            at=datetime.now(UTC), person=person, words=words[:LONGEST_WORDS], build_id=build_id, cut=json.dumps(list(cut)),
            before=_written(before), after=_written(after),
        )
    )  # fmt: skip


def newest(session: Session, most: int) -> tuple[Moved, ...]:
    """The newest movements, newest first."""
    return tuple(_moved(m) for m in session.scalars(select(StockMove).order_by(StockMove.id.desc()).limit(most)))


def cut_for(session: Session, build_id: str) -> dict[str, Moved]:
    """By piece of a build: the newest movement in which it was cut and that stands."""
    rows = session.scalars(select(StockMove).where(StockMove.build_id == build_id, StockMove.undone.is_(None)).order_by(StockMove.id))
    return {piece: moved for moved in map(_moved, rows) for piece in moved.cut}


def taken_back(session: Session, move_id: int, person: str) -> None:
    """The shelf as it would lie without a movement: what it added goes, what it took is there again, what was counted since stays.

    Raises MissingError for no such movement, InputError where it is taken back already or what it brought is in use.
    """
    move = session.get(StockMove, move_id)
    if move is None:
        raise MissingError("there is no such movement of the shelf")
    if move.undone is not None:
        raise InputError("move", f"was taken back by {move.undone_by} already")
    before, after = _read(move.before), _read(move.after)
    for stock_id in {*before, *after}:
        was, became, now = before.get(stock_id), after.get(stock_id), session.get(Stock, stock_id)
        if was is None:
            if now is not None and became is not None:
                _less(session, now, became)
        elif now is None:
            session.add(Stock(**{**asdict(was), "qty": was.qty if became is None else max(was.qty - became.qty, 0)}))
        else:
            qty = now.qty + was.qty - (became.qty if became else 0)
            _require_free(session, now, qty)
            for name, value in asdict(was).items():
                if name != "qty" and (became is None or getattr(now, name) == getattr(became, name)):
                    setattr(now, name, value)
            now.qty = qty
    move.undone, move.undone_by = datetime.now(UTC), person


def _less(session: Session, now: Stock, added: StockItem) -> None:
    """Take away so many of a kind as were added with it; the kind itself where none is left and nobody ever used one."""
    _require_free(session, now, now.qty - added.qty)
    now.qty -= added.qty
    if not now.qty and not session.scalar(select(func.count()).select_from(StockUse).where(StockUse.stock_id == now.id)):
        session.delete(now)


def _require_free(session: Session, now: Stock, qty: int) -> None:
    held = session.scalar(select(func.sum(StockUse.count)).where(StockUse.stock_id == now.id, StockUse.state == "reserved")) or 0
    if qty < held:
        raise InputError(
            "move", f"cannot be taken back: {now.qty} × {now.name} lie there now{f', of which {held} are reserved' if held else ''}"
        )


def _written(kinds: Kinds) -> str:
    return json.dumps({k: asdict(i) if i else None for k, i in kinds.items()})


def _read(text: str) -> dict[str, StockItem | None]:
    return {k: StockItem(**i) if i else None for k, i in json.loads(text).items()}


def _moved(m: StockMove) -> Moved:
    return Moved(m.id, m.at, m.person, m.words, m.build_id, tuple(json.loads(m.cut)), m.undone, m.undone_by)
