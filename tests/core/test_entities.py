"""The table of what a build lists: what is not in it can be neither found, taken out nor held to what it refers to."""

import unittest
from dataclasses import dataclass, field, fields, is_dataclass, replace
from typing import get_args, get_origin, get_type_hints

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.build.document import ENTITIES, Build
from elmpeg.core.build.entities import Refers, entities, listed, named_at, taken_out, uses_of, wrong_references
from elmpeg.core.build.rooms import Room, SolidRef
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.build.thing_edits import with_thing, without_thing
from elmpeg.core.integrity.sound import problems, require_sound
from elmpeg.demo import cairn
from tests.core.test_kept_reads import shops

CAIRN = cairn.build()


@dataclass(frozen=True)
class Peg:
    """A made-up kind of thing."""

    id: str
    name: str
    hole: str = ""


@dataclass(frozen=True)
class Board:
    """A made-up document that lists pegs and holes."""

    holes: tuple[Peg, ...] = listed("hole", 9)
    pegs: tuple[Peg, ...] = listed("peg", 9, Refers("hole", "holes"))
    loose: tuple[Peg, ...] = listed("loose peg", 9, Refers("hole", "holes", then="goes"))
    told: str = field(default="")


class Table(unittest.TestCase):
    def test_every_list_of_things_with_ids_has_its_entry(self):
        hints = get_type_hints(Build)
        for f in fields(Build):
            listed_ = get_args(hints[f.name])[0] if get_origin(hints[f.name]) is tuple else str
            if any(g.name == "id" for one in (get_args(listed_) or (listed_,)) if is_dataclass(one) for g in fields(one)):
                self.assertIn(f.name, ENTITIES)

    def test_what_refers_leads_to_lists_that_are_there_and_paths_that_can_be_read(self):
        followed = set()
        for build in shops():
            for of, entity in ENTITIES.items():
                for refers in entity.refers:
                    self.assertIn(refers.to, ENTITIES)
                    for thing in getattr(build, of):
                        if list(named_at(thing, refers.path)):
                            followed.add((of, refers.path))
        self.assertEqual({(of, r.path) for of, e in ENTITIES.items() for r in e.refers} - followed, set())

    def test_every_demo_build_refers_only_to_what_is_there(self):
        for build in shops():
            self.assertEqual([p for of in ENTITIES for p in wrong_references(build, of)], [], build.id)

    def test_a_wrong_reference_is_told_where_it_stands(self):
        for build, field_, words in (
            (
                replace(CAIRN, mounts=(replace(CAIRN.mounts[0], seat_point="no"), *CAIRN.mounts[1:])),
                "mounts.0.seat_point",
                "“no” is not a point",
            ),
            (
                replace(CAIRN, points=(replace(CAIRN.points[0], on="no"), *CAIRN.points[1:])),
                "points.0.on",
                "“no” is neither a component nor “vehicle”",
            ),
            (
                replace(CAIRN, mounts=(replace(CAIRN.mounts[0], component_point=""), *CAIRN.mounts[1:])),
                "mounts.0.component_point",
                "is empty; choose a point",
            ),
        ):
            found = {p.field: p.message for p in problems(build)}
            self.assertEqual(found.get(field_), words)
            with self.assertRaises(InputError):
                require_sound(build)


class MadeUp(unittest.TestCase):
    """An entry alone is enough for a kind of thing that nobody has thought of yet."""

    board = Board((Peg("h", "Hole"),), (Peg("p", "Peg", "h"), Peg("q", "Other")), (Peg("l", "Loose", "h"),))

    def test_found_used_and_taken_out(self):
        self.assertEqual([e.a for e in entities(Board).values()], ["a hole", "a peg", "a loose peg"])
        self.assertEqual([(u.id, u.then) for u in uses_of(self.board, "holes", "h")], [("p", "holds"), ("l", "goes")])
        with self.assertRaisesRegex(InputError, "Hole is still used by Peg; change these first"):
            taken_out(self.board, "holes", "h")
        without = taken_out(taken_out(self.board, "pegs", "p"), "holes", "h")
        self.assertEqual((without.holes, without.loose, [p.id for p in without.pegs]), ((), (), ["q"]))
        with self.assertRaisesRegex(MissingError, "no peg “z”"):
            taken_out(self.board, "pegs", "z")
        self.assertEqual(
            [*wrong_references(replace(self.board, pegs=(Peg("p", "P", "no"),)), "pegs")], [("pegs.0.hole", "“no” is not a hole")]
        )


class Things(unittest.TestCase):
    def test_made_changed_taken_out(self):
        room = Room("", "  Beside   the rail ", SolidRef(VEHICLE, "left-rail"), SolidRef("engine", "sump"), 9.0)
        made = with_thing(CAIRN, "rooms", room)
        self.assertEqual((made.rooms[-1].id, made.rooms[-1].name), ("beside-the-rail", "Beside the rail"))
        require_sound(made)
        changed = with_thing(made, "rooms", replace(made.rooms[-1], at_least_mm=11.0))
        self.assertEqual((changed.rooms[-1].at_least_mm, len(changed.rooms)), (11.0, len(made.rooms)))
        self.assertEqual(without_thing(changed, "rooms", "beside-the-rail"), CAIRN)
        with self.assertRaisesRegex(InputError, "another room is called"):
            with_thing(made, "rooms", room)
        with self.assertRaises(MissingError):
            with_thing(CAIRN, "rooms", replace(room, id="nowhere"))

    def test_a_component_goes_with_its_points_and_rooms_and_stays_while_something_holds_it(self):
        with self.assertRaisesRegex(InputError, "still used by"):
            without_thing(CAIRN, "components", "engine")
        bare = replace(
            CAIRN,
            mounts=(),
            options=tuple(replace(o, stacks=()) for o in CAIRN.options),
            chains=(),
            patterns=(),
            pieces=(),
            matches=(),
            stands=(),
        )
        made = without_thing(bare, "components", "radiator")
        self.assertTrue(any(p.on == "radiator" for p in bare.points))
        self.assertFalse(any(p.on == "radiator" for p in made.points))
        self.assertFalse(any("radiator" in (r.a.on, r.b.on) for r in made.rooms))
        require_sound(made)

    def test_whatever_can_be_taken_out_leaves_a_sound_build(self):
        taken = 0
        for of in ENTITIES:
            for thing in getattr(CAIRN, of)[:6]:
                try:
                    left = without_thing(CAIRN, of, thing.id)
                except InputError:
                    continue
                if of != "options" and of != "tools":
                    with self.subTest(of, id=thing.id):
                        require_sound(left)
                        taken += 1
        self.assertGreater(taken, 40)
