"""Plates of a stand put in otherwise: held against looking, at every turn and a grid of shifts, whether tabs lie within slots."""

import math
import random
import unittest
from dataclasses import replace

import shapely
from shapely import affinity
from shapely.geometry import Polygon

from elmpeg.core.build.pieces import OwnHole, Piece
from elmpeg.core.build.stands import Stand, StandPart
from elmpeg.core.methods.shapes.outlines import straight
from elmpeg.core.methods.sheet_metal.tabs_and_slots import Opening, ways_in
from elmpeg.core.methods.stands.wrong_ways import Feature, held_too, moved_tab, other_ways, short_of
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make import piece_edits
from elmpeg.core.stages.make.stand_checks import stand_findings
from elmpeg.core.stages.make.stand_edits import with_joints, with_stand, with_tab_changed
from elmpeg.demo import cairn

PLAY, DEEP = 0.4, 5.0
EDGES = {"down": ((0, 0), (100, 0)), "right": ((100, 0), (100, 100)), "up": ((100, 100), (0, 100)), "left": ((0, 100), (0, 0))}
CAIRN = cairn.build()


def tab(edge, mate, at, wide, corners=EDGES):
    """A tab so far along an edge that runs against the clock."""
    a, b = corners[edge]
    long = math.dist(a, b)
    u = ((b[0] - a[0]) / long, (b[1] - a[1]) / long)
    return Feature("tab", mate, f"{edge}{at}", (a[0] + u[0] * at, a[1] + u[1] * at), (u[1], -u[0]), wide, 4.0)


def drawn(feature, more=0.0):
    """A tab, or with ``more`` its slot, as it shows in the plate's plane: it stands out by DEEP, and a slot is open inwards."""
    (x, y), (ox, oy), half = feature.at_mm, feature.out, (feature.wide_mm + more) / 2
    inner = -DEEP if more else 0.0
    corners = [(-half, inner), (half, inner), (half, DEEP + more), (-half, DEEP + more)]
    return Polygon([(x - oy * s + ox * d, y + ox * s + oy * d) for s, d in corners])


