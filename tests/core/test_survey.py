"""Points got in every way, their doubt against a thousand simulated measurements, and wrong readings found among good ones."""

import math
import random
import statistics
import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.linalg import null_space

from elmpeg.core.base.pose import Pose, placed
from elmpeg.core.build.components import Component
from elmpeg.core.build.document import Build
from elmpeg.core.build.options import Option, Position
from elmpeg.core.build.survey import Datum, Levelling, LevelPlace, Point, Reading, Span
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.judging.doubt import doubt_of
from elmpeg.core.methods.measuring.rigid_fit import PointPair, rigid_fit, suspicion
from elmpeg.core.methods.measuring.tape_distances import Known, Tape, taped_point
from elmpeg.core.methods.measuring.tape_network import Node, Strut, _Net, network_fit
from elmpeg.core.scene.located_points import surveyed
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.measure.measuring_list import quantities
from elmpeg.core.stages.place.measured_position import sighted
from elmpeg.core.stages.reference.reference_edits import levelled_by_gauge, levelled_by_heights, moved_by_levelling, with_levelling
from elmpeg.demo import bookworm, cairn
from tests.effort import at_most

WHEN = "2026-11-20T09:00:00"
CORNERS = {
    "A": (0.0, -400.0, 600.0),
    "B": (0.0, 400.0, 605.0),
    "C": (900.0, -405.0, 600.0),
    "D": (905.0, 398.0, 610.0),
    "E": (450.0, 0.0, 350.0),
    "F": (460.0, 10.0, 900.0),
}
"""A frame bay: its four corners, one point below and one above it."""


def reading(n, along, value, tool="tape", **more):
    return Reading(f"r{n}", along, f"{value:g}", value, tool, "Teo Marsh", WHEN, **more)


def build(*points, **more):
    option = Option("o", "only")
    return Build("b", "b", "v", Datum("here", ""), points=points, options=(option,), **more)


def holes(sd=0.5):
    return tuple(Point(k, f"hole {k}", "vehicle", "hole", xyz, (0, 0, 1), 10, sd_mm=sd) for k, xyz in CORNERS.items())


def at(made, point="p"):
    return surveyed(made).points[point]


