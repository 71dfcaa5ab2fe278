"""Mounts: each as a section through its bolt, what fills its gap, and what is wrong with how it holds."""

from __future__ import annotations

from dataclasses import dataclass
from typing import get_args

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response
from markupsafe import Markup

from elmpeg.core.advice import stack_choice
from elmpeg.core.advice.stack_choice import LEANINGS, Effect, Leaning, ShelfStack, Taper, taper_for
from elmpeg.core.base.errors import InputError
from elmpeg.core.base.verdicts import Verdict, gravity_of, worst
from elmpeg.core.build.document import Build
from elmpeg.core.build.hardware import Around, BoltEnd, Boxed, Bush, Fastener, Hanger, Hold, Layer, Material, Side
from elmpeg.core.build.mounts import Mount, MountStack
from elmpeg.core.build.options import stack_of
from elmpeg.core.build.survey import VEHICLE, Point
from elmpeg.core.evaluation.kept_findings import worst_first
from elmpeg.core.judging.checks import Check
from elmpeg.core.judging.in_short import in_short
from elmpeg.core.methods.fastening.bolt_length import Parent
from elmpeg.core.methods.fastening.fasteners import NAMES, STANDARDS, HeadKind
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.mount import mount_edits, shelf, stack_edits
from elmpeg.core.stages.mount.bolt_section import Section
from elmpeg.core.stages.mount.mount_checks import MountState
from elmpeg.core.stages.mount.mount_edits import Made, TapedCoordinate, TapedSeat
from elmpeg.core.stages.mount.mount_section import section_of, unsaid
from elmpeg.core.stages.mount.shelf import StockItem, bolt_lengths_mm
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import BuildPage, build_page, chosen_option
from elmpeg.web.desk import Desk, now
from elmpeg.web.drawing.joint import joint_drawing, printed_scale
from elmpeg.web.forms import Form
from elmpeg.web.outcome import Outcome
from elmpeg.web.remedies import tried
from elmpeg.web.security import ReadDesk

router = APIRouter()
HOLDS: dict[Hold, str] = {
    "direct": "face to face",
    "spacers": "through spacers",
    "bush": "on a rubber bush",
    "bracket": "by a bracket or plate",
    "hanger": "hung",
    "boxed": "through a boxed rail",
    "tapped": "into a tapped hole",
    "weld_nut": "into a welded nut",
}
OF_A_BOLT = ("length", "grade", "thread_depth")
HALF_SAID: tuple[tuple[Hold, tuple[str, ...], str], ...] = (
    ("bush", ("bush_name", "loaded", "bush_width", "squash", "shear"), "free"),
    ("boxed", ("wall", "sleeve", "sleeve_wide"), "depth"),
    ("hanger", ("caught_by",), ""),
)
"""What is told of one way of holding only, and the figure that keeps it where the mount is held another way."""
ENDS: tuple[BoltEnd, ...] = get_args(BoltEnd)
HEADS: tuple[HeadKind, ...] = get_args(HeadKind)
PARENTS: dict[Parent, str] = {"steel": "steel", "cast_iron": "cast iron", "aluminium": "aluminium"}
MATERIALS: tuple[Material, ...] = get_args(Material)
TAPER_OVER_MM = 50.0
NEW_SEAT = "+"
"""Stands for a seat that is made with its mount."""
USUAL_BOLT_MM = 12.0
USUAL_TOLERANCE_MM = 0.2
"""How far a layer may be off where nobody has said."""
KEPT_OFFERS = 60
TABS = (
    ("mounts", "mounts", "Mounts"),
    ("holes", "reuse", "Existing holes"),
    ("patterns", "patterns", "Patterns"),
    ("plates", "plates", "Plates"),
    ("chains", "chains", "Chains"),
)


@dataclass(frozen=True, slots=True)
class MountRow:
    """One mount with its checks, gravest first."""

    mount: Mount
    state: MountState | None
    checks: tuple[Check, ...]
    verdict: Verdict
    stack: MountStack | None

    @property
    def says(self) -> str:
        """What is wrong with it in three words; empty where nothing is."""
        return in_short(self.checks[0]) if self.checks and self.verdict != "holds" else ""

    @property
    def figure(self) -> Check | None:
        """The check whose figure tells how it stands: the one it fails by; none where its gap tells that."""
        first = self.checks[0] if self.checks and self.verdict != "holds" else None
        return first if first is not None and first.family != "gap" else None

    def of(self, kind: str) -> Check | None:
        """The check of one kind, such as ``gap``."""
        return next((c for c in self.checks if c.family == kind), None)


