"""Stands of tab and slot: what goes in has an order that a step-by-step motion confirms; what cannot be put together says so."""

import itertools
import re
import unittest
from dataclasses import replace

import numpy as np
import shapely
import trimesh

from elmpeg.core.base.vectors import add, scale
from elmpeg.core.methods.sheet_metal.folded_sheet import Frame
from elmpeg.core.methods.stands.assembly_order import (
    AssemblyOrder,
    Held,
    StandFixing,
    StandPlate,
    assembly_order,
    blockers,
    tool_hole,
    ways_out,
)
from elmpeg.core.methods.stands.tab_joints import (
    Halving,
    TabJoint,
    joint_between,
    proposed_tabs,
    slots_of,
    ways_of,
    with_halving,
    with_tabs,
)
from elmpeg.core.stages.make.stand_checks import tool_holes

X, Y, Z = (1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)
AXES = {"z": (X, Y), "y": (Z, X), "x": (Y, Z)}
"""By a plate's normal, its own two directions."""


def box_ring(u0, v0, u1, v1):
    return ((u0, v0), (u1, v0), (u1, v1), (u0, v1))


def plate(name, normal, level, edge, *holes, thick=4.0):
    """A plate square to an axis, its middle plane at a level; u and v are the two other axes in turn."""
    x, y = AXES[normal]
    up = {"z": Z, "y": Y, "x": X}[normal]
    return StandPlate(name, name, edge, holes, thick, Frame(scale(up, level + thick / 2), x, y))


def solid(item):
    """By another library than the one that looks for the order."""
    flat = shapely.set_precision(shapely.Polygon(item.edge, item.openings), 1e-4)
    body = trimesh.creation.extrude_polygon(flat, item.thick_mm)
    f = item.frame
    place = np.eye(4)
    place[:3, 0], place[:3, 1], place[:3, 2] = f.x, f.y, f.up
    place[:3, 3] = add(f.origin, scale(f.up, -item.thick_mm))
    return body.apply_transform(place)


def locked_pins():
    """Five strips, each held by the next that goes through it; the last one is free."""
    return (
        plate("base", "z", 0.0, box_ring(-60, -20, 60, 20), box_ring(-20.5, -2.5, 20.5, 2.5)),
        # Hangs through the base by its head and is kept from rising by a strip that goes through it below.
        plate(
            "post",
            "y",
            0.0,
            ((-40, -20), (8, -20), (8, -35), (20, -35), (20, 35), (8, 35), (8, 20), (-40, 20)),
            box_ring(-12.5, -5.5, -7.5, 5.5),
        ),
        plate("key", "z", -10.0, ((-5, -40), (5, -40), (5, 40), (-5, 40)), box_ring(-2.8, 27.5, 2.8, 32.5)),
        plate("pin", "y", 30.0, box_ring(-30, -2.5, 40, 2.5), box_ring(-25.0, -1.5, -19.0, 1.5)),
        plate("clip", "z", -22.0, box_ring(-1.2, 10.0, 1.2, 60.0), thick=4.0),
    )