class AgainstLooking(unittest.TestCase):
    def goes_in(self, own, turn, shift):
        slots = shapely.union_all([drawn(f, PLAY) for f in own])
        return all(slots.covers(affinity.affine_transform(drawn(f), [*turn, *shift])) for f in own)

    def test_squares_with_tabs_on_some_sides(self):
        rng = random.Random(4)
        seen = 0
        for _ in range(250):
            sides = rng.sample(sorted(EDGES), rng.randint(1, 4))
            own = tuple(
                tab(s, s, at, rng.choice((20.0, 20.3, 26.0))) for s in sides for at in rng.sample((25.0, 50.0, 75.0), rng.randint(1, 2))
            )
            found = other_ways(own, own, PLAY, 0.0)
            for way in found:
                # What goes in exactly at its limit lies on the slot's edge: looked at with a hair more room.
                self.assertTrue(
                    all(
                        shapely.union_all([drawn(f, PLAY + 1e-6) for f in own]).covers(
                            affinity.affine_transform(drawn(f), [*way.turn, *way.shift_mm])
                        )
                        for f in own
                    ),
                    (own, way),
                )
            told = {tuple(round(v) for v in w.turn) for w in found}
            for turn in (
                (1, 0, 0, 1),
                (0, -1, 1, 0),
                (-1, 0, 0, -1),
                (0, 1, -1, 0),
                (-1, 0, 0, 1),
                (1, 0, 0, -1),
                (0, 1, 1, 0),
                (0, -1, -1, 0),
            ):
                x, y = turn[0] * 50 + turn[1] * 50, turn[2] * 50 + turn[3] * 50
                steps = [k * 12.5 for k in range(-8, 9)] if turn == (1, 0, 0, 1) else [0.0, -50.0, -25.0, 25.0, 50.0]
                for dx in steps:
                    for dy in steps:
                        if turn == (1, 0, 0, 1) and (dx, dy) == (0, 0):
                            continue
                        # A step aside is only a way where what it has still points at somebody's slots.
                        level = all(
                            any(
                                abs((turn[0] * f.at_mm[0] + turn[1] * f.at_mm[1] + 50 - x + dx - t.at_mm[0]) * t.out[0]
                                    + (turn[2] * f.at_mm[0] + turn[3] * f.at_mm[1] + 50 - y + dy - t.at_mm[1]) * t.out[1]) < PLAY / 2
                                for t in own
                                if (turn[0] * f.out[0] + turn[1] * f.out[1], turn[2] * f.out[0] + turn[3] * f.out[1]) == t.out
                            )
                            for f in own
                        )  # fmt: skip
                        if level and self.goes_in(own, turn, (50 - x + dx, 50 - y + dy)):
                            seen += 1
                            self.assertIn(turn, told, own)
        self.assertGreater(seen, 25)

    def test_three_equal_edges_turn_by_a_third(self):
        corners = {k: ((100 * math.cos(a), 100 * math.sin(a)), (100 * math.cos(a + 2 * math.pi / 3), 100 * math.sin(a + 2 * math.pi / 3)))
                   for k, a in (("a", 0.3), ("b", 0.3 + 2 * math.pi / 3), ("c", 0.3 + 4 * math.pi / 3))}  # fmt: skip
        middle = math.dist(*corners["a"]) / 2
        own = tuple(tab(e, e, middle, 20.0, corners) for e in corners)
        found = other_ways(own, own, PLAY, 0.0)
        self.assertEqual(sorted((w.over, round(0 if w.over else w.turned_deg)) for w in found), [(False, 120)] * 2 + [(True, 0)] * 3)
        for way in found:
            self.assertAlmostEqual(way.short_mm, -PLAY / 2, places=6)
        aside = tuple(replace(f, at_mm=(f.at_mm[0], f.at_mm[1] + 7.0)) if f.mate == "a" else f for f in own)
        self.assertEqual(other_ways(aside, aside, PLAY, 0.0), ())

    def test_wider_is_half_of_it_short(self):
        own = (tab("down", "base", 30.0, 20.0), tab("down", "base", 70.0, 20.0))
        over = next(w for w in other_ways(own, own, PLAY, 1.0) if w.over)
        self.assertAlmostEqual(over.short_mm, -PLAY / 2)
        wider = moved_tab(own[1], 3.0, 0.0)
        self.assertAlmostEqual(short_of(over, own[1], wider, True, PLAY), 1.5 - PLAY / 2)
        along = moved_tab(own[1], 0.0, 4.0)
        # Turned over it lacks what the two tabs' middle has moved, both ways: half of it after the best shift.
        self.assertAlmostEqual(short_of(over, own[1], along, True, PLAY), -PLAY / 2, msg="a shift takes it out while both may move")

    def test_a_slot_that_is_not_there_shows_it(self):
        own = (
            tab("down", "base", 30.0, 20.0),
            tab("down", "base", 70.0, 20.0),
            Feature("slot", "brace", "t", (20.0, 60.0), (1.0, 0.0), 15.0, 4.0),
        )
        over = next(w for w in other_ways(own, own, PLAY, 1.0) if w.over)
        self.assertEqual(held_too(over, own, own, PLAY, 1.0), "brace")
        middle = (*own[:2], replace(own[2], at_mm=(50.0, 60.0)))
        self.assertEqual(held_too(over, middle, middle, PLAY, 1.0), "")


class AsTheCalculatorDoes(unittest.TestCase):
    def test_tabs_on_one_edge_lack_what_it_says(self):
        """Put in turned over, tabs of one edge go end for end: with the same pairs and the same shortfall as ``one_way`` reckons."""
        rng, near = random.Random(9), 0
        for _ in range(60):
            places = rng.choice(((15.0, 52.0, 88.0), (20.0, 50.0, 80.0), (18.0, 50.6, 81.5), (10.0, 40.0, 75.0)))
            own = tuple(tab("down", "base", at, rng.choice((12.0, 12.5, 15.0))) for at in places)
            over = [w for w in other_ways(own, own, PLAY, 1e3) if w.over]
            tabs = tuple(Opening(f.id, f.at_mm[0], 0.0, f.wide_mm, 4.0) for f in own)
            slots = tuple(Opening(f.id, f.at_mm[0], 0.0, f.wide_mm + PLAY, 4.0 + PLAY) for f in own)
            reckoned = next(w for w in ways_in(tabs, slots) if w.way == "turned over end for end")
            told = next((w for w in over if tuple((a.id, b.id) for a, b in w.pairs) == reckoned.pairs), None)
            if told is not None:
                self.assertAlmostEqual(told.short_mm, reckoned.worst_short_mm, places=9)
            if reckoned.worst_short_mm <= 1.0:
                near += 1
                self.assertIsNotNone(told, "what nearly goes in is found")
            self.assertGreaterEqual(min((w.short_mm for w in over), default=math.inf), reckoned.worst_short_mm - 1e-9)
        self.assertGreater(near, 5)


