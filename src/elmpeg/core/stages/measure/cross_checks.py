"""Cross-checks: what was measured held against itself, so that a wrong figure shows before metal is cut."""

from __future__ import annotations

import math

import numpy as np

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.memo import Memo
from elmpeg.core.base.quantities import Words, mm, named, words
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, norm
from elmpeg.core.base.verdicts import Verdict, outside, verdict_within
from elmpeg.core.build.document import Build
from elmpeg.core.build.survey import VEHICLE, FrameBay, Pair, Point, Span
from elmpeg.core.judging.checks import Check, Input, Remedy, about
from elmpeg.core.judging.doubt import Also, Nudged, caveat, doubt_of
from elmpeg.core.judging.judge import ONE_SPREAD, with_verdict
from elmpeg.core.judging.scatter import Scatter, Size
from elmpeg.core.methods.measuring.rigid_fit import PointPair, rigid_fit, suspicion
from elmpeg.core.methods.measuring.tape_network import NetworkFit, Node, Strut, network_fit
from elmpeg.core.methods.measuring.typed_figures import MM_PER_INCH
from elmpeg.core.scene.located_points import SURVEY_READS
from elmpeg.core.scene.scene import Scene, root_of
from elmpeg.core.stages.measure.unit_slips import Box3, beyond, reach_of

CONTRADICTS_SD = 3.0
LEAST_SD_MM = 0.05
"""Nobody reads a tape or a caliper better than this."""
INCH = float(MM_PER_INCH)
NEVER_MM = 1e-9
_far_points: Memo[dict[str, Check]] = Memo("points far outside", (*SURVEY_READS, "components", "solids", "wheels"), 64)


def measured_checks(scene: Scene) -> tuple[Check, ...]:
    """What was measured held against itself; none of it hangs on where an option puts a part."""
    return (
        *(_square(scene, bay) for bay in scene.build.bays),
        *(_mirror(scene, pair) for pair in scene.build.pairs),
        *_spans(scene),
        *_bench(scene),
        *_same_names(scene.build),
    )


def _check(code: str, family: str, name: str, verdict: Verdict, why: Words, points: tuple[str, ...], **more: object) -> Check:
    return Check(code=code, family=family, name=name, unit="mm", verdict=verdict, why=why, about=about(points=points), **more)  # type: ignore[arg-type]


def _against_itself(
    scatter: Scatter, code: str, family: str, name: str, why: Words, points: tuple[str, ...], value: float, high: float, **more: object
) -> Check:
    """A check whose limit is made of its own doubt."""
    return with_verdict(_check(code, family, name, "holds", why, points, value=value, high=high, **more), scatter, ONE_SPREAD)


# Square: the diagonals of a bay


def _square(scene: Scene, bay: FrameBay) -> Check:
    a, b, c, d = bay.corners
    spans = {pair: _spans_between(scene.build, *pair) for pair in ((a, c), (b, d))}
    taped = {pair: _mean(scene.build, some) for pair, some in spans.items() if some}

    def diagonals(at: Scene) -> tuple[tuple[float, ...]]:
        first, second = (taped[p][0] if p in taped else math.dist(at.xyz(p[0]), at.xyz(p[1])) for p in ((a, c), (b, d)))
        return ((first - second,),)

    base = diagonals(scene)
    apart = base[0][0]
    by_points = tuple(dict.fromkeys(p for pair in ((a, c), (b, d)) if pair not in taped for p in pair))
    nudged = Nudged(scene, by_points)
    labels = tuple(("tape", tuple(s.id for s in spans[pair])) for pair in taped)
    tapes = Also("the tapes of the diagonals", labels, np.array([[sd] for _, sd in taped.values()]).reshape(len(taped), 1))
    doubt = nudged.doubt(base, [diagonals(twin) for twin in nudged.twins], (tapes,) if taped else ())
    first, second = (taped[p][0] if p in taped else math.dist(scene.xyz(p[0]), scene.xyz(p[1])) for p in ((a, c), (b, d)))
    sides = (_side(scene, a, b) + _side(scene, c, d), _side(scene, b, c) + _side(scene, d, a))
    skew = abs(first**2 - second**2) / (2 * max(*sides, NEVER_MM))
    limit, value = scene.build.limits.square_mm, abs(apart)
    how = {0: "both from coordinates", 1: "one taped, one from coordinates", 2: "both taped"}[len(taped)]
    longer = (a, c) if apart > 0 else (b, d)
    names = " to ".join(named(scene.declared(p).name) for p in longer)
    why = words(
        f"Diagonals {{0}} and {{1}}, {how}: {{2}} apart, so the bay is {{3}} out of square along its longer side; {names} is the longer."
        + caveat(doubt.shares[0]),
        mm(first),
        mm(second),
        mm(value, doubt.sds[0], doubt.scatters[0].at_most),
        mm(skew),
    )
    check = _check(
        f"square.{bay.id}",
        "square",
        f"{bay.name}: diagonals",
        "holds",
        why,
        bay.corners,
        value=value,
        high=limit,
        rests_on=doubt.shares[0],
        inputs=(Input("first diagonal", mm(first)), Input("second diagonal", mm(second)), Input("out of square", mm(skew))),
        formula="difference of the diagonals; out of square by the difference of their squares over four times the longer side",
    )
    return with_verdict(check, doubt.scatters[0], scene.build.limits.sure)