class Ways(unittest.TestCase):
    """Each way a person gets a point gives the place that it must."""

    def test_offsets_from_another_point_follow_it(self):
        made = build(
            *holes(),
            Point(
                "p",
                "p",
                "vehicle",
                "hole",
                (0, 0, 0),
                start="C",
                readings=tuple(reading(a, a, v) for a, v in zip("xyz", (10.0, -5.0, 2.0), strict=True)),
            ),
        )
        self.assertEqual(at(made).xyz_mm, (910.0, -410.0, 602.0))
        self.assertAlmostEqual(at(made).sd_mm[0], math.hypot(1.0, 0.5))
        scene = Scene(made, made.options[0])
        self.assertEqual(scene.with_point_shifted("C", (3.0, 0, 0)).xyz("p"), (913.0, -410.0, 602.0))

    def test_edges_give_centre_and_diameter_and_half_the_doubt(self):
        edges = (
            reading(1, "x", 95.0, "caliper", edge="near"),
            reading(2, "x", 105.4, "caliper", edge="far"),
            reading(3, "y", 0.0),
            reading(4, "z", 0.0),
        )
        where = at(build(Point("p", "p", "vehicle", "hole", (0, 0, 0), got="edges", readings=edges)))
        self.assertAlmostEqual(where.xyz_mm[0], 100.2)
        self.assertAlmostEqual(where.fix.hole_mm, 10.4)
        self.assertAlmostEqual(where.sd_mm[0], 0.05 / math.sqrt(2))
        swapped = (replace(edges[0], value_mm=110.0), *edges[1:])
        self.assertIn("swapped", at(build(Point("p", "p", "vehicle", "hole", (0, 0, 0), got="edges", readings=swapped))).fix.trouble)
        self.assertIn(
            "read the far edge too", at(build(Point("p", "p", "vehicle", "hole", (0, 0, 0), got="edges", readings=edges[:1]))).fix.trouble
        )

    def test_the_middle_halves_its_ends_doubt_together(self):
        where = at(build(*holes(1.0), Point("p", "p", "vehicle", "corner", (0, 0, 0), got="middle", between=("A", "B"))))
        self.assertEqual(where.xyz_mm, (0.0, 0.0, 602.5))
        self.assertAlmostEqual(where.sd_mm[1], math.sqrt(0.5))

    def test_centre_distances_lie_in_the_plane_of_the_points_they_start_from(self):
        flat = tuple(
            Point(k, k, "vehicle", "hole", xyz, sd_mm=0.1) for k, xyz in (("A", (0, 0, 50)), ("B", (300, 0, 50)), ("C", (0, 200, 50)))
        )
        tapes = tuple(reading(n, "tape", math.dist((120, 80, 50), p.xyz_mm), "caliper", held_at=p.id) for n, p in enumerate(flat))
        where = at(build(*flat, Point("p", "p", "vehicle", "hole", (100, 90, 50), got="centres", near_mm=(100, 90, 50), readings=tapes)))
        for got, want in zip(where.xyz_mm, (120, 80, 50), strict=True):
            self.assertAlmostEqual(got, want, delta=0.01)

    def test_impossible_tapes_are_named_with_both_their_ends(self):
        tapes = (reading(1, "tape", 300.0, held_at="A"), reading(2, "tape", 350.0, held_at="B"), reading(3, "tape", 1500.0, held_at="C"))
        trouble = at(build(*holes(), Point("p", "p", "vehicle", "hole", (0, 0, 0), got="tapes", readings=tapes))).fix.trouble
        self.assertIn("“300” from A and “350” from B cannot both be right: together they are shorter", trouble)
        self.assertIn("“300” from A and “1500” from C cannot both be right: they differ by more", trouble)

    def test_gravity_readings_on_a_tilted_vehicle_are_turned_back(self):
        true = (3000.0, 500.0, 700.0)
        level = Levelling("l", "gauges", 1.0, -0.5, 0.05, "corrected", "Teo Marsh", WHEN)
        stood = placed(Pose(0, 0, 0, level.roll_deg, level.pitch_deg, 0)).direction(true)
        point = Point(
            "p",
            "p",
            "vehicle",
            "hole",
            (0, 0, 0),
            readings=tuple(reading(a, a, v, "plumb", level="l") for a, v in zip("xyz", stood, strict=True)),
        )
        for got, want in zip(at(build(point, levellings=(level,))).xyz_mm, true, strict=True):
            self.assertAlmostEqual(got, want, delta=1e-6)
        shimmed = replace(level, applied="levelled")
        self.assertAlmostEqual(at(build(point, levellings=(shimmed,))).xyz_mm[2], stood[2])

    def test_levelling_again_moves_nothing_unless_asked(self):
        made = cairn.build()
        steeper = levelled_by_gauge((1.0,), (0.0,), 0.1)
        moved = moved_by_levelling(made, steeper)
        self.assertEqual({m.point for m in moved}, {"hanger-left", "hanger-right"})
        kept, turned = (surveyed(with_levelling(made, steeper, old_too=t)).points["hanger-left"].xyz_mm for t in (False, True))
        self.assertEqual(kept, surveyed(made).points["hanger-left"].xyz_mm)
        shift = next(m.shift_mm for m in moved if m.point == "hanger-left")
        for a, b, s in zip(kept, turned, shift, strict=True):
            self.assertAlmostEqual(b - a, s)

    def test_heights_on_a_plane_give_its_tilt(self):
        a, b = math.tan(math.radians(-0.8)), 0.004
        places = tuple(
            LevelPlace(str(n), (x, y, 700 + a * x + b * y)) for n, (x, y) in enumerate(((0, -400), (0, 400), (2600, -400), (2600, 400)))
        )
        found = levelled_by_heights(places, 1.0)
        self.assertAlmostEqual(found.pitch_deg, 0.8)
        self.assertAlmostEqual(found.roll_deg, math.degrees(math.atan(b * math.cos(math.radians(0.8)))))