@dataclass(frozen=True, slots=True)
class Offered:
    """A stack on offer, with what it does to the whole part once that has settled on it."""

    stack: ShelfStack
    effect: Effect | None

    @property
    def pieces(self) -> str:
        """The pieces as the form sends them."""
        return ",".join(f"{p.stock}:{p.count}" for p in self.stack.pieces)


def rows_of(at: BuildPage) -> list[MountRow]:
    """All mounts, those that need attention first."""
    states = {m.mount.id: m for m in at.evaluation.of(MountState)}
    own: dict[str, list[Check]] = {}
    for check in at.evaluation.checks:
        for mount_id in check.ids("mounts"):
            own.setdefault(mount_id, []).append(check)
    rows = []
    for mount in at.build.mounts:
        checks = worst_first(own.get(mount.id, []))
        rows.append(MountRow(mount, states.get(mount.id), checks, worst(tuple(c.verdict for c in checks)), stack_of(at.option, mount.id)))
    return sorted(rows, key=lambda r: (gravity_of(r.verdict), r.mount.id))


def joint_of(at: BuildPage, row: MountRow) -> Section | None:
    """The section of a mount, None where it is not told whole or not measured well enough."""
    if row.mount.fastener is None or row.state is None or unsaid(row.mount):
        return None
    try:
        return section_of(Scene(at.build, at.option), row.mount, row.mount.fastener, row.state)
    except InputError:
        return None


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """The Mounts page as it stands."""
    at = build_page(desk, build_id, "Mount", outcome)
    rows = rows_of(at)
    wanted = (outcome.opens if outcome else "") or desk.text("mount")
    chosen = next((r for r in rows if r.mount.id == wanted), rows[0] if rows else None)
    leans: Leaning = next((k for k in LEANINGS if k == desk.text("leaning")), "fewest")
    joint = joint_of(at, chosen) if chosen else None
    stock = desk.shop.shelf.items_for(build_id)
    return desk.render(
        "mount/mounts.html",
        outcome,
        page=at,
        rows=rows,
        gaps=[(r.state.geometry.gap_mm, r.state.gap_sd_mm, None) for r in rows if r.state],
        chosen=chosen,
        joint=joint,
        drawing=joint_drawing(joint, desk.show, chosen.mount.name) if joint and chosen else None,
        offered=_offered(desk, at, chosen, stock, leans) if chosen else [],
        between_plate=at.build.piece(chosen.mount.plate) if chosen and chosen.mount.plate else None,
        gap_unsure=bool(chosen and chosen.state and chosen.state.gap_sd_mm > stack_choice.SURE_TO_CUT_MM),
        twin=stack_choice.twin_of(at.evaluation, at.build, chosen.mount.id) if chosen else None,
        taper=_taper(at, chosen) if chosen else None,
        fitting=shelf.left_for(at.build, at.option.id, chosen.mount.id, stock) if chosen else (),
        on_shelf=bolt_lengths_mm(stock, joint.thread.name) if joint else (),
        held=[h for h in desk.shop.shelf.held(build_id) if chosen and h.mount == chosen.mount.id],
        short=_short(chosen, stock) if chosen else [],
        leans=leans,
        leanings=LEANINGS,
        tab="mounts",
        tabs=TABS,
        holds=HOLDS,
        ends=ENDS,
        heads=HEADS,
        parents=PARENTS,
        materials=MATERIALS,
        threads=NAMES,
        standards=STANDARDS,
        component_points=_free_first(at.build),
        adding=desk.text("new"),
        new_seat=NEW_SEAT,
        usual_bolt=USUAL_BOLT_MM,
        vehicle_points=[p for p in at.build.points if p.on == VEHICLE and p.kind != "wheel"],
    )


def _free_first(build: Build) -> list[Point]:
    """The parts' points, holes that no mount uses yet first."""
    used = {m.component_point for m in build.mounts}
    return sorted((p for p in build.points if p.on != VEHICLE), key=lambda p: (p.id in used, p.kind != "hole"))