def _side(scene: Scene, a: str, b: str) -> float:
    return math.dist(scene.xyz(a), scene.xyz(b))


def _spans_between(build: Build, a: str, b: str) -> tuple[Span, ...]:
    return tuple(sorted((s for s in build.spans if not s.dropped and {s.a, s.b} == {a, b}), key=lambda s: s.id))


def _mean(build: Build, spans: tuple[Span, ...]) -> tuple[float, float]:
    weights = [1 / max(build.tool_sd_mm(s.tool), LEAST_SD_MM) ** 2 for s in spans]
    return sum(w * s.value_mm for w, s in zip(weights, spans, strict=True)) / sum(weights), math.sqrt(1 / sum(weights))


# Mirror: left against right


def mirror_difference(left_mm: Vec3, right_mm: Vec3) -> Vec3:
    """How far the right point lies from the left one's mirror image: back, further out, up."""
    return (right_mm[0] - left_mm[0], right_mm[1] + left_mm[1], right_mm[2] - left_mm[2])


def _mirror(scene: Scene, pair: Pair) -> Check:
    def apart(at: Scene) -> tuple[Vec3]:
        return (mirror_difference(at.local(pair.left), at.local(pair.right)),)

    base = apart(scene)
    doubt = doubt_of(scene, (pair.left, pair.right), apart, base)
    x, y, z = base[0]
    value = norm(base[0])
    left, right = scene.declared(pair.left), scene.declared(pair.right)
    ways = (
        (x, "further back" if x > 0 else "further forward"),
        (y, "further from the middle" if y > 0 else "nearer the middle"),
        (z, "higher" if z > 0 else "lower"),
    )
    seen = [(abs(v), word) for v, word in ways if abs(v) >= LEAST_SD_MM]
    parts = ", ".join(f"{{{k}}} {word}" for k, (_, word) in enumerate(seen)) or "in the same place"
    limit = scene.build.limits.mirror_mm
    check = _check(
        f"mirror.{pair.id}",
        "mirror",
        f"{left.name} and {right.name}: sides differ by",
        "holds",
        words(
            f"Mirrored across the middle, {named(right.name)} lies {parts} than {named(left.name)}. Left is not right here; make each side to its own figures."
            + caveat(doubt.shares[0])
            if outside(value, None, limit)
            else f"Mirrored across the middle, {named(right.name)} lies {parts} than {named(left.name)}." + caveat(doubt.shares[0]),
            *(mm(v) for v, _ in seen),
        ),
        (pair.left, pair.right),
        value=value,
        high=limit,
        rests_on=doubt.shares[0],
        inputs=(Input("back", mm(x)), Input("further out", mm(y)), Input("up", mm(z))),
        formula="distance between the right point and the left point's mirror image",
    )
    return with_verdict(check, doubt.scatters[0], scene.build.limits.sure)


# Spans: tapes from point to point against the coordinates


@record
class SpanFit:
    """All tapes between points held against the coordinates."""

    spans: tuple[Span, ...]
    fit: NetworkFit


def span_fit(scene: Scene) -> SpanFit:
    """The network of all tapes that count."""
    spans = tuple(sorted((s for s in scene.build.spans if not s.dropped), key=lambda s: s.id))
    names = tuple(dict.fromkeys(p for s in spans for p in (s.a, s.b)))
    nodes = tuple(Node(p, scene.xyz(p), scene.located(p).among_sd_mm) for p in names)
    struts = tuple(Strut(s.id, s.a, s.b, s.value_mm, max(scene.build.tool_sd_mm(s.tool), LEAST_SD_MM)) for s in spans)
    return SpanFit(spans, network_fit(nodes, struts))