class Orders(unittest.TestCase):
    def assert_goes_together(self, items, order):
        """Each thing is brought in along its way, a little at a time, past those that are in already; nothing is run into."""
        solids = {i.id: solid(i) for i in items}
        there = []
        for step in order.steps:
            moving = solids[step.item]
            for shift in np.linspace(300.0, 0.0, 151):
                moved = moving.copy()
                moved.apply_translation(-shift * np.array(step.along))
                for other in there:
                    if not np.all(moved.bounds[0] < solids[other].bounds[1] - 1e-6) or not np.all(
                        moved.bounds[1] > solids[other].bounds[0] + 1e-6
                    ):
                        continue
                    met = trimesh.boolean.intersection([moved, solids[other]], engine="manifold")
                    self.assertLess(met.volume if len(met.faces) else 0.0, 0.05, (step.item, other, shift))
            there.append(step.item)

    def test_five_pieces_with_one_order(self):
        items = locked_pins()
        found = assembly_order(items)
        self.assertTrue(found.exists)
        self.assertTrue(found.only_one)
        self.assertEqual([s.item for s in found.steps][2:], ["key", "pin", "clip"])
        self.assert_goes_together(items, found)

    def test_what_is_told_as_held_is_held_in_any_order(self):
        """Three plates, each through a closed slot of the next: no order of the five does, and the three are named."""
        long, short = box_ring(-50, -20, 50, 20), box_ring(-2.5, -21, 2.5, 21)
        ring = (
            plate("a", "z", 0.0, long, short),
            plate("b", "x", 0.0, long, short),
            plate("c", "y", 0.0, long, short),
        )
        beside = (plate("d", "z", 80.0, box_ring(-20, -20, 20, 20)), plate("e", "z", 90.0, box_ring(-20, -20, 20, 20)))
        found = assembly_order((*ring, *beside))
        self.assertFalse(found.exists)
        self.assertEqual({h.item for h in found.held}, {"a", "b", "c"})
        for held in found.held:
            self.assertTrue(set(held.by) <= {"a", "b", "c"})

    def test_two_orders_are_not_one(self):
        items = (*locked_pins()[:2], plate("far", "z", 200.0, box_ring(-10, -10, 10, 10)))
        found = assembly_order(items)
        self.assertTrue(found.exists)
        self.assertFalse(found.only_one)

    def test_a_small_stand_by_trying_every_order(self):
        """Every order of putting in, each thing along any of its ways: the search finds one where there is one."""
        items = locked_pins()

        def possible(order):
            there = []
            for item in order:
                if all(blockers(item, w, there) for w in ways_out(item, items)):
                    return False
                there.append(item)
            return True

        good = [[i.id for i in order] for order in itertools.permutations(items) if possible(order)]
        self.assertIn([s.item for s in assembly_order(items).steps], good)
        self.assertEqual(len(good), 2, "but for which of the first two is laid on the bench first there is one order")


class Bolts(unittest.TestCase):
    def stand(self, lid_hole=()):
        foot = plate("foot", "z", 0.0, box_ring(-50, -50, 50, 50), box_ring(-4.5, -4.5, 4.5, 4.5))
        lid = plate("lid", "z", 60.0, box_ring(-50, -50, 50, 50), *lid_hole)
        walls = tuple(plate(n, "y", y, box_ring(2, -50, 58, 50)) for n, y in (("near", -48.0), ("far", 48.0)))
        ends = tuple(plate(n, "x", x, box_ring(-46, 2, 46, 58)) for n, x in (("left", -48.0), ("right", 48.0)))
        bolt = StandFixing("bolt", "M8", "bolt", (0, 0, 2.0), Z, 8.0, 20.0, 13.0, 20.0, 120.0)
        return foot, lid, walls, ends, bolt

    def test_a_bolt_is_put_in_before_it_is_covered(self):
        foot, lid, walls, ends, bolt = self.stand()
        found = assembly_order((foot, lid, *walls, *ends, bolt))
        self.assertTrue(found.exists)
        at = [s.item for s in found.steps]
        self.assertLess(at.index("foot"), at.index("bolt"))
        self.assertLess(at.index("bolt"), at.index("lid"))

    def test_a_tool_that_does_not_reach_gets_its_hole(self):
        foot, lid, _, _, bolt = self.stand()
        self.assertEqual(blockers(bolt, Z, (foot, lid)), ("lid",))
        place, wide = tool_hole(bolt, lid)
        self.assertEqual((round(place[0], 6), round(place[1], 6), wide), (0.0, 0.0, 22.0))
        open_lid = plate("lid", "z", 60.0, box_ring(-50, -50, 50, 50), box_ring(-wide / 2, -wide / 2, wide / 2, wide / 2))
        self.assertEqual(blockers(bolt, Z, (foot, open_lid)), ())

    def test_every_tool_gets_a_hole_in_every_plate_that_is_in_its_way(self):
        _, lid, _, _, bolt = self.stand()
        foot = plate("foot", "z", 0.0, box_ring(-50, -50, 50, 50), *(box_ring(x - 4.5, -4.5, x + 4.5, 4.5) for x in (-25, 25)))
        shelf = plate("shelf", "z", 40.0, box_ring(-50, -50, 50, 50))
        bolts = {
            n: replace(bolt, id=n, name=n, at_mm=(x, 0, 2.0), tool_mm=wide) for n, x, wide in (("b1", -25.0, 20.0), ("b2", 25.0, 26.0))
        }
        items = (foot, lid, shelf, *bolts.values())
        held = tuple(Held(n, Z, blockers(b, Z, (foot, lid, shelf)), True) for n, b in bolts.items())
        self.assertEqual({by for h in held for by in h.by}, {"lid", "shelf"})
        (remedy,) = tool_holes(items, AssemblyOrder((), held, False))
        figures = [q.value for q in remedy.words.quantities]
        cut = {"lid": [], "shelf": []}
        for k, where, whose in re.findall(r"of \{(\d)\} in (\w+) for (\w+)", remedy.words.template):
            x, half = bolts[whose.lower()].at_mm[0], figures[int(k)] / 2
            cut[where.lower()].append(box_ring(x - half, -half, x + half, half))
        opened = tuple(plate(n, "z", level, box_ring(-50, -50, 50, 50), *cut[n]) for n, level in (("lid", 60.0), ("shelf", 40.0)))
        for one in bolts.values():
            self.assertEqual(blockers(one, Z, (foot, *opened)), ())
        walled = Held("b1", Z, ("lid", "b2"), True)
        self.assertEqual(tool_holes(items, AssemblyOrder((), (walled,), False)), (), "a hole in a plate takes no bolt out of the way")