def _offered(desk: Desk, at: BuildPage, row: MountRow, stock: tuple[StockItem, ...], leans: Leaning) -> list[Offered]:
    """What the shelf has for a mount; each costs a whole evaluation of the part settled on it, so it is kept while nothing changes."""
    kept, key = desk.shop.offers, (at.build.id, at.option.id, row.mount.id, leans)
    known = kept.get(key)
    if known is None or known[0] is not at.evaluation or known[1] != stock:
        kept[key] = known = (at.evaluation, stock, _worked_out(at, row, stock, leans))
        while len(kept) > KEPT_OFFERS:
            kept.pop(next(iter(kept)), None)
    return list(known[2])


def _worked_out(at: BuildPage, row: MountRow, stock: tuple[StockItem, ...], leans: Leaning) -> list[Offered]:
    stacks = stack_choice.leaning_stacks(at.build, at.evaluation, row.mount.id, stock, leans)
    # What fills comes before what is too thick, which no bolt can draw down.
    stacks = tuple(sorted(stacks, key=lambda s: (not s.within, s.option.fit == "proud")))
    return [Offered(s, stack_choice.effect_of(at.build, at.evaluation, row.mount.id, s.option.total_mm)) for s in stacks]


def _taper(at: BuildPage, row: MountRow) -> Taper | None:
    if row.state is None or row.state.geometry.tilt_deg <= at.build.limits.mount_tilt_deg or row.state.geometry.gap_mm <= 0:
        return None
    return taper_for(row.state.geometry.gap_mm, row.state.geometry.tilt_deg, TAPER_OVER_MM)


def _short(row: MountRow, stock: tuple[StockItem, ...]) -> list[str]:
    """Pieces in this mount of which the shelf has too few for this build, and how many there are."""
    there = {i.id: i.qty for i in stock}
    return (
        [f"{p.name}, {there.get(p.stock, 0)} of {p.count}" for p in row.stack.pieces if there.get(p.stock, 0) < p.count]
        if row.stack
        else []
    )


@router.get("/builds/{build_id}/mounts", name="mounts")
def show(build_id: str, desk: ReadDesk) -> Response:
    """The Mounts page."""
    return page(desk, build_id)


@router.get("/builds/{build_id}/mounts/print", name="joint_print")
def joint_print(build_id: str, desk: ReadDesk) -> Response:
    """One joint on a sheet of its own, to a scale that is written on it."""
    at = build_page(desk, build_id, "Mount")
    row = next((r for r in rows_of(at) if r.mount.id == desk.text("mount")), None)
    joint = joint_of(at, row) if row else None
    if row is None or joint is None:
        return page(desk, build_id, Outcome(errors=InputError("joint", "say first what this mount is made of").errors))
    scale = printed_scale(joint)
    drawing: Markup = joint_drawing(joint, desk.show, row.mount.name, scale * 96 / 25.4)
    by = desk.paper(row.mount.name, build_id, at.option.id).by
    return desk.render(
        "mount/joint_print.html", None, page=at, row=row, joint=joint, drawing=drawing, scale=scale, holds=HOLDS, printed_by=by
    )


# Stacks


@router.post("/builds/{build_id}/mounts/stack", name="use_stack")
@answers(page)
def use_stack(act: Act) -> Outcome | Response:
    """Use a stack at a mount, letting the part settle on it where that is asked for, or take it out."""
    desk, form = act.desk, act.form
    option_id, mount_id = desk.text("option"), desk.text("mount")
    stock = desk.shop.shelf.items_for(act.build_id)
    wanted = _wanted(desk.text("pieces"))
    settle = form.tick("settle") and bool(wanted)

    def edit(build: Build) -> Build:
        pieces = shelf.pieces_from(build, option_id, mount_id, stock, wanted) if wanted else ()
        if settle:
            return stack_choice.with_stack_settled(build, option_id, mount_id, pieces)
        return stack_edits.with_stack(build, option_id, mount_id, pieces)

    def words(build: Build) -> str:
        place = f"{build.mount(mount_id).name} in “{build.option(option_id).name}”"
        if not wanted:
            return f"Took the stack out at {place}"
        names = {i.id: i.name for i in stock}
        settled = ", and let the part settle on it" if settle else ""
        return f"Used {', '.join(f'{n} × {names.get(k, k)}' for k, n in wanted.items())} at {place}{settled}"

    return act.change(words, edit)


