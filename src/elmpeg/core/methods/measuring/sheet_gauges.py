"""Sheet and wire gauges: the same number means another thickness in each table.

Sources: manufacturers' standard gauge for carbon steel sheet and its zinc-coated
companion table; United States standard gauge for stainless sheet; American wire
gauge as defined by ASTM B258 for aluminium; British standard wire gauge (BS 3737).
Thicknesses are nominal, in inches as published; sheet has a rolling tolerance.
"""

from __future__ import annotations

from typing import Literal

from elmpeg.core.base.record import record

GaugeMaterial = Literal["steel", "stainless", "galvanised", "aluminium", "swg"]

_STEEL = {
    3: 0.2391, 4: 0.2242, 5: 0.2092, 6: 0.1943, 7: 0.1793, 8: 0.1644, 9: 0.1495, 10: 0.1345, 11: 0.1196,
    12: 0.1046, 13: 0.0897, 14: 0.0747, 15: 0.0673, 16: 0.0598, 17: 0.0538, 18: 0.0478, 19: 0.0418,
    20: 0.0359, 21: 0.0329, 22: 0.0299, 23: 0.0269, 24: 0.0239, 25: 0.0209, 26: 0.0179, 27: 0.0164,
    28: 0.0149, 29: 0.0135, 30: 0.0120, 31: 0.0105, 32: 0.0097, 33: 0.0090, 34: 0.0082, 35: 0.0075,
    36: 0.0067, 37: 0.0064, 38: 0.0060,
}  # fmt: skip
_GALVANISED = {
    8: 0.1681, 9: 0.1532, 10: 0.1382, 11: 0.1233, 12: 0.1084, 13: 0.0934, 14: 0.0785, 15: 0.0710,
    16: 0.0635, 17: 0.0575, 18: 0.0516, 19: 0.0456, 20: 0.0396, 21: 0.0366, 22: 0.0336, 23: 0.0306,
    24: 0.0276, 25: 0.0247, 26: 0.0217, 27: 0.0202, 28: 0.0187, 29: 0.0172, 30: 0.0157, 31: 0.0142,
    32: 0.0134,
}  # fmt: skip
_STAINLESS = {
    1: 0.28125, 2: 0.265625, 3: 0.25, 4: 0.234375, 5: 0.21875, 6: 0.203125, 7: 0.1875, 8: 0.171875,
    9: 0.15625, 10: 0.140625, 11: 0.125, 12: 0.109375, 13: 0.09375, 14: 0.078125, 15: 0.0703125,
    16: 0.0625, 17: 0.05625, 18: 0.05, 19: 0.04375, 20: 0.0375, 21: 0.034375, 22: 0.03125,
    23: 0.028125, 24: 0.025, 25: 0.021875, 26: 0.01875, 27: 0.0171875, 28: 0.015625, 29: 0.0140625,
    30: 0.0125, 31: 0.0109375, 32: 0.01015625, 33: 0.009375, 34: 0.00859375, 35: 0.0078125,
    36: 0.00703125,
}  # fmt: skip
_SWG = {
    -6: 0.500, -5: 0.464, -4: 0.432, -3: 0.400, -2: 0.372, -1: 0.348, 0: 0.324, 1: 0.300, 2: 0.276,
    3: 0.252, 4: 0.232, 5: 0.212, 6: 0.192, 7: 0.176, 8: 0.160, 9: 0.144, 10: 0.128, 11: 0.116,
    12: 0.104, 13: 0.092, 14: 0.080, 15: 0.072, 16: 0.064, 17: 0.056, 18: 0.048, 19: 0.040, 20: 0.036,
    21: 0.032, 22: 0.028, 23: 0.024, 24: 0.022, 25: 0.020, 26: 0.018, 27: 0.0164, 28: 0.0148,
    29: 0.0136, 30: 0.0124, 31: 0.0116, 32: 0.0108, 33: 0.0100, 34: 0.0092, 35: 0.0084, 36: 0.0076,
    37: 0.0068, 38: 0.0060, 39: 0.0052, 40: 0.0048,
}  # fmt: skip
_AWG = {n: round(0.005 * 92 ** ((36 - n) / 39), 4) for n in range(-3, 41)}

WHOLE_NAMES = {-6: "7/0", -5: "6/0", -4: "5/0", -3: "4/0", -2: "3/0", -1: "2/0"}
"""Gauges thicker than 0 are counted in noughts; they are keyed below zero here."""


@record
class GaugeTable:
    """One published table: its name, and inches by gauge number."""

    name: str
    inches: dict[int, float]


TABLES: dict[GaugeMaterial, GaugeTable] = {
    "steel": GaugeTable("manufacturers' standard gauge, carbon steel sheet", _STEEL),
    "galvanised": GaugeTable("galvanised sheet gauge, zinc coating included", _GALVANISED),
    "stainless": GaugeTable("United States standard gauge, stainless sheet", _STAINLESS),
    "aluminium": GaugeTable("American wire gauge (ASTM B258), aluminium sheet", _AWG),
    "swg": GaugeTable("British standard wire gauge (BS 3737)", _SWG),
}


def gauge_name(number: int) -> str:
    """How the shop writes a gauge number."""
    return WHOLE_NAMES.get(number, str(number))
