"""The shop's shelf in the store."""

from __future__ import annotations

from sqlalchemy import delete, select

from elmpeg.core.shelf import StockItem
from elmpeg.store.database import Database
from elmpeg.store.tables import Stock


class Shelf:
    """What lies on the shelf."""

    def __init__(self, database: Database) -> None:
        self._db = database

    def items(self) -> tuple[StockItem, ...]:
        """Everything, thickest last within its form."""
        with self._db.reading() as session:
            rows = session.scalars(select(Stock).order_by(Stock.form, Stock.mm, Stock.id))
            return tuple(StockItem(s.id, s.name, s.form, s.mm, s.bore_mm, s.qty, s.place) for s in rows)  # type: ignore[arg-type]

    def replace_all(self, items: tuple[StockItem, ...]) -> None:
        """Put exactly these on the shelf."""
        with self._db.writing() as session:
            session.execute(delete(Stock))
            session.add_all(Stock(id=i.id, name=i.name, form=i.form, mm=i.mm, bore_mm=i.bore_mm, qty=i.qty, place=i.place) for i in items)