class Scatter(unittest.TestCase):
    """The stated doubt is the scatter of a thousand measurements of the same thing, within a fifth."""

    def test_a_taped_point(self):
        chance, true = random.Random(7), (380.0, -60.0, 420.0)
        sds = {"A": 1.0, "B": 1.5, "C": 1.0, "D": 2.0, "F": 1.0}
        found = []
        for _ in range(1000):
            tapes = tuple(Tape(k, CORNERS[k], math.dist(CORNERS[k], true) + chance.gauss(0, sd), sd) for k, sd in sds.items())
            fit = taped_point(tapes, (Known("z", true[2] + chance.gauss(0, 3.0), 3.0),), true)
            found.append(fit.xyz_mm)
        for i in range(3):
            self.assertAlmostEqual(statistics.stdev(f[i] for f in found) / fit.sd_mm[i], 1.0, delta=0.2)

    def test_a_mount_gap_and_a_point_measured_from_others(self):
        made = cairn.build()
        chance, base = random.Random(11), Scene(made, made.option("lifted"))
        check = evaluate(made, "lifted").check("mount.GM.gap")
        values = []
        for _ in range(1000):
            scene = base
            for point in ("GM-foot", "GM-seat"):
                sd = base.located(point).sd_mm
                scene = scene.with_point_shifted(point, tuple(chance.gauss(0, s) for s in sd))
                axis, tilt = made.point(point).axis, math.radians(base.located(point).axis_sd_deg)
                scene = scene.with_axis(point, tuple(a + chance.gauss(0, tilt) * (i < 2) for i, a in enumerate(axis)))
            seat, foot, n = np.array(scene.xyz("GM-seat")), np.array(scene.xyz("GM-foot")), np.array(scene.axis("GM-seat"))
            values.append(float((foot - seat) @ n / np.linalg.norm(n)))
        self.assertAlmostEqual(statistics.stdev(values) / check.sd, 1.0, delta=0.2)

    def test_an_error_in_one_known_point_moves_all_that_were_measured_from_it(self):
        """Two points offset from one base: the distance between them knows nothing of the base's doubt."""
        follow = tuple(
            Point(k, k, "vehicle", "hole", (0, 0, 0), start="A", readings=tuple(reading(a, a, v) for a, v in zip("xyz", xyz, strict=True)))
            for k, xyz in (("p", (100.0, 0.0, 0.0)), ("q", (400.0, 0.0, 0.0)))
        )
        made = build(Point("A", "A", "vehicle", "hole", (0, 0, 0), sd_mm=8.0), *follow)
        scene = Scene(made, made.options[0])
        doubt = doubt_of(scene, ("p", "q"), lambda s: (s.xyz("q")[0] - s.xyz("p")[0], s.xyz("q")[0]), (300.0, 400.0))
        self.assertAlmostEqual(doubt.sds[0], math.sqrt(2), places=6)
        self.assertAlmostEqual(doubt.sds[1], math.hypot(8.0, 1.0), places=6)
        self.assertGreater(next(r.share for r in doubt.shares[1] if r.point == "A"), 0.95)


class Mirrored(unittest.TestCase):
    """Three bare tapes meet in two places; both are true meeting points, one the other's mirror image, and no rest between them."""

    @settings(max_examples=60)
    @given(seed=st.integers(0, 10**6))
    def test_both_places_meet_all_tapes(self, seed):
        chance = random.Random(seed)
        held = [(chance.uniform(-2000, 2000), chance.uniform(-800, 800), 600.0) for _ in range(3)]
        if np.linalg.svd(np.array(held) - np.mean(held, axis=0))[1][1] < 200:
            return
        true = (chance.uniform(-2000, 2000), chance.uniform(-800, 800), 600.0 + chance.choice((-1, 1)) * chance.uniform(20, 900))
        tapes = tuple(Tape(str(n), p, math.dist(p, true), 1.0) for n, p in enumerate(held))
        found = taped_point(tapes)
        self.assertEqual(found.status, "ambiguous")
        for place, z in ((found.xyz_mm, max(true[2], 1200 - true[2])), (found.other_xyz_mm, min(true[2], 1200 - true[2]))):
            for got, want in zip(place, (*true[:2], z), strict=True):
                self.assertAlmostEqual(got, want, delta=0.01)


