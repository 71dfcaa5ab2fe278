"""The kit: every part of the interface in every state, for leads and for whoever changes the style."""

from __future__ import annotations

import math

from fastapi import APIRouter, HTTPException
from fastapi.responses import Response

from elmpeg.core.base.quantities import deg, mm, words
from elmpeg.core.base.verdicts import Verdict
from elmpeg.core.judging.checks import Check, Input, Remedy
from elmpeg.web.check_rows import Row
from elmpeg.web.drawing.charts import Chart, Curve, Mark, plain
from elmpeg.web.security import ReadDesk

router = APIRouter()


def _sample(verdict: Verdict, value: float | None) -> Row:
    check = Check(
        code=f"sample.{verdict}",
        family="joint",
        stage="Drive",
        name="Rear shaft, rear pinion J2",
        unit="deg",
        verdict=verdict,
        why=words("{0} stands against {1}.", deg(value or 0.0), deg(3.0)) if value is not None else words("Needs the axis of rear pinion."),
        value=value,
        high=3.0,
        sd=0.2,
        remedies=(Remedy(words("Raise the gearbox mount {0}.", mm(17.0))),) if verdict == "fails" else (),
        inputs=(Input("true angle", deg(value or 0.0)),),
        formula="the true angle between the axes on either side of the joint",
    )
    return Row(check, "worse by 1.1°" if verdict == "fails" else "", False if verdict == "fails" else None, "")


@router.get("/kit", name="kit")
def show(desk: ReadDesk) -> Response:
    """The kit."""
    if not desk.person.leads:
        raise HTTPException(403, "The kit is for leads.")
    samples: tuple[tuple[Verdict, float | None], ...] = (("fails", 4.1), ("near", 2.9), ("unknown", None), ("holds", 1.9))
    turn = tuple(float(k) for k in range(0, 361, 5))
    curves = (
        Curve("at rest", plain([0.3 * math.cos(math.radians(2 * t)) for t in turn])),
        Curve("coast", plain([0.2 * math.sin(math.radians(2 * t)) for t in turn]), "elm", True),
    )
    chart = Chart("over one revolution", "turn", "°", turn, "speed", "%", curves, (Mark("at most", 0.35),), 90.0)
    return desk.render("shop/kit.html", rows=[_sample(v, value) for v, value in samples], chart=chart)