def _wanted(text: str) -> dict[str, int]:
    """“plate-4:1,washer-25:2” as counts by stock id."""
    wanted: dict[str, int] = {}
    for part in filter(None, text.split(",")):
        stock_id, _, count = part.rpartition(":")
        if not stock_id or not count.isdigit():
            raise InputError("stack", "was not understood; choose one from the list")
        wanted[stock_id] = int(count)
    return wanted


@router.post("/builds/{build_id}/mounts/reserve", name="reserve_stack")
@answers(page)
def reserve_stack(act: Act) -> Outcome | Response:
    """Reserve on the shelf what an option's stack at a mount is made of."""
    desk = act.desk
    option_id, mount_id = desk.text("option"), desk.text("mount")
    build = act.build
    place = f"{build.mount(mount_id).name} in “{build.option(option_id).name}”"
    if stack_of(build.option(option_id), mount_id) is None:
        return Outcome(errors=InputError("stack", "is not there any more; choose one first").errors)
    outcome = act.change(f"Reserved the stack at {place}", lambda b: stack_edits.with_reserved(b, option_id, mount_id))
    if outcome.saved and not outcome.notice:
        outcome.notice = "Reserved on the shelf; it is given back when the stack goes."
    return outcome


# What a mount is made of


@router.post("/builds/{build_id}/mounts/new", name="new_mount")
@answers(page)
def new_mount(act: Act) -> Outcome | Response:
    """Add a mount between a component's point and a seat."""
    form, foot, seat = act.form, act.text("component_point"), act.text("seat_point")
    bolt = form.length("bolt")
    hold = form.choice("hold", HOLDS, "spacers")
    option_id = chosen_option(act.build, act.text("option")).id
    name = act.text("name").strip() or _usual_name(act.build, foot)
    taped = _taped_seat(act) if seat == NEW_SEAT else None

    def edit(build: Build) -> Build:
        made, seat_id = mount_edits.with_seat(build, option_id, foot, taped) if taped else (build, seat)
        return mount_edits.with_mount(made, name, foot, seat_id, bolt, 1.0, hold, short_id=not act.form.given("name"))

    outcome = act.change(f"Added the mount {name}", edit)
    if outcome.saved is not None:
        outcome.opens = outcome.saved.head.build.mounts[-1].id
    return outcome


def _usual_name(build: Build, foot: str) -> str:
    """What a mount is called where nobody says: as its part's point."""
    point = next((p for p in build.points if p.id == foot and p.on != VEHICLE), None)
    return point.name if point else "mount"


def _taped_seat(act: Act) -> TapedSeat:
    form, show = act.form, act.desk.show
    taped = []
    for axis in "xyz":
        field = f"seat_{axis}"
        said = TapedCoordinate(form.text(field), form.length(field), show.length_unit) if form.given(field) else None
        taped.append(said)
    if taped[2] is None:
        form.refuse("seat_z", "is empty; a seat's height is what the gap is worked out from")
    return TapedSeat((taped[0], taped[1], taped[2]), form.length_or_none("seat_hole"), act.desk.person.name, now())


@router.post("/builds/{build_id}/mounts/remove", name="remove_mount")
@answers(page)
def remove_mount(act: Act) -> Outcome:
    """Take a mount out, and its stacks with it."""
    mount = act.build.mount(act.text("mount"))
    return act.change(f"Took the mount {mount.name} out", lambda b: mount_edits.without_mount(b, mount.id))


@router.post("/builds/{build_id}/mounts/made", name="mount_made")
@answers(page)
def mount_made(act: Act) -> Outcome | Response:
    """Say what a mount is made of: how it holds, its bolt, what stands around it."""
    desk = act.desk
    mount = act.build.mount(desk.text("mount"))
    made = made_from(desk, act.form, mount)
    outcome = act.change(f"Said what {mount.name} is made of", lambda b: mount_edits.with_made(b, mount.id, made))
    return outcome