class Wrong(unittest.TestCase):
    """One wrong reading among good ones is found, and a good one is not blamed."""

    def bay(self, seed, wrong=None, off=25.4):
        chance = random.Random(seed)
        pairs = [(a, b) for i, a in enumerate(CORNERS) for b in list(CORNERS)[i + 1 :]]
        nodes = tuple(Node(k, xyz, (0.5, 0.5, 0.5)) for k, xyz in CORNERS.items())
        struts = tuple(
            Strut(f"{a}{b}", a, b, math.dist(CORNERS[a], CORNERS[b]) + chance.gauss(0, 1.0) + (off if f"{a}{b}" == wrong else 0), 1.0)
            for a, b in pairs
        )
        return network_fit(nodes, struts)

    def test_the_tape_that_is_an_inch_out_in_a_bay_of_six_points(self):
        found = [self.bay(seed, wrong).suspect_strut == wrong for seed in range(12) for wrong in ("AB", "AD", "BC", "EF", "CE")]
        self.assertGreaterEqual(sum(found) / len(found), 0.95)
        self.assertLessEqual(sum(self.bay(seed).suspect_strut is not None for seed in range(60)), 5)

    def test_a_point_with_a_wrong_coordinate_is_named_rather_than_its_tapes(self):
        chance = random.Random(3)
        shifted = {**CORNERS, "D": (905.0 + 25.4, 398.0, 610.0)}
        nodes = tuple(Node(k, xyz, (0.5, 0.5, 0.5)) for k, xyz in shifted.items())
        struts = tuple(
            Strut(f"{a}{b}", a, b, math.dist(CORNERS[a], CORNERS[b]) + chance.gauss(0, 0.5), 1.0)
            for i, a in enumerate(CORNERS)
            for b in list(CORNERS)[i + 1 :]
        )
        self.assertEqual((network_fit(nodes, struts).suspect_strut, network_fit(nodes, struts).suspect_node), (None, "D"))

    def test_a_freed_point_by_the_whole_table_of_every_tape_against_every_other(self):
        """The tapes that no shift of the point changes, held against their own table: the sparse way says the same."""
        for seed in range(40):
            chance = np.random.default_rng(seed)
            count = int(chance.integers(4, 8))
            places, doubts = chance.uniform(-1000, 1000, (count, 3)), chance.uniform(0.2, 2.0, (count, 3))
            moved = places + chance.normal(0, 1, places.shape) * doubts
            nodes = tuple(Node(str(k), tuple(p), tuple(d)) for k, (p, d) in enumerate(zip(places.tolist(), doubts.tolist(), strict=True)))
            pairs = [(a, b) for a in range(count) for b in range(a)]
            struts = tuple(Strut(f"{a}-{b}", str(a), str(b), math.dist(moved[a], moved[b]), 0.5) for a, b in pairs)
            net = _Net(nodes, struts)
            slopes = np.zeros((len(pairs), 3 * count))
            for row, (a, b) in enumerate(pairs):
                way = (places[b] - places[a]) / math.dist(places[a], places[b])
                slopes[row, 3 * b : 3 * b + 3], slopes[row, 3 * a : 3 * a + 3] = way, -way
            table = 0.25 * np.eye(len(pairs)) + slopes @ np.diag(doubts.ravel() ** 2) @ slopes.T
            np.testing.assert_allclose(net.sd_mm, np.sqrt(np.diag(table)), rtol=1e-9)
            free = null_space(slopes[:, 0:3].T).T
            left = free @ net.left_mm
            cost = net.cost_without("0")
            if cost is not None:
                self.assertAlmostEqual(cost, math.sqrt(left @ np.linalg.solve(free @ table @ free.T, left)), delta=1e-6)

    def test_as_many_tapes_as_a_build_keeps(self):
        """Five thousand tapes among three hundred points, one of which is an inch out: named, in the time of a look."""
        chance = np.random.default_rng(8)
        places = chance.uniform((-2000, -900, 0), (2000, 900, 1500), (300, 3))
        said = places.copy()
        said[17] += (25.4, 0.0, 0.0)
        nodes = tuple(Node(str(k), tuple(p), (0.5, 0.5, 0.5)) for k, p in enumerate(said.tolist()))
        ends = [(k % 300, (k * 7 + k // 300 + 1) % 300) for k in range(5000)]
        struts = tuple(Strut(str(k), str(a), str(b), math.dist(places[a], places[b]), 1.0) for k, (a, b) in enumerate(ends) if a != b)
        with at_most(self, 4.0):
            self.assertEqual(network_fit(nodes, struts).suspect_node, "17")

    def test_the_check_says_inch_and_names_the_tape(self):
        chance = random.Random(5)
        spans = tuple(
            Span(
                f"{a}{b}",
                a,
                b,
                "x",
                math.dist(CORNERS[a], CORNERS[b]) + chance.gauss(0, 0.7) + (25.4 if (a, b) == ("A", "D") else 0),
                "tape",
                "Pip",
                WHEN,
            )
            for i, a in enumerate(CORNERS)
            for b in list(CORNERS)[i + 1 :]
        )
        check = evaluate(build(*holes(), spans=spans), "o").check("span.AD")
        self.assertEqual(check.verdict, "fails")
        self.assertIn("This tape is the wrong one: the other 14 agree", check.why.template)
        self.assertIn("That is an inch", check.why.template)

    @settings(max_examples=40)
    @given(seed=st.integers(0, 10**6), wrong=st.sampled_from("ABCDF"), off=st.sampled_from((-25.4, 25.4, 40.0, -60.0)))
    def test_a_taped_point_never_blames_a_good_reading_without_noise(self, seed, wrong, off):
        chance = random.Random(seed)
        true = (chance.uniform(200, 700), chance.uniform(-300, 300), chance.uniform(100, 500))
        tapes = tuple(Tape(k, CORNERS[k], math.dist(CORNERS[k], true) + (off if k == wrong else 0), 1.0) for k in "ABCDF")
        found = taped_point(tapes, (Known("z", true[2], 1.0), Known("y", true[1], 1.0)), true)
        self.assertIn(found.suspect, (wrong, None))
        if found.status == "fixed":
            self.assertTrue(all(abs(v) <= 3 for _, v in found.residuals_mm))

    @settings(max_examples=30)
    @given(seed=st.integers(0, 10**6), yaw=st.floats(-170, 170), pitch=st.floats(-60, 60), roll=st.floats(-80, 80))
    def test_a_part_measured_with_noise_sits_where_it_sits(self, seed, yaw, pitch, roll):
        chance, pose = random.Random(seed), Pose(1200.0, -30.0, 560.0, roll, pitch, yaw)
        where = placed(pose)
        local = ((-310, -215, -25), (-310, 215, -25), (480, 0, -122), (900, 25, -20), (-645, 0, 0))
        pairs = tuple(PointPair(str(n), p, tuple(v + chance.gauss(0, 0.5) for v in where.point(p))) for n, p in enumerate(local))
        fit = rigid_fit(pairs)
        for point in local:
            self.assertLess(math.dist(placed(fit.pose).point(point), where.point(point)), 2.5)
        self.assertLess(fit.rms_mm, 2.0)
        off = (
            *pairs[:3],
            replace(pairs[3], measured_mm=tuple(v + d for v, d in zip(pairs[3].measured_mm, (20, 0, 25), strict=True))),
            pairs[4],
        )
        suspect = suspicion(off, 2.0)
        self.assertIn(suspect.id if suspect else None, ("3", None))


class Demo(unittest.TestCase):
    """What a newcomer is meant to find in the demo builds is there."""

    def test_cairn(self):
        checks = {c.code: c for c in evaluate(cairn.build(), "low").checks}
        self.assertEqual(checks["reading.front-hub-left.r1.r2"].verdict, "fails")
        self.assertEqual(checks["mirror.hangers"].verdict, "fails")
        self.assertIn("borrowed", checks["line.front.F1"].why.template)
        self.assertEqual({c for c in checks if c.startswith("span") and checks[c].verdict == "fails"}, {"span.t4"})
        self.assertEqual(sighted(cairn.build(), "low", "engine").suspect, "crank-nose")

    def test_bookworm(self):
        checks = {c.code: c for c in evaluate(bookworm.build(), "first").checks}
        self.assertIn("60 15/16 in", checks["place.fuse-box"].why.template)
        self.assertIn("two places", checks["place.cable-stud"].why.template)
        self.assertIn("add 1 more", checks["place.tank-lug"].why.template)
        self.assertGreater(sum(c.verdict == "unknown" for c in checks.values()), 3)

    def test_the_list_asks_for_what_is_missing_first(self):
        asked = quantities(bookworm.build(), "missing")
        self.assertIn("s:skirt-3", [q.id for q in asked])
        self.assertIn("p:MF-seat:x::", [q.id for q in asked])
        self.assertNotIn("p:rail-lf:x::", [q.id for q in asked])
        taped = quantities(bookworm.build(), "vehicle")
        self.assertIn("tape from right rail, front datum hole", [q.what for q in taped if q.point == "fuse-box"])


class Placing(unittest.TestCase):
    """A part's own points found in the vehicle."""

    def test_the_pose_that_carried_them_comes_back(self):
        pose = Pose(700.0, 20.0, 580.0, 1.0, 2.5, -0.7)
        local = {"a": (0.0, 0.0, 0.0), "b": (400.0, 0.0, 50.0), "c": (0.0, 300.0, -20.0)}
        bench = tuple(Point(k, k, "engine", "hole", xyz) for k, xyz in local.items())
        seen = tuple(Point(f"{k}-seen", f"{k} seen", "vehicle", "hole", placed(pose).point(xyz), same_as=k) for k, xyz in local.items())
        made = build(*bench, *seen, components=(Component("engine", "engine", Pose()),))
        made = replace(made, options=(replace(made.options[0], positions=(Position("engine", Pose()),)),))
        found = sighted(made, "o", "engine")
        self.assertLess(found.rms_mm, 1e-9)
        self.assertAlmostEqual(found.pose.pitch_deg, 2.5)
        self.assertAlmostEqual(found.pose.x_mm, 700.0)


if __name__ == "__main__":
    unittest.main()
