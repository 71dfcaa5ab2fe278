"""What is wrong with a stand: plates in each other, no order of putting together, plates that go in wrong."""

from __future__ import annotations

import math

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.quantities import Quantity, Unit, Words, capitalised, mm, plain, words
from elmpeg.core.base.verdicts import Verdict
from elmpeg.core.build.stands import Stand
from elmpeg.core.judging.checks import Check, Findings, Remedy, about
from elmpeg.core.methods.stands.assembly_order import AssemblyOrder, Item, StandFixing, StandPlate, assembly_order, overlapping, tool_hole
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.stand_shape import StandState, WrongFit, joints_of, stand_items, wrong_fits

OVERLAPS_MM3 = 1.0


def _check(stand: Stand, what: str, called: str, verdict: Verdict, why: Words, unit: Unit = "mm", **more: object) -> Check:
    code = f"stand.{stand.id}.{what}"
    return Check(code, "stand", f"{stand.name}: {called}", unit, verdict, why, about=about(stands=stand.id), **more)  # type: ignore[arg-type]


def stand_findings(scene: Scene, stand: Stand) -> Findings:
    """Every check of a stand."""
    if len(stand.parts) < 2:
        said = "It has fewer than two plates yet."
        return Findings((_check(stand, "order", "order of assembly", "unknown", words(said)),), StandState(stand.id, trouble=said))
    try:
        items = stand_items(scene, stand)
        joints, halvings = joints_of(scene, stand)
    except (InputError, MissingError) as refused:
        said = capitalised(f"{refused.message if isinstance(refused, InputError) else refused}.")
        return Findings((_check(stand, "order", "order of assembly", "unknown", words(plain(said))),), StandState(stand.id, trouble=said))
    plates = [i for i in items if isinstance(i, StandPlate)]
    overlaps = overlapping(plates, OVERLAPS_MM3)
    order = assembly_order(items)
    wrong = wrong_fits(scene, stand, joints, halvings) if stand.joints or halvings else ()
    state = StandState(stand.id, items, joints, halvings, order, wrong, overlaps)
    return Findings((*_overlaps(stand, items, overlaps), *_order(stand, items, order), *_wrong(stand, items, wrong)), state)


def _name(items: tuple[Item, ...], item_id: str) -> str:
    return plain(next((i.name for i in items if i.id == item_id), item_id))


def _overlaps(stand: Stand, items: tuple[Item, ...], overlaps: tuple[tuple[str, str], ...]) -> list[Check]:
    if not overlaps:
        return []
    a, b = overlaps[0]
    why = words(f"{_name(items, a)} and {_name(items, b)} lie in each other.")
    mend = (Remedy(words("Give them tabs, slots or halvings, or move one of them.")),)
    return [_check(stand, "fits", "plates fit", "fails", why, remedies=mend)]


def _order(stand: Stand, items: tuple[Item, ...], order: AssemblyOrder) -> list[Check]:
    if order.exists:
        one = " There is no other." if order.only_one and len(items) > 2 else ""
        names = ", ".join(_name(items, s.item) for s in order.steps)
        return [_check(stand, "order", "order of assembly", "holds", words(f"It goes together: {names}.{one}"))]
    worst = min(order.held, key=lambda h: (not h.tool_only, len(h.by)))
    by = ", ".join(_name(items, b) for b in worst.by)
    if worst.tool_only:
        why = words(f"The tool does not reach {_name(items, worst.item)} past {by}.")
        return [_check(stand, "order", "order of assembly", "fails", why, remedies=tool_holes(items, order))]
    held = ", ".join(_name(items, h.item) for h in order.held)
    why = words(f"It cannot be put together: {held} hold each other. {_name(items, worst.item)} is held least, by {by}.")
    mend = (Remedy(words(f"Open a slot of {by} to the edge, or make {_name(items, worst.item)} of two.")),)
    return [_check(stand, "order", "order of assembly", "fails", why, remedies=mend)]


def tool_holes(items: tuple[Item, ...], order: AssemblyOrder) -> tuple[Remedy, ...]:
    """A hole for every tool that does not get past a plate; nothing where something else is in a tool's way."""
    known = {i.id: i for i in items}
    said: list[str] = []
    figures: list[Quantity] = []
    for held in order.held:
        for by in held.by if held.tool_only else ():
            bolt, plate = known[held.item], known[by]
            hole = tool_hole(bolt, plate) if isinstance(plate, StandPlate) and isinstance(bolt, StandFixing) else None
            if hole is None:
                return ()
            said.append(f"of {{{len(figures)}}} in {_name(items, by)} for {_name(items, held.item)}")
            figures.append(mm(math.ceil(hole[1])))
    some = "Cut a hole" if len(said) == 1 else "Cut holes"
    return (Remedy(words(f"{some} {' and '.join(said)}.", *figures)),) if said else ()


def _wrong(stand: Stand, items: tuple[Item, ...], wrong: tuple[WrongFit, ...]) -> list[Check]:
    if not stand.joints:
        return []
    if not wrong:
        return [_check(stand, "one_way", "one way in", "holds", words("Each plate goes into its own place in one way only."))]
    first = wrong[0]
    why = said_wrong(first, {i.id: i.name for i in items})
    return [_check(stand, "one_way", "one way in", "near", why, remedies=(Remedy(_mended(first)),))]


def said_wrong(fit: WrongFit, names: dict[str, str]) -> Words:
    """How a plate goes in wrong, in words; ``names`` are those of the stand's plates."""

    def name(part: str) -> str:
        return plain(names.get(part, part))

    near = "goes in" if fit.short_mm <= 0 else "goes in but for {0}"
    how = ", ".join(h for h in (fit.turn, f"in the place of {name(fit.place)}" if fit.place else "") if h)
    swapped = f", its tabs for {name(fit.swaps[0][0])} in {name(fit.swaps[0][1])}" if fit.swaps and not fit.place else ""
    shown = f" It shows when {name(fit.shown_by)} does not go in." if fit.shown_by else ""
    return words(f"{name(fit.part)} {near} {how}{swapped}.{shown}", *([] if fit.short_mm <= 0 else [mm(fit.short_mm)]))


def _mended(fit: WrongFit) -> Words:
    if fit.change is None:
        return words("No tab can be changed so that it stops; give it one more, or mark which way it goes.")
    tab, wider_mm = fit.change.tab, fit.change.wider_mm
    then = "does not go in there" if fit.place else "goes in one way only" if fit.change.only else "does not go in so"
    if wider_mm:
        return words(f"Make its tab {tab}, with its slot, {{0}} wider: then it {then}.", mm(wider_mm))
    return words(f"Move its tab {tab}, with its slot, {{0}} along: then it {then}.", mm(abs(fit.change.along_mm)))