class Tabs(unittest.TestCase):
    def tabbed(self, cut_by="laser", number=0):
        floor = plate("floor", "z", -2.0, box_ring(-150, -100, 150, 100))
        wall = plate("wall", "y", 20.0, box_ring(0, -100, 120, 100))
        joint = joint_between(wall, floor, number)
        self.assertIsInstance(joint, TabJoint)
        grown = StandPlate("wall", "wall", with_tabs(wall.edge, joint, cut_by), (), 4.0, wall.frame)
        slotted = StandPlate("floor", "floor", floor.edge, slots_of(joint, cut_by), 4.0, floor.frame)
        return joint, grown, slotted, wall, floor

    def test_the_tabs_go_through_the_slots_and_stand_flush(self):
        for cut_by in ("laser", "plasma", "by hand"):
            joint, wall, floor, _, _ = self.tabbed(cut_by)
            self.assertEqual((joint.tabbed, joint.slotted), ("wall", "floor"))
            met = trimesh.boolean.intersection([solid(wall), solid(floor)], engine="manifold")
            self.assertLess(met.volume if len(met.faces) else 0.0, 1e-6)
            self.assertAlmostEqual(float(solid(wall).bounds[0][2]), -4.0, places=6)
            order = assembly_order((wall, floor))
            self.assertTrue(order.exists)
            self.assertTrue(blockers(wall, X, (floor,)), "it does not slide out sideways")
            self.assertTrue(blockers(wall, Y, (floor,)))
            self.assertFalse(blockers(wall, Z, (floor,)))

    def test_it_goes_in_one_way_only_and_with_like_slots_in_two(self):
        joint, *_ = self.tabbed()
        self.assertEqual([w.way for w in ways_of(joint, "laser") if w.goes_in], ["as drawn", "turned over sideways"])
        alike = TabJoint(
            **{
                **{f: getattr(joint, f) for f in joint.__dataclass_fields__},
                "tabs": tuple(t.__class__(t.id, 40.0 + 120.0 * k, 30.0) for k, t in enumerate(joint.tabs)),
            }
        )
        self.assertGreater(sum(w.goes_in for w in ways_of(alike, "laser")), 2)

    def test_every_tab_and_every_joint_has_its_own_width(self):
        widths = [t.wide_mm for number in range(5) for t in proposed_tabs(200.0, 4.0, number)]
        self.assertEqual(len(set(widths)), len(widths))

    def test_two_that_cross_are_halved_and_go_together(self):
        one = plate("one", "y", 0.0, box_ring(0, -100, 80, 100))
        other = plate("other", "x", 10.0, box_ring(-60, 0, 60, 80))
        found = joint_between(one, other)
        self.assertIsInstance(found, Halving)
        cut = [
            StandPlate(p.id, p.name, with_halving(p.edge, slot, wide, "laser"), (), p.thick_mm, p.frame)
            for p, slot, wide in ((one, found.one_slot, found.one_wide_mm), (other, found.other_slot, found.other_wide_mm))
        ]
        met = trimesh.boolean.intersection([solid(p) for p in cut], engine="manifold")
        self.assertLess(met.volume if len(met.faces) else 0.0, 1e-6)
        self.assertTrue(assembly_order(cut).exists)
        self.assertFalse(assembly_order((one, other)).exists, "uncut they lie in each other")

    def test_plates_that_do_not_meet_have_no_joint(self):
        floor, far = plate("floor", "z", 0.0, box_ring(-50, -50, 50, 50)), plate("far", "y", 200.0, box_ring(20, -50, 80, 50))
        self.assertIsNone(joint_between(floor, far))
        self.assertIsNone(joint_between(floor, plate("twin", "z", 30.0, box_ring(-50, -50, 50, 50))))
