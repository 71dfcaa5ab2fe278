"""Each store of kept answers is asked again for just what its answers rest on: a field left out of a key would show a shop stale figures."""

import unittest
from contextlib import ExitStack, contextmanager
from dataclasses import fields, is_dataclass, replace
from unittest import mock

from elmpeg.core.base.memo import Kept, Memo
from elmpeg.core.base.pose import Pose
from elmpeg.core.build.components import Component
from elmpeg.core.build.document import Build
from elmpeg.core.build.hardware import Chain, ChainLink, Match, Pattern
from elmpeg.core.build.options import Option
from elmpeg.core.build.pieces import Piece
from elmpeg.core.build.rooms import Room, SolidRef
from elmpeg.core.build.survey import VEHICLE, LeanReading, Photo, Point
from elmpeg.core.build.underlays import Underlay
from elmpeg.core.evaluation import kept_findings
from elmpeg.core.evaluation.catalogue import KINDS, RUNNERS
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.integrity import sound
from elmpeg.core.integrity.sound import require_sound
from elmpeg.core.methods.measuring.plane_projection import Mark
from elmpeg.core.scene.located_points import SURVEY_READS
from elmpeg.core.scene.scene import Scene
from elmpeg.demo import bookworm, cairn, dynamo
from tests.core import lines_shop

FIELDS = frozenset(f.name for f in fields(Build))
NEVER_LOOKED_AT = {
    "id",
    "name",
    "vehicle",
    "agreed",
    "agreed_because",
    "rounds",
    "orders",
    "lengths",
    "slopes",
    "cautions",
    "photos",
    "sheet",
    "underlays",
    "witness_marks",
}
"""What no check rests on; a change of it changes no verdict and nothing need be worked out again."""
OF_A_SCENE = {
    "declared": ("points",),
    "axis": ("points",),
    "located": SURVEY_READS,
    "local": SURVEY_READS,
    "placement": ("components",),
    "root": ("components",),
}
"""What of the build each of a scene's answers stands on."""
watching: list[Memo] = []
seen: dict[str, set[str]] = {}


class Watched(Build):
    """A build that notes which of its fields are read while an answer is worked out."""

    __slots__ = ()

    def __getattribute__(self, name):
        if name in FIELDS:
            for memo in watching:
                seen.setdefault(memo.name, set()).add(name)
        return super().__getattribute__(name)


def watched(build):
    return Watched(**{f.name: getattr(build, f.name) for f in fields(Build)})


def forget():
    for memo in Memo.everywhere.values():
        memo.clear()


def looked_at(checks):
    """What is told only at the first look, told."""
    for check in checks:
        len(check.remedies), len(check.rests_on)


@contextmanager
def watch():
    """Everything kept is forgotten, and what each memo's answers read is noted in ``seen``."""
    forget()
    seen.clear()
    ask, finish = Memo.of, kept_findings._finished

    def of(self, document, make):
        def making():
            watching.append(self)
            try:
                return make()
            finally:
                watching.pop()

        answer = ask(self, document, making)
        for outer in watching:
            # An answer that rests on another rests on all that the other does, kept or not.
            seen.setdefault(outer.name, set()).update(self.reads)
        return answer

    def finished(runner, scene, thing):
        watching.append(runner.kept)
        try:
            done = finish(runner, scene, thing)
            looked_at(check for _, check in done.checks)
            return done
        finally:
            watching.pop()

    with ExitStack() as patched:
        patched.enter_context(mock.patch.object(Memo, "of", of))
        patched.enter_context(mock.patch.object(kept_findings, "_finished", finished))
        for name, reads in OF_A_SCENE.items():
            patched.enter_context(mock.patch.object(Scene, name, noting(getattr(Scene, name), reads)))
        yield seen


def noting(method, reads):
    """A scene's method, noting what of the build it stands on: a scene has resolved that beforehand."""

    def asked(self, *arguments):
        for memo in watching:
            seen.setdefault(memo.name, set()).update(reads)
        return method(self, *arguments)

    return asked