def _spans(scene: Scene) -> list[Check]:
    found = span_fit(scene)
    checks = []
    for span, left in zip(found.spans, found.fit.residuals, strict=True):
        a, b = scene.declared(span.a), scene.declared(span.b)
        allowed, off = CONTRADICTS_SD * left.sd_mm, abs(left.mm)
        scatter = Size((left.mm,), np.array([[left.sd_mm]]))
        verdict = verdict_within(off, None, allowed)
        text = "The tape “{t}” says {{0}}, the coordinates {{1}}: {{2}} {w}.".format(
            t=span.text.replace("{", "(").replace("}", ")"), w="too long" if left.mm > 0 else "too short"
        )
        remedies: tuple[Remedy, ...] = ()
        if verdict == "fails":
            words_, remedies = _blame(scene, found, span, left.mm, left.sd_mm)
            text += words_
        checks.append(
            _against_itself(
                scatter,
                f"span.{span.id}",
                "span",
                f"Tape, {a.name} to {b.name}",
                words(text, mm(span.value_mm), mm(span.value_mm - left.mm), mm(off, scatter.sd, scatter.at_most)),
                (span.a, span.b),
                off,
                allowed,
                remedies=remedies,
                inputs=(Input(f"{span.person}, “{span.text}”", mm(span.value_mm)), Input("from coordinates", mm(span.value_mm - left.mm))),
                formula="tape less distance between the points; both may differ by three standard deviations",
            )
        )
    return checks


def _blame(scene: Scene, found: SpanFit, span: Span, off_mm: float, sd_mm: float) -> tuple[str, tuple[Remedy, ...]]:
    """Who is probably wrong: this tape, another, or one of the points; and whether it is just an inch."""
    fit = found.fit
    inch = " That is an inch: look at the mark it was read from." if abs(abs(off_mm) - INCH) < CONTRADICTS_SD * sd_mm else ""
    if fit.suspect_strut == span.id:
        count = len(found.spans) - 1
        return f" This tape is the wrong one: the other {count} agree with the coordinates.{inch}", (Remedy(words("Tape it again.")),)
    if fit.suspect_strut is not None:
        return " Another tape is the likelier mistake.", ()
    if fit.suspect_node is not None:
        name = scene.declared(fit.suspect_node).name
        return f" The coordinates of {name} are the likelier mistake: without them all the tapes agree.", (
            Remedy(words(f"Measure {name} again.")),
        )
    a, b = scene.declared(span.a).name, scene.declared(span.b).name
    return f" The tape or one of its ends is wrong.{inch}", (Remedy(words(f"Tape it again, and tape from {a} and {b} to a third point.")),)


# Bench against vehicle


def sightings(scene: Scene, root_id: str) -> tuple[PointPair, ...]:
    """An assembly's points that were measured in the vehicle too: in the driving part's frame, and as found."""
    pairs = []
    # In the order of their ids, so that the last digit does not hang on how the build lists them.
    for point in sorted(scene.build.points, key=lambda p: p.same_as):
        if point.same_as:
            bench = scene.declared(point.same_as)
            if bench.on != VEHICLE and root_of(scene.build, bench.on).id == root_id:
                pairs.append(PointPair(bench.id, scene.on_root(bench.id), scene.xyz(point.id)))
    return tuple(pairs)


