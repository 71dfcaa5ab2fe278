"""The shop's shelf in the store: what lies there, what builds have reserved or used of it, never below zero."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import Literal

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.naming import new_id
from elmpeg.core.build.document import Build
from elmpeg.core.stages.mount.shelf import StockItem, require_item
from elmpeg.core.stages.mount.stack_edits import with_reserved
from elmpeg.store import stock_moves
from elmpeg.store.database import Database
from elmpeg.store.stock_moves import Moved
from elmpeg.store.tables import Stock, StockUse, StoredBuild

UseState = Literal["reserved", "used", "returned"]


@dataclass(frozen=True, slots=True)
class Held:
    """So many of one kind that a build holds for a mount, and whether they are reserved or used up.

    ``option`` is the one whose stack is reserved; empty where no stack speaks for them.
    """

    id: int
    build_id: str
    build_name: str
    mount: str
    option: str
    stock_id: str
    stock_name: str
    count: int
    state: UseState
    person: str
    at: datetime


@dataclass(frozen=True, slots=True)
class Line:
    """One kind on the shelf: what lies there, and how many of these are reserved."""

    item: StockItem
    reserved: int

    @property
    def free(self) -> int:
        """What anybody may still take."""
        return self.item.qty - self.reserved


class Shelf:
    """What lies on the shelf."""

    def __init__(self, database: Database) -> None:
        self._db = database

    def items(self) -> tuple[StockItem, ...]:
        """Everything that lies there, reserved or not, thickest last within its form."""
        with self._db.reading() as session:
            return tuple(_item(s) for s in session.scalars(select(Stock).order_by(Stock.form, Stock.mm, Stock.id)))

    def items_for(self, build_id: str) -> tuple[StockItem, ...]:
        """What a build may use: everything less what other builds have reserved."""
        with self._db.reading() as session:
            taken = _reserved(session, but=build_id)
            rows = session.scalars(select(Stock).order_by(Stock.form, Stock.mm, Stock.id))
            return tuple(replace(_item(s), qty=max(0, s.qty - taken.get(s.id, 0))) for s in rows)

    def lines(self) -> tuple[Line, ...]:
        """Everything with how many are reserved."""
        with self._db.reading() as session:
            taken = _reserved(session)
            rows = session.scalars(select(Stock).order_by(Stock.form, Stock.mm, Stock.id))
            return tuple(Line(_item(s), taken.get(s.id, 0)) for s in rows)

    def held(self, build_id: str | None = None) -> tuple[Held, ...]:
        """What builds hold, newest first; of one build where it is named."""
        with self._db.reading() as session:
            asked = select(StockUse, Stock.name, StoredBuild.name).join(Stock, Stock.id == StockUse.stock_id)
            asked = asked.join(StoredBuild, StoredBuild.id == StockUse.build_id).where(StockUse.state != "returned")
            if build_id is not None:
                asked = asked.where(StockUse.build_id == build_id)
            rows = session.execute(asked.order_by(StockUse.id.desc())).all()
            return tuple(
                Held(u.id, u.build_id, build, u.mount, u.option, u.stock_id, stock, u.count, u.state, u.person, u.at)  # type: ignore[arg-type]
                for u, stock, build in rows
            )

    def mark(self, build_id: str, use_id: int, state: UseState, person: str) -> None:
        """Note that pieces which no stack speaks for are used, or that pieces came back; see ``Builds.mark_held`` for all others."""
        with self._db.writing() as session:
            mark(session, use_of(session, build_id, use_id), state, person)

    def keep(self, item: StockItem, person: str = "", words: str = "") -> StockItem:
        """Put one kind on the shelf or change it. Raises InputError for figures that make no sense, or fewer than are reserved."""
        (made,) = self.keep_all((item,), person, words or item.name)
        return made

    def keep_all(
        self,
        items: tuple[StockItem, ...],
        person: str = "",
        words: str = "",
        build_id: str = "",
        cut: tuple[str, ...] = (),
        seen: Mapping[str, StockItem] | None = None,
    ) -> tuple[StockItem, ...]:
        """Put several kinds there, all or none, as one movement; ``cut`` are the pieces of a build that were cut with it.

        Raises InputError also where one of them is not as it was ``seen``.
        """
        tidy = [require_item(i) for i in items]
        with self._db.writing() as session:
            rows = {i.id: session.get(Stock, i.id) for i in tidy if i.id}
            before = {k: _item(row) if row else None for k, row in rows.items()}
            for stock_id, item in (seen or {}).items():
                if stock_id in before and before[stock_id] != item:
                    raise InputError("place", f"{item.name} is not as it was: somebody changed the shelf meanwhile; look at it again")
            made = tuple(self._keep(session, item) for item in tidy)
            after = {i.id: i for i in made}
            stock_moves.kept(session, person, words, {k: before.get(k) for k in after}, after, build_id, cut)
        return made

    def moves(self, most: int) -> tuple[Moved, ...]:
        """The newest movements of the shelf, newest first."""
        with self._db.reading() as session:
            return stock_moves.newest(session, most)

    def cut_for(self, build_id: str) -> dict[str, Moved]:
        """By piece of a build: the movement in which it was cut, where that stands."""
        with self._db.reading() as session:
            return stock_moves.cut_for(session, build_id)

    def take_back(self, move_id: int, person: str) -> None:
        """Take a movement back. Raises MissingError, and InputError where that cannot be."""
        with self._db.writing() as session:
            stock_moves.taken_back(session, move_id, person)

    def _keep(self, session: Session, item: StockItem) -> StockItem:
        taken = _reserved(session).get(item.id, 0)
        if item.qty < taken:
            raise InputError("qty", f"of {item.name} cannot go to {item.qty}: {taken} are reserved{_who(session, item.id)}")
        made = item if item.id else replace(item, id=new_id(item.name, session.scalars(select(Stock.id))))
        session.merge(_row(made))
        session.flush()
        return made

    def drop(self, stock_id: str, person: str = "", words: str = "") -> None:
        """Take a kind off the shelf for good; refused while builds hold some."""
        with self._db.writing() as session:
            if session.scalar(
                select(func.count()).select_from(StockUse).where(StockUse.stock_id == stock_id, StockUse.state != "returned")
            ):
                raise InputError("qty", f"builds hold some{_who(session, stock_id)}; set its quantity to 0 instead")
            row = session.get(Stock, stock_id)
            if row is not None:
                stock_moves.kept(session, person, words or f"Took {row.name} off the shelf", {stock_id: _item(row)}, {stock_id: None})
            session.execute(delete(StockUse).where(StockUse.stock_id == stock_id))
            session.execute(delete(Stock).where(Stock.id == stock_id))

    def replace_all(self, items: tuple[StockItem, ...]) -> None:
        """Put exactly these on the shelf, as a new shop does."""
        with self._db.writing() as session:
            session.execute(delete(StockUse))
            session.execute(delete(Stock))
            session.add_all(_row(i) for i in items)


def use_of(session: Session, build_id: str, use_id: int) -> StockUse:
    """What a build holds, by its number; raises MissingError."""
    use = session.get(StockUse, use_id)
    if use is None or use.build_id != build_id:
        raise MissingError("there is no such piece held by this build")
    return use


def mark(session: Session, use: StockUse, state: UseState, person: str) -> None:
    """Used pieces leave the shelf, returned ones lie there again. Raises InputError where that cannot be."""
    stock = session.get_one(Stock, use.stock_id)
    if state == "used" and use.state == "reserved":
        if stock.qty < use.count:
            raise InputError("stack", f"only {stock.qty} of {stock.name} lie on the shelf; count them again")
        stock.qty -= use.count
    elif state == "returned" and use.state == "used":
        stock.qty += use.count
    elif not (state == "returned" and use.state == "reserved"):
        raise InputError("stack", f"these are {use.state} already")
    use.state, use.person, use.at = state, person, datetime.now(UTC)


Place = tuple[str, str]
"""An option and a mount."""


def keep_reserved(session: Session, before: Build | None, build: Build, person: str, may_give_up: bool) -> Build:
    """Reserve on the shelf what the stacks of a build say, and give back what they say no longer.

    Raises InputError, naming who has them, where too few pieces are free; where the change may not fail for that (a step
    back in history) the build is given back with those stacks unreserved, and pieces that are used up already are not
    reserved once more.
    """
    had, has = _reservations(before) if before else {}, _reservations(build)
    if had == has:
        return build
    ours = (StockUse.build_id == build.id, StockUse.state == "reserved")
    for option, mount in {*had, *has}:
        if had.get((option, mount)) != has.get((option, mount)):
            # What was reserved before stacks said so gives way to the first stack that does.
            session.execute(delete(StockUse).where(*ours, StockUse.mount == mount, StockUse.option.in_((option, ""))))
    taken = _reserved(session)
    for (option, mount), pieces in sorted(has.items()):
        if had.get((option, mount)) == pieces:
            continue
        for stock_id, count in pieces.items():
            used = select(func.sum(StockUse.count)).where(
                *(StockUse.build_id == build.id, StockUse.state == "used", StockUse.option == option),
                *(StockUse.mount == mount, StockUse.stock_id == stock_id),
            )
            if may_give_up and count <= (session.scalar(used) or 0):
                build = with_reserved(build, option, mount, stock_id, reserved=False)
                continue
            stock = session.get(Stock, stock_id)
            free = stock.qty - taken.get(stock_id, 0) if stock else 0
            if stock is None or count > free:
                if may_give_up:
                    build = with_reserved(build, option, mount, stock_id, reserved=False)
                    continue
                if stock is None:
                    raise InputError("stack", f"{stock_id} is not on the shelf any more")
                raise InputError("stack", f"{count} of {stock.name} are wanted and {max(free, 0)} are free{_who(session, stock_id)}")
            taken[stock_id] = taken.get(stock_id, 0) + count
            made = {"build_id": build.id, "option": option, "mount": mount, "stock_id": stock_id, "count": count}
            session.add(StockUse(**made, state="reserved", person=person, at=datetime.now(UTC)))
    return build


def _reservations(build: Build) -> dict[Place, dict[str, int]]:
    """By option and mount: how many of each kind its stack has reserved."""
    found: dict[Place, dict[str, int]] = {}
    for option in build.options:
        for stack in option.stacks:
            for piece in stack.pieces:
                if piece.reserved:
                    kinds = found.setdefault((option.id, stack.mount), {})
                    kinds[piece.stock] = kinds.get(piece.stock, 0) + piece.reserved
    return found


def _reserved(session: Session, but: str | None = None) -> dict[str, int]:
    asked = select(StockUse.stock_id, func.sum(StockUse.count)).where(StockUse.state == "reserved").group_by(StockUse.stock_id)
    if but is not None:
        asked = asked.where(StockUse.build_id != but)
    return {stock: int(count) for stock, count in session.execute(asked).all()}


def _who(session: Session, stock_id: str) -> str:
    asked = (
        select(StoredBuild.name, func.sum(StockUse.count))
        .join(StoredBuild, StoredBuild.id == StockUse.build_id)
        .where(StockUse.stock_id == stock_id, StockUse.state == "reserved")
        .group_by(StoredBuild.name)
    )
    told = [f"{name} has {int(count)}" for name, count in session.execute(asked).all()]
    return f"; {', '.join(told)}" if told else ""


def _item(s: Stock) -> StockItem:
    return StockItem(s.id, s.name, s.form, s.mm, s.bore_mm, s.qty, s.place, s.material, s.outside_mm, s.thread, s.wide_mm, s.long_mm)  # type: ignore[arg-type]


def _row(i: StockItem) -> Stock:
    return Stock(
        id=i.id,
        name=i.name,
        form=i.form,
        mm=i.mm,
        bore_mm=i.bore_mm,
        qty=i.qty,
        place=i.place,
        material=i.material,
        outside_mm=i.outside_mm,
        thread=i.thread,
        wide_mm=i.wide_mm,
        long_mm=i.long_mm,
    )
