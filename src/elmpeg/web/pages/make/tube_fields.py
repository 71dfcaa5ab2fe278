"""What the forms of tubes and turned parts say in their fields, and what their pages show."""

from __future__ import annotations

from typing import Any, Literal, get_args

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.pieces import CrossHole, Piece, Section, TubeBody, TurnedAs, TurnedBody, TurnedBore, TurnedStep
from elmpeg.core.methods.tubes.telescoping import RoundTube, table_tubes, telescopes
from elmpeg.core.methods.tubes.tube_bends import TubeBend
from elmpeg.core.methods.tubes.tube_ends import CUTS, HALVES, FurtherCut, TubeEnd
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.structure_members import body_of
from elmpeg.core.stages.make.tube_checks import PieceState
from elmpeg.core.stages.make.tube_shape import TubeShape, inside_mm
from elmpeg.core.stages.make.turned_shape import HOW
from elmpeg.formats.turned_slip import said_fit
from elmpeg.web.answers import Act
from elmpeg.web.desk import Desk
from elmpeg.web.drawing.tube import tube_drawing, turned_drawing, wrap_drawing
from elmpeg.web.pages.make.line_fields import Cells, joined, kept, rows
from elmpeg.web.showing import Show

TUBE_PARTS = (("tube", "Shape"), ("wraps", "Wraps at true size"), ("slides", "What slides into it"), ("tried", "What was made"))
TURNED_PARTS = (("turned", "Shape and slip"), ("tried", "What was made"))
SECTIONS: dict[Section, str] = {"round": "round tube or bar", "box": "box section or square bar"}
CUT_WORDS = {"square": "square", "mitre": "mitred with a like tube", "flat": "cut to a flat face", "cope": "coped round a tube"}
SIDES: tuple[Literal["left", "right"], ...] = ("left", "right")


def shown(desk: Desk, scene: Scene, piece: Piece, state: PieceState, part: str) -> dict[str, Any]:
    """What the page of a tube or of a turned part shows besides what every piece's page does."""
    show = desk.show
    if piece.turned is not None:
        drawn = turned_drawing(piece, piece.turned, state.turned, show) if state.turned else None
        return {
            "turned": state.turned, "turned_drawing": drawn, "steps_text": steps_text(piece.turned, show), "bores_text": bores_text(piece.turned, show),
            "fits_said": [said_fit(f) for f in state.turned.fits] if state.turned else [], "made_ways": [(w, w) for w in get_args(TurnedAs)],
            "how": HOW[piece.turned.made_as],
        }  # fmt: skip
    try:
        body = body_of(scene, piece)
    except InputError:
        body = piece.tube or TubeBody()
    tube = state.tube
    found: dict[str, Any] = {
        "tube": tube, "body": body, "legs_text": legs_text(body, show), "bends_lines": bends_lines(body, show),
        "cross_text": cross_text(body, show), "further_text": further_text, "sections": SECTIONS.items(), "cuts": [(c, CUT_WORDS[c]) for c in CUTS],
        "bore_mm": inside_mm(body), "wraps": [], "slides": [],
    }  # fmt: skip
    if tube is not None:
        found["tube_drawing"] = tube_drawing(body, tube, show, piece.name)
        if part == "wraps":
            found["wraps"] = [
                (name, cut, wrap_drawing(tube, name == "start", show, f"The {name} of {piece.name}")) for name, cut in tube.wraps
            ]
        if part == "slides" and body.section == "round":
            found["slides"] = slides(desk, body)
    return found


def slides(desk: Desk, body: TubeBody) -> list[Any]:
    """What goes into a tube and what it goes into, of the shelf and of the table."""
    shelf = [
        RoundTube(i.name, i.outside_mm, i.bore_mm, "shelf") for i in desk.shop.shelf.items() if i.form in ("tube", "bar") and i.outside_mm
    ]
    own = RoundTube("this one", body.across_mm, inside_mm(body), "piece")
    return list(telescopes((*shelf, *table_tubes()), own)[:24])


def wrap_words(piece: Piece, body: TubeBody, shape: TubeShape, show: Show) -> tuple[str, ...]:
    """What to do with the wraps, in words."""
    wall = f", wall {body.wall_mm:g} mm" if body.wall_mm else ", solid"
    said = [
        f"{piece.name}: {body.across_mm:g} mm{wall}, {piece.material}; cut {show.value(shape.blank_mm, 'mm')} off the bar",
        "Print at 100 %, without fitting to the page, and measure the square both ways before trusting it.",
        "Scribe a seam line along the whole tube, in a vee block or along an angle. Cut a wrap out along its edge, lay it round with its two "
        "seam lines on the scribed one, outside up, its line square to the tube at the length that is written on it, and scribe along its edge.",
        "Cut to the dashed line on the inside where the wall is thick: the outside stands proud of it and is ground back.",
    ]
    for name, cut in shape.shaped:
        said.append(
            f"Its {name}: {CUT_WORDS[cut.end.cut]} at {cut.end.angle_deg:.1f} degrees, {cut.deepest_mm:.1f} mm deep, wide side "
            f"{cut.end.turn_deg:.1f} degrees round from the seam."
            + (f" It is cut round {len(cut.end.also)} more besides." if cut.end.also else "")
        )
    if shape.twist_deg is not None:
        said.append(f"The two ends stand turned by {shape.twist_deg:.1f} degrees to each other.")
    for k, m in enumerate(shape.bent.marks, 1):
        said.append(
            f"Bend {k}: begins {m.begins_mm - shape.start.nearest_mm:.1f} mm from the cut end, ends at {m.ends_mm - shape.start.nearest_mm:.1f} mm, "
            f"{m.angle_deg:.1f} degrees, uses {m.uses_mm:.1f} mm, turned {m.turn_deg:.1f} degrees from the bend before."
        )
    said.append("Eye protection, gloves off near anything that turns, deburr before you handle it.")
    return tuple(said)