def _bench(scene: Scene) -> list[Check]:
    checks = []
    twins = {p.same_as: p for p in scene.build.points if p.same_as}
    for component in scene.build.components:
        pairs = sightings(scene, component.id) if component.parent is None and twins else ()
        try:
            fit = rigid_fit(pairs) if pairs else None
        except InputError:
            fit = None
        if fit is None:
            continue
        sds = {p.id: math.hypot(max(scene.located(p.id).sd_mm), max(scene.located(twins[p.id].id).sd_mm)) for p in pairs}
        worst, left = max(fit.left_over_mm, key=lambda item: norm(item[1]) / sds[item[0]])
        allowed = CONTRADICTS_SD * sds[worst]
        suspect = suspicion(pairs, allowed)
        verdict = verdict_within(norm(left), None, allowed)

        def over(twin: Scene, root: str = component.id, at: str = worst) -> tuple[Vec3]:
            return (dict(rigid_fit(sightings(twin, root)).left_over_mm)[at],)

        doubt = doubt_of(scene, tuple(p for one in pairs for p in (one.id, twins[one.id].id)), over, (left,))
        name = scene.declared(worst).name
        text = (
            f"{len(pairs)} points measured on the part and in the vehicle; {named(name)} is {{0}} off, {{1}} is explained by the readings."
        )
        if suspect is not None:
            text += f" {named(scene.declared(suspect.id).name)} is probably wrong: without it the rest agree to {{2}}."
        checks.append(
            _against_itself(
                doubt.scatters[0],
                f"bench.{component.id}",
                "bench",
                f"{component.name}: bench against vehicle",
                words(text, mm(norm(left)), mm(allowed), mm(suspect.rms_without_mm if suspect else 0.0)),
                (worst, twins[worst].id),
                norm(left),
                allowed,
                rests_on=doubt.shares[0],
                remedies=(Remedy(words(f"Measure {name} again, on the part and in the vehicle.")),) if verdict == "fails" else (),
                inputs=tuple(Input(scene.declared(p).name, mm(norm(v))) for p, v in fit.left_over_mm),
                formula="what the best rigid position of the part leaves over at each point",
            )
        )
    return checks


# Names and places that make no sense


def _same_names(build: Build) -> list[Check]:
    by_name: dict[tuple[str, str], list[Point]] = {}
    for point in build.points:
        by_name.setdefault((point.on, " ".join(point.name.lower().split())), []).append(point)
    return [
        _check(
            f"sense.names.{'.'.join(sorted(p.id for p in same))}",
            "sense",
            f"{same[0].name}: two points of one name",
            "fails",
            words(
                f"{' and '.join(p.id for p in same)} are both called “{same[0].name}” on the same part; a reading may go to the wrong one."
            ),
            tuple(p.id for p in same),
            remedies=(Remedy(words("Give one of them another name.")),),
        )
        for same in by_name.values()
        if len(same) > 1
    ]


def outside_checks(scene: Scene, root_id: str) -> tuple[Check, ...]:
    """Points of one assembly, or of the vehicle, that lie where nothing can: under the ground, or far outside all else.

    How far out a point lies on its own part does not hang on where an option puts the part; the ground does.
    """
    build = scene.build
    far = _far_points.of(build, lambda: _far(scene))
    checks = []
    ground = build.datum.ground_z_mm
    for point in build.points:
        if scene.root(point.on) != root_id:
            continue
        under, sd = ground - scene.xyz(point.id)[2], max(scene.located(point.id).sd_mm)
        if under > CONTRADICTS_SD * sd and under > 1.0:
            why = words("It lies {0} under the ground. Its height has the wrong sign, or it counts from another place.", mm(under))
            checks.append(_sense(point, "ground", "under the ground", why))
        elif point.id in far:
            checks.append(far[point.id])
    return tuple(checks)


def _far(scene: Scene) -> dict[str, Check]:
    """By point, that it lies far outside all else on its part."""
    checks: dict[str, Check] = {}
    boxes: dict[str, Box3 | None] = {}
    for point in scene.build.points:
        where = scene.local(point.id)
        if point.on not in boxes:
            boxes[point.on] = reach_of(scene.build, point.on)
        box = boxes[point.on]
        slip = beyond(box, where) if box is not None else None
        if slip is not None:
            i = "XYZ".index(slip.unit)
            asks = " In inches taken for millimetres it would be {1}, which fits: was it inches?" if slip.why else ""
            why = words(
                f"Its {slip.unit} of {{0}} lies far outside all else on {_on(scene.build, point.on)}.{asks}",
                mm(where[i]),
                mm(slip.meant_mm),
            )
            checks[point.id] = _sense(point, "far", "far outside", why)
    return checks


def _on(build: Build, on: str) -> str:
    return "the vehicle" if on == VEHICLE else build.component(on).name


def _sense(point: Point, what: str, title: str, why: Words) -> Check:
    remedy = Remedy(words(f"Look at the unit and the sign, and read {point.name} again."))
    return _check(f"sense.{what}.{point.id}", "sense", f"{point.name}: {title}", "fails", why, (point.id,), remedies=(remedy,))
