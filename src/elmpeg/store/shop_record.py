"""The shop itself: its name, usual units, rate, and the tools and cautions that its builds start with."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal, get_args

from pydantic import TypeAdapter

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.naming import cleaned_name
from elmpeg.core.base.verdicts import LEAST_SURE, MOST_SURE, SURE
from elmpeg.core.build.survey import DEFAULT_TOOLS, Tool
from elmpeg.store.accounts import Units
from elmpeg.store.database import Database
from elmpeg.store.tables import ShopRow

MOST_CAUTIONS = 40
LONGEST_CAUTION = 400
MOST_TOOLS = 60
DEAREST_HOUR = 1e5
USUAL_CAUTIONS = (
    "Stands under the frame before anyone is under the vehicle; a jack is not a stand.",
    "This tool computes positions; it does not certify strength. Follow local codes, and have structural changes, brakes, steering, "
    "suspension, seats and belts looked at by qualified people.",
)
"""What every build starts with until a shop says it in its own words."""
Paper = Literal["A4", "A3", "letter", "tabloid"]
PAPER_MM: dict[Paper, tuple[float, float]] = {
    "A4": (210.0, 297.0),
    "A3": (297.0, 420.0),
    "letter": (215.9, 279.4),
    "tabloid": (279.4, 431.8),
}
"""Sheets of paper, upright: ISO 216, and ANSI/ASME Y14.1 A and B."""
_TOOLS: TypeAdapter[tuple[Tool, ...]] = TypeAdapter(tuple[Tool, ...])
_CAUTIONS: TypeAdapter[tuple[str, ...]] = TypeAdapter(tuple[str, ...])


@dataclass(frozen=True, slots=True)
class ShopRecord:
    """What a shop says of itself."""

    name: str = "This shop"
    units: Units = "mm"
    currency: str = ""
    hourly_rate: float | None = None
    tools: tuple[Tool, ...] = DEFAULT_TOOLS
    cautions: tuple[str, ...] = field(default=USUAL_CAUTIONS)
    sure: float = SURE
    paper: Paper = "A4"


class ShopRecords:
    """The shop's own record in the store."""

    def __init__(self, database: Database) -> None:
        self._db = database

    def get(self) -> ShopRecord:
        """The shop as it was last kept, or what a shop is until somebody says."""
        with self._db.reading() as session:
            row = session.get(ShopRow, 1)
        if row is None:
            return ShopRecord()
        return ShopRecord(
            row.name,
            row.units,  # type: ignore[arg-type]
            row.currency,
            row.hourly_rate,
            _TOOLS.validate_json(row.tools),
            _CAUTIONS.validate_json(row.cautions),
            row.sure,
            row.paper,  # type: ignore[arg-type]
        )

    def keep(self, shop: ShopRecord) -> None:
        """Keep what the shop says of itself. Raises InputError naming the field."""
        name = cleaned_name(shop.name, "shop_name")
        if len(shop.currency) > 10:
            raise InputError("currency", "has at most 10 characters, such as EUR")
        if shop.hourly_rate is not None and not 0 <= shop.hourly_rate <= DEAREST_HOUR:
            raise InputError("hourly_rate", f"must be 0 to {DEAREST_HOUR:g}")
        if len(shop.cautions) > MOST_CAUTIONS or any(len(c) > LONGEST_CAUTION for c in shop.cautions):
            raise InputError("cautions", f"are at most {MOST_CAUTIONS}, each of at most {LONGEST_CAUTION} characters")
        if not LEAST_SURE <= shop.sure <= MOST_SURE:
            raise InputError("sure_pct", f"must be {100 * LEAST_SURE:g} to {100 * MOST_SURE:g} %")
        if shop.paper not in get_args(Paper):
            raise InputError("paper", f"“{shop.paper}” is not known; choose one of {', '.join(get_args(Paper))}")
        _require_tools(shop.tools)
        with self._db.writing() as session:
            row = session.get(ShopRow, 1) or ShopRow(id=1)
            row.name, row.units, row.currency, row.hourly_rate = name, shop.units, shop.currency.strip(), shop.hourly_rate
            row.tools, row.cautions = _TOOLS.dump_json(shop.tools).decode(), _CAUTIONS.dump_json(shop.cautions).decode()
            row.sure, row.paper = shop.sure, shop.paper
            session.add(row)


def _require_tools(tools: tuple[Tool, ...]) -> None:
    if len(tools) > MOST_TOOLS:
        raise InputError("tool_name", f"at most {MOST_TOOLS} tools are kept")
    names = [t.name.lower() for t in tools]
    for tool in tools:
        cleaned_name(tool.name, "tool_name")
        if names.count(tool.name.lower()) > 1:
            raise InputError("tool_name", f"two tools are called “{tool.name}”; choose different names")
        if tool.sd_mm < 0 or tool.sd_deg < 0 or not (tool.sd_mm or tool.sd_deg):
            raise InputError("tool_sd", "needs a doubt above 0: how far its readings scatter")