@contextmanager
def afresh():
    """Nothing that was kept before is used, and nothing of what is kept meanwhile is used afterwards."""
    made = {}

    def get(self, parts, make):
        key = (id(self), *map(id, parts))
        if key not in made:
            made[key] = (parts, make())
        return made[key][1]

    with mock.patch.object(Kept, "get", get):
        yield


class WatchedOption(Option):
    """An option that notes when its stacks are looked at."""

    __slots__ = ("asked",)

    def __getattribute__(self, name):
        if name == "stacks":
            super().__getattribute__("asked").append("stacks")
        return super().__getattribute__(name)


def sat_on(call, build, option, runner, thing):
    """Which assemblies' placements, and whether the option's stacks, a runner's ``sits`` or ``run`` asks for of one thing."""
    watched_option = WatchedOption(option.id, option.name, option.positions, option.stacks, option.note)
    asked = []
    object.__setattr__(watched_option, "asked", asked)
    scene, placement = Scene(build, watched_option), Scene.placement

    def noted(self, on):
        asked.append(self.root(on))
        return placement(self, on)

    asked.clear()
    with mock.patch.object(Scene, "placement", noted), mock.patch.object(Kept, "get", lambda _self, _parts, make: make()):
        found = getattr(runner, call)(scene, thing)
        if call == "run":
            looked_at(found.checks)
    return set(asked) - {VEHICLE}


def rich():
    """The ambulance with what its story has no need of: a pattern that follows points, a chain through a layer, room beside
    the frame, a point under the ground."""
    build = cairn.build()
    holes = tuple(p.id for p in build.points if p.on == VEHICLE and p.hole_mm)[:3]
    mount = next(m for m in build.mounts if m.layers)
    picture = Photo("picture", "picture", "", 10, 10, 100, "Pip Okafor", "2026-11-20T09:00:00")
    solid = build.components[0].solids[0].id
    lean = LeanReading("l1", "1.5", 1.5, "gauge", "Pip Okafor", "2026-11-20T09:00:00")
    return replace(
        build,
        agreed=None,
        photos=(*build.photos, picture),
        underlays=(Underlay("under", "under", "picture", "side", (Mark((1, 1), (0, 0)), Mark((9, 1), (800, 0)))),),
        orders=tuple(replace(o, photos=("picture",)) for o in build.orders),
        mounts=tuple(replace(m, uses=holes) if m is mount else m for m in build.mounts),
        points=(*build.points, Point("sunk", "sunk", VEHICLE, "edge", (1200.0, 300.0, -900.0), leans=(lean,))),
        patterns=(*build.patterns, Pattern("three", "three seats", "points", points=holes)),
        matches=(*build.matches, Match("on-three", "on three", "three", "three")),
        pieces=(*build.pieces, Piece("of-three", "of three", 8.0, "three", "three")),
        chains=(
            *build.chains,
            Chain("of-layers", "of layers", (ChainLink("a", "a", 1, 0.1, 0.1, mount=mount.id, layer=mount.layers[0].id),)),
        ),
        rooms=(*build.rooms, Room("rail", "rail", SolidRef(VEHICLE, build.solids[0].id), SolidRef(build.components[0].id, solid), 20.0)),
    )


def shops():
    """Builds that between them have something of every kind."""
    yield from (rich(), bookworm.build(), dynamo.build())
    made = lines_shop.build()
    yield made
    yield replace(made, drivelines=(replace(made.drivelines[0], axle="links"),))


def lacking(found, name, reads):
    """What the answers of a memo read that a key of just these fields would not notice."""
    return found.get(name, set()) - set(reads)


ONLY = {r.kept.name: set(r.only) for r in RUNNERS if r.only}
"""Of these lists single entries are in a key, by the memo."""