class InABuild(unittest.TestCase):
    """A corner plate with a tab down into a floor and one sideways into a wall."""

    def made(self, hole):
        pieces = (
            Piece("floor", "Floor", 4.0, outline=straight(((0, 0), (200, 0), (200, 100), (0, 100)))),
            Piece("wall", "Wall", 4.0, outline=straight(((0, 0), (100, 0), (100, 160), (0, 160)))),
            Piece("corner", "Corner plate", 4.0, outline=straight(((0, 0), (90, 0), (90, 90), (0, 90))), own_holes=hole),
        )
        build = CAIRN
        for piece in pieces:
            build = piece_edits.with_piece(build, piece)
        stand = Stand(
            "corner-stand",
            "Corner stand",
            (
                StandPart("floor", "floor", (0.0, 0.0, 0.0), "up"),
                StandPart("wall", "wall", (94.0, 0.0, 0.0), "rearward"),
                StandPart("corner", "corner", (90.0, 52.0, 0.0), "right"),
            ),
        )
        build = with_stand(build, stand)
        return with_joints(build, Scene(build, build.options[0]), stand.id)

    def findings(self, build):
        return stand_findings(Scene(build, build.options[0]), build.stand("corner-stand"))

    def test_turned_over_about_its_corner(self):
        build = self.made((OwnHole("a", 20.0, 60.0, 9.0),))
        joints = build.stand("corner-stand").joints
        self.assertEqual({(j.tabbed, j.slotted) for j in joints}, {("corner", "floor"), ("corner", "wall"), ("wall", "floor")})
        self.assertEqual([w for w in self.findings(build).state.wrong if w.part == "corner"], [], "as proposed the two edges differ")
        like = {j.slotted: j.tabs for j in joints if j.tabbed == "corner"}["floor"]
        long = {j.slotted: j.long_mm for j in self.findings(build).state.joints if j.tabbed == "corner"}
        scene = Scene(build, build.options[0])
        # The same two tabs as far from the corner that floor and wall share.
        corner = {j.slotted: j for j in self.findings(build).state.joints if j.tabbed == "corner"}
        meets = max(((p, q) for p in (corner["floor"].a, corner["floor"].b) for q in (corner["wall"].a, corner["wall"].b)),
                    key=lambda pq: -math.dist(*pq))  # fmt: skip
        from_floor = [t.at_mm if meets[0] == corner["floor"].a else long["floor"] - t.at_mm for t in like]
        reach = [s + math.dist(meets[0], (90, 0)) - math.dist(meets[1], (90, 0)) for s in from_floor]
        on_wall = [s if meets[1] == corner["wall"].a else long["wall"] - s for s in reach]
        tabs = tuple(replace(t, at_mm=s) for t, s in zip(like, on_wall, strict=True))
        same = with_joints(build, scene, "corner-stand", {("corner", "wall"): tabs})
        wrong = [w for w in self.findings(same).state.wrong if w.part == "corner"]
        self.assertEqual([(w.turn, set(w.swaps)) for w in wrong], [("turned over", {("floor", "wall"), ("wall", "floor")})])
        fit = wrong[0]
        mended = with_tab_changed(
            same,
            Scene(same, same.options[0]),
            "corner-stand",
            ("corner", fit.change.slotted),
            fit.change.tab,
            fit.change.wider_mm,
            fit.change.along_mm,
        )
        self.assertEqual([w for w in self.findings(mended).state.wrong if w.part == "corner"], [])
        self.assertTrue(fit.change.only)


if __name__ == "__main__":
    unittest.main()