def legs_text(body: TubeBody, show: Show) -> str:
    """The legs, with semicolons."""
    return "; ".join(show.entered_exact(v) for v in body.legs_mm)


def bends_lines(body: TubeBody, show: Show) -> str:
    """A bend a line: angle; centre-line radius; its turn."""
    return "\n".join(f"{b.angle_deg:g}; {show.entered_exact(b.radius_mm)}; {b.turn_deg:g}" for b in body.bends)


def cross_text(body: TubeBody, show: Show) -> str:
    """A hole a line: name; along; turn; size; slant; both or one; why."""
    return "\n".join(
        joined(
            h.id,
            show.entered_exact(h.at_mm),
            f"{h.turn_deg:g}",
            show.entered_exact(h.hole_mm),
            f"{h.slant_deg:g}",
            "both" if h.both else "one",
            h.why,
        )
        for h in body.holes
    )


def steps_text(body: TurnedBody, show: Show) -> str:
    """A step a line: length; diameter; fit; thread; chamfer; keyway."""
    return "\n".join(
        joined(show.entered_exact(s.long_mm), show.entered_exact(s.outside_mm), s.fit, s.thread, _unless_none(s.chamfer_mm, show), s.keyway)
        for s in body.steps
    )


def _unless_none(length_mm: float, show: Show) -> str:
    """A length, left out where there is none."""
    return show.entered_exact(length_mm) if length_mm else ""


def bores_text(body: TurnedBody, show: Show) -> str:
    """A bore a line: side; diameter; depth, 0 through; fit; thread; chamfer."""
    return "\n".join(
        joined(b.side, show.entered_exact(b.bore_mm), show.entered_exact(b.deep_mm), b.fit, b.thread, _unless_none(b.chamfer_mm, show))
        for b in body.bores
    )


def bends_from(text: str, show: Show) -> tuple[TubeBend, ...]:
    """The bends that a field says."""
    return rows(text, "bends", show, lambda c: TubeBend(c.number(0, 0.0), c.length(1), c.number(2, 0.0)))


def cross_from(text: str, show: Show) -> tuple[CrossHole, ...]:
    """The holes that a field says."""

    def read(c: Cells) -> CrossHole:
        walls = c.one_of(5, ("both", "one"), "both")
        return CrossHole(c.name(0), c.length(1), c.number(2, 0.0), c.length(3), c.number(4, 90.0), walls == "both", c.text(6, 120))

    return rows(text, "holes", show, read)


def steps_from(text: str, show: Show) -> tuple[TurnedStep, ...]:
    """The steps that a field says."""
    return rows(
        text, "steps", show, lambda c: TurnedStep(c.length(0), c.length(1), c.text(2, 8), c.text(3, 20), c.length(4, 0.0), c.text(5, 40))
    )


def bores_from(text: str, show: Show) -> tuple[TurnedBore, ...]:
    """The bores that a field says."""

    def read(c: Cells) -> TurnedBore:
        side = c.one_of(0, SIDES, "left")
        return TurnedBore(side, c.length(1), c.length(2, 0.0), c.text(3, 8), c.text(4, 20), c.length(5, 0.0))

    return rows(text, "bores", show, read)


def further_text(end: TubeEnd, show: Show) -> str:
    """A further tube a line: angle; size; beside; turn; how far in; the side it goes to."""
    return "\n".join(
        joined(
            f"{o.angle_deg:g}",
            show.entered_exact(o.onto_mm),
            show.entered_exact(o.offset_mm),
            f"{o.turn_deg:g}",
            show.entered_exact(o.shift_mm),
            o.half,
        )
        for o in end.also
    )


def further_from(text: str, field: str, show: Show) -> tuple[FurtherCut, ...]:
    """The further tubes that a field says."""

    def read(c: Cells) -> FurtherCut:
        half = c.one_of(5, HALVES, "")
        return FurtherCut(c.number(0, 90.0), c.length(1), c.length(2, 0.0), c.number(3, 0.0), c.length(4, 0.0), half)

    return rows(text, field, show, read)


def end_from(act: Act, which: str, now: TubeEnd) -> TubeEnd:
    """How an end is cut, by its fields."""
    form, show, further = act.form, act.desk.show, f"{which}_also"
    return TubeEnd(
        form.choice(f"{which}_cut", CUTS, "square"),
        form.angle(f"{which}_angle", 90.0, now.angle_deg),
        form.length(f"{which}_onto", 0.0, now.onto_mm),
        form.length(f"{which}_offset", 0.0, now.offset_mm),
        form.angle(f"{which}_turn", 0.0, now.turn_deg),
        form.length(f"{which}_gap", 0.0, now.gap_mm),
        kept(act.text(further), further_text(now, show), now.also, lambda t: further_from(t, further, show)),
    )