class Reads(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        # What another module of this process has asked before is asked again.
        sound._SOUND.clear()
        for memo in Memo.everywhere.values():
            memo.clear()
        with watch() as found:
            for build in shops():
                require_sound(watched(build))
                for option in build.options:
                    evaluate(watched(build), option.id)
            cls.found = {name: set(read) for name, read in found.items()}

    def test_every_kept_answer_reads_the_fields_of_its_key_and_no_other(self):
        for memo in Memo.everywhere.values():
            with self.subTest(memo.name):
                only = ONLY.get(memo.name, set())
                self.assertTrue(memo.reads or only)
                self.assertEqual(lacking(self.found, memo.name, memo.reads), only, "read, and not in the key: stale answers")
                self.assertEqual(set(memo.reads) - self.found.get(memo.name, set()), set(), "in the key, and never read")

    def test_a_field_left_out_of_any_key_is_noticed(self):
        for memo in Memo.everywhere.values():
            for name in memo.reads:
                with self.subTest(memo.name, left_out=name):
                    left = lacking(self.found, memo.name, tuple(r for r in memo.reads if r != name))
                    self.assertEqual(left - ONLY.get(memo.name, set()), {name})


def changes(build):
    """The build with one of its fields changed at a time: the field, and the build; each list loses an entry, gains the
    first again under another id, and has every figure and text of its entries nudged in turn."""
    for field in fields(Build):
        value = getattr(build, field.name)
        if isinstance(value, tuple):
            if value:
                yield field.name, value[1:]
                yield field.name, tuple(nudged(v) for v in value)
        elif is_dataclass(value):
            yield field.name, nudged(value)
    yield "stage", "Fit" if build.stage != "Fit" else "Drive"
    yield "datum", replace(build.datum, ground_z_mm=build.datum.ground_z_mm + 900.0)


class Sits(unittest.TestCase):
    """Of the option, findings rest on where parts are and on stacks: the key has all that the work asks for."""

    def test_what_findings_rest_on_of_an_option_is_in_their_key(self):
        asked = dict.fromkeys(RUNNERS, 0)
        for build in (*shops(), apart("springs"), apart("links")):
            for runner in RUNNERS:
                for thing in runner.each(build):
                    keyed, used = (sat_on(call, build, build.options[0], runner, thing) for call in ("sits", "run"))
                    with self.subTest(build.id, runner=runner.name, thing=getattr(thing, "id", thing)):
                        self.assertEqual(used - keyed, set(), "asked for, and not in the key: stale answers")
                    asked[runner] += len(used)
        still = {"readings", "what was measured", "matches", "plates", "stands", "weldments", "sleeves", "mounts' hardware"}
        self.assertEqual({r.name for r in RUNNERS if not asked[r]}, still, "what never looks at where a part is")


def apart(axle):
    """A line whose pinion, axle, spring eyes, link ends and mount seats each stand on a part that can be moved by itself."""
    made = lines_shop.build(axle=axle)
    on = {"pin": "nose", "eye": "frame", "seat": "perch", "uf": "cradle", "lf": "cradle", "T-seat": "cradle"}
    parts = tuple(Component(name, name, Pose(0, 0, 0, 0, 0, 0)) for name in dict.fromkeys(on.values()))
    points = tuple(replace(p, on=on.get(p.id, p.on)) for p in made.points)
    return replace(made, components=(*made.components, *parts), points=points)


def nudged(value):
    """A record with every length and angle of its own a little larger; its names, counts, ids and references stay."""
    if isinstance(value, tuple):
        return tuple(nudged(v) for v in value)
    if isinstance(value, int | float) and not isinstance(value, bool):
        return value + 0.37
    if is_dataclass(value):
        told = {f.name: getattr(value, f.name) for f in fields(value)}
        larger = {k: nudged(v) for k, v in told.items() if k.endswith(("_mm", "_deg")) and v is not None}
        inner = {k: nudged(v) for k, v in told.items() if is_dataclass(v) or (isinstance(v, tuple) and v and is_dataclass(v[0]))}
        return replace(value, **larger, **inner)
    return value


class Changed(unittest.TestCase):
    """Whatever of a build is changed, what is kept is what would be worked out afresh."""

    def told(self, build, option):
        try:
            found = evaluate(build, option)
            looked_at(found.checks)
            return found
        except (LookupError, ValueError) as refused:
            return str(refused)

    def test_every_field_changed(self):
        changed = set()
        for start in (rich(), bookworm.build()):
            option = start.options[0].id
            forget()
            before = self.told(start, option)
            with mock.patch.object(Kept, "get", lambda _self, _parts, make: make()):
                self.assertEqual(before, self.told(start, option), "something is kept by too little within one evaluation")
            # All of the rich one; of the other, which is there for what that lacks, one in a few.
            for name, value in list(changes(start))[:: 1 if start.id == "cairn-2" else 4]:
                build = replace(start, **{name: value})
                if all(o.id != option for o in build.options):
                    continue
                kept = self.told(build, option)
                with afresh():
                    fresh = self.told(build, option)
                with self.subTest(build.id, changed=name):
                    self.assertEqual(kept, fresh)
                if not isinstance(fresh, str) and fresh.checks != before.checks:
                    changed.add(name)
        self.assertFalse(changed & NEVER_LOOKED_AT)
        looked_at = {r for runner in RUNNERS for r in runner.kept.reads}
        # Wheels are looked at only for how far the vehicle reaches: a third of a millimetre puts no point outside it.
        self.assertLessEqual(looked_at, changed | {"wheels"}, "a field of a key whose change changes no verdict")


class Entries(unittest.TestCase):
    """Findings that rest on single entries of a list are worked out anew where just those change, and stay where others do."""

    def each_changed(self, build):
        for name in sorted(set().union(*(r.only for r in RUNNERS))):
            entries = getattr(build, name)
            # Of many, as points are, one in a few.
            for k in range(0, len(entries), 1 + len(entries) // 40):
                entry = nudged(replace(entries[k], name=f"{entries[k].name} too"))
                yield name, entry.id, replace(build, **{name: (*entries[:k], entry, *entries[k + 1 :])})

    def test_one_at_a_time(self):
        build = rich()
        option = build.options[0].id
        scene = Scene(build, build.options[0])
        met = {r.name: [0, 0] for r in RUNNERS if r.only}
        for name, entry, changed in self.each_changed(build):
            there = Scene(changed, changed.option(option))
            for runner in (r for r in RUNNERS if name in r.only):
                before = kept_findings.findings(runner, scene)
                kept = kept_findings.findings(runner, there)
                for thing, old, now in zip(runner.each(changed), before, kept, strict=True):
                    rests = entry in runner.only[name](changed, thing)
                    met[runner.name][old is now] += 1
                    with self.subTest(runner.name, thing=thing.id, changed=entry):
                        # A point may lie elsewhere, too, because it was measured from one that does.
                        self.assertTrue(old is not now if rests else old is now or name == "points")
                        if rests or name == "points":
                            fresh = kept_findings._finished(runner, there, thing)
                            looked_at(c for _, c in (*now.checks, *fresh.checks))
                            self.assertEqual(now, fresh)
        self.assertTrue(all(anew and stayed for anew, stayed in met.values()), met)


class Catalogue(unittest.TestCase):
    def test_every_kind_in_the_catalogue_is_met_and_every_check_is_in_it(self):
        met = {c.family for build in shops() for o in build.options for c in evaluate(build, o.id).checks}
        self.assertLessEqual(met, {k.family for k in KINDS.values()})
        self.assertEqual({k.family for k in KINDS.values()} - met, set(), "kinds that no demo build shows")

    def test_each_check_says_what_it_is_about_by_lists_and_ids_that_are_there(self):
        for build in shops():
            for option in build.options:
                for check in evaluate(build, option.id).checks:
                    with self.subTest(build.id, code=check.code):
                        self.assertTrue(check.about)
                        for one in check.about:
                            self.assertIn(one.id, {item.id for item in getattr(build, one.of)})