def made_from(desk: Desk, form: Form, mount: Mount) -> Made:
    """What the form says of what a mount is made of; a figure that stands there as it was shown is what it was."""
    bolt, stands, rubber, rail = mount.fastener, mount.around, mount.bush, mount.boxed

    def given(field: str, now: float | None = None) -> float:
        return form.length(field, 0.0, now)

    length = form.length_or_none
    hold = form.choice("hold", HOLDS, "spacers")
    fastener = None
    if bolt is None and not form.given("thread") and any(form.given(field) for field in OF_A_BOLT):
        form.refuse("thread", "is empty, and something is said of the bolt; write its thread, or empty the rest")
    for way, fields, least in HALF_SAID:
        if hold != way and any(form.given(field) for field in fields) and not (least and form.given(least)):
            form.refuse("hold", f"leaves out what is half typed for “{HOLDS[way]}”; choose that to finish it or to empty its fields")
    if desk.text("thread").strip():
        fastener = Fastener(
            thread=desk.text("thread").strip(),
            head=form.choice("head", HEADS, "hex"),
            length_mm=length("length", bolt.length_mm if bolt else None),
            head_washer_mm=given("head_washer", bolt.head_washer_mm if bolt else None),
            nut_washer_mm=given("nut_washer", bolt.nut_washer_mm if bolt else None),
            end=form.choice("end", ENDS, "nut"),
            thread_depth_mm=length("thread_depth", bolt.thread_depth_mm if bolt else None),
            parent=form.choice("parent", PARENTS, "steel"),
            blind=form.tick("blind"),
            grade=form.text("grade", 40),
            structural=form.tick("structural"),
            single_use=form.tick("single_use"),
            new_fitted=form.tick("new_fitted"),
            mock_up=form.tick("mock_up"),
        )
    around = Around(
        length("head_wall", stands.head_wall_mm if stands else None),
        length("nut_wall", stands.nut_wall_mm if stands else None),
        length("head_room", stands.head_room_mm if stands else None),
        length("nut_room", stands.nut_room_mm if stands else None),
    )
    bush = None
    if hold == "bush" or desk.text("free").strip():
        bush = Bush(
            desk.text("bush_name") or "rubber bush",
            given("free", rubber.free_mm if rubber else None),
            given("loaded", rubber.loaded_mm if rubber else None),
            given("bush_width", rubber.width_mm if rubber else None),
            given("squash", rubber.most_squash_mm if rubber else None),
            given("shear", rubber.most_shear_mm if rubber else None),
        )
    boxed = (
        Boxed(
            given("depth", rail.depth_mm if rail else None),
            given("wall", rail.wall_mm if rail else None),
            length("sleeve", rail.sleeve_mm if rail else None),
            given("sleeve_wide", rail.sleeve_wide_mm if rail else None),
        )
        if hold == "boxed" or desk.text("depth").strip()
        else None
    )
    hanger = Hanger(form.choice("by", ("studs", "bolts"), "bolts"), form.text("caught_by", 80)) if hold == "hanger" else None
    empty = around == Around()
    return Made(hold, given("tolerance", mount.tolerance_mm), fastener, None if empty else around, bush, boxed, hanger, desk.text("plate"))


@router.post("/builds/{build_id}/mounts/layer", name="mount_layer")
@answers(page)
def mount_layer(act: Act) -> Outcome | Response:
    """Add or change a layer that the bolt goes through, or take one out."""
    desk, form = act.desk, act.form
    mount = act.build.mount(desk.text("mount"))
    layer_id = desk.text("layer")
    if desk.text("do") == "remove":
        return act.change(f"Took a layer out of {mount.name}", lambda b: mount_edits.without_layer(b, mount.id, layer_id))
    was = next((x for x in mount.layers if x.id == layer_id), None)
    off = form.length("layer_off", USUAL_TOLERANCE_MM, was.plus_mm if was else None)
    layer = Layer(
        layer_id,
        desk.text("layer_name"),
        form.length("layer_mm", now=was.mm if was else None),
        form.choice("side", get_args(Side), "foot"),
        form.choice("material", MATERIALS, "steel"),
        form.length_or_none("layer_edge", was.edge_mm if was else None),
        form.length_or_none("layer_wall", was.wall_mm if was else None),
        off,
        off,
    )
    outcome = act.change(f"{layer.name} in {mount.name}", lambda b: mount_edits.with_layer(b, mount.id, layer))
    return outcome


@router.post("/builds/{build_id}/mounts/remedy", name="mount_remedy")
@answers(page)
def try_remedy(act: Act) -> Outcome:
    """What would mend a check, tried."""
    return tried(act)
