"""Stateless calculators: the core's functions behind the published field names.

The screens, the JSON interface and the command line all come through ``answer``.
"""

from elmpeg.core.calculators.registry import CALCULATORS, Refused, answer
from elmpeg.core.calculators.sheet import Calculator

__all__ = ["CALCULATORS", "Calculator", "Refused", "answer"]
