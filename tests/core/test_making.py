"""Folds, copes, prints, tabs, seams and plans against folding it back, brute force and rays."""

import itertools
import math
import random
import unittest

import numpy as np
from scipy.optimize import linprog
from scipy.spatial.transform import Rotation

from elmpeg.core.base.errors import InputError
from elmpeg.core.methods.measuring.plane_projection import Mark, suspect_mark
from elmpeg.core.methods.measuring.print_scale import PrintedLength, print_scale
from elmpeg.core.methods.planning.critical_path import Task, plan
from elmpeg.core.methods.sheet_metal.bends import Bend, Strip, flat_length
from elmpeg.core.methods.sheet_metal.folded_bracket import Face, FaceHole, folded_bracket
from elmpeg.core.methods.sheet_metal.tabs_and_slots import WAYS, Opening, ways_in
from elmpeg.core.methods.tubes.cope import cope
from elmpeg.core.methods.welding.seam_order import Seam, seam_order


class Flats(unittest.TestCase):
    def test_thin_sheet_loses_nothing(self):
        """As sheet and radius go to nothing the flat is the sum of the flanges."""
        found = flat_length(1e-6, (50, 90, 30), (Bend(90, 1e-6), Bend(-45, 1e-6)))
        self.assertAlmostEqual(found.flat_mm, 170, places=4)
        self.assertAlmostEqual(found.lines_mm[0], 50, places=4)
        self.assertAlmostEqual(found.lines_mm[1], 140, places=4)

    def test_a_strip_folded_by_a_known_k_tells_that_k(self):
        for k in (0.28, 0.42, 0.5):
            flat = flat_length(4.8, (50, 60), (Bend(75, 4, k),)).flat_mm
            found = flat_length(4.8, (60, 92, 60), (Bend(90, 3), Bend(90, 3, 0.33)), Strip(flat, (50, 60), 75, 4))
            self.assertAlmostEqual(found.k_of_strip, k)
            self.assertAlmostEqual(found.k[0], k)
            self.assertEqual(found.k[1], 0.33)

    def test_walked_along_the_neutral_line_it_is_as_long(self):
        """The folded profile is drawn step by step, straight and round, and its outside corners measured."""
        t, bends, flanges = 3.0, (Bend(90, 4, 0.4), Bend(-60, 2, 0.35), Bend(30, 6, 0.45)), (60.0, 80.0, 70.0, 40.0)
        found = flat_length(t, flanges, bends)
        straight = [found.lines_mm[0] - found.arcs_mm[0] / 2]
        arc, line = found.arcs_mm, found.lines_mm
        straight += [line[k] - arc[k] / 2 - line[k - 1] - arc[k - 1] / 2 for k in (1, 2)]
        straight.append(found.flat_mm - found.lines_mm[-1] - found.arcs_mm[-1] / 2)
        for k, length in enumerate(straight):
            ends = [(b.inside_radius_mm + t) * math.tan(math.radians(abs(b.angle_deg)) / 2) for b in bends[max(0, k - 1) : k + 1]]
            self.assertAlmostEqual(length + sum(ends), flanges[k])
        arcs = [math.radians(abs(b.angle_deg)) * (b.inside_radius_mm + b.k * t) for b in bends]
        self.assertAlmostEqual(sum(straight) + sum(arcs), found.flat_mm)

    def test_a_flange_shorter_than_its_bends_is_named_with_the_least(self):
        with self.assertRaises(InputError) as refused:
            flat_length(6, (90, 20, 90), (Bend(90, 6), Bend(90, 6)))
        self.assertEqual(refused.exception.errors[0].field, "flanges_mm.1")
        self.assertIn("24.0 mm is the least", refused.exception.message)


def folded(bracket, holes_a, holes_b, t):
    """The flat folded up again: where each hole's centre, on the side that touches, comes to lie."""
    back, beta = bracket.setback_mm, math.radians(bracket.bend_deg)
    places = {}
    for h in bracket.flat:
        first = h.id in holes_a
        depth = t if bracket.flanges[0 if first else 1].touches_inside else 0.0
        out = abs(h.y_mm) - bracket.arc_mm / 2 + back
        # Seen from above, which is outside: outer face of A on z = 0, metal below; B turned down about the sharp line.
        if first:
            places[h.id] = np.array([h.x_mm, -out, -depth])
        else:
            along, up = np.array([0, math.cos(beta), -math.sin(beta)]), np.array([0, -math.sin(beta), -math.cos(beta)])
            places[h.id] = h.x_mm * np.array([1.0, 0, 0]) + out * along + depth * up
    return places


class Brackets(unittest.TestCase):
    def random_faces(self, rng, beta, t):
        """Two faces whose flanges do meet: made in a plain frame, then turned anywhere."""
        sides = rng.choice((True, False)), rng.choice((True, False))
        inward_b = np.array([0, -math.sin(beta), math.cos(beta)])
        along_b = np.array([0, math.cos(beta), math.sin(beta)])
        a = [np.array([rng.uniform(-60, 60), -rng.uniform(40, 90), t if sides[0] else 0.0]) for _ in range(3)]
        b = [
            rng.uniform(-60, 60) * np.array([1.0, 0, 0]) + rng.uniform(60, 110) * along_b + (t if sides[1] else 0) * inward_b
            for _ in range(3)
        ]
        turn = Rotation.from_euler("xyz", [rng.uniform(-180, 180) for _ in range(3)], degrees=True)
        shift = np.array([rng.uniform(-500, 500) for _ in range(3)])
        # From the surface into the sheet: inwards where the surface is the outer face, outwards where it is the inner.
        normals = [np.array([0, 0, -1.0 if sides[0] else 1.0]), inward_b * (-1.0 if sides[1] else 1.0)]
        faces = []
        for name, points, n in (("A", a, normals[0]), ("B", b, normals[1])):
            holes = tuple(FaceHole(f"{name}{k}", tuple(turn.apply(p) + shift), 11) for k, p in enumerate(points))
            faces.append(Face(tuple(turn.apply(n)), holes))
        return faces

    def test_folded_up_again_the_holes_lie_on_the_given_points(self):
        rng = random.Random(31)
        for _ in range(40):
            beta, t = math.radians(rng.uniform(20, 120)), rng.uniform(2, 6)
            a, b = self.random_faces(rng, beta, t)
            made = folded_bracket(t, 4, a, b, 0.42)
            self.assertAlmostEqual(made.bend_deg, math.degrees(beta), places=6)
            places = folded(made, {h.id for h in a.holes}, None, t)
            given = {h.id: np.array(h.xyz_mm) for h in (*a.holes, *b.holes)}
            for one, other in itertools.combinations(given, 2):
                wanted = np.linalg.norm(given[one] - given[other])
                self.assertAlmostEqual(np.linalg.norm(places[one] - places[other]), wanted, places=6)
            # The hand: no mirrored piece has these distances with its holes in this turn.
            m = [np.stack([p["A1"] - p["A0"], p["A2"] - p["A0"], p["B0"] - p["A0"]]) for p in (places, given)]
            self.assertGreater(np.linalg.det(m[0]) * np.linalg.det(m[1]), 0)

    def test_mirrored_faces_make_the_mirrored_piece(self):
        a, b = self.random_faces(random.Random(5), math.radians(80), 3)

        def over(face):
            return Face((face.normal[0], -face.normal[1], face.normal[2]),
                        tuple(FaceHole(h.id, (h.xyz_mm[0], -h.xyz_mm[1], h.xyz_mm[2]), 11) for h in face.holes))  # fmt: skip

        one, other = folded_bracket(3, 3, a, b), folded_bracket(3, 3, over(a), over(b))
        for h, g in zip(one.flat, other.flat, strict=True):
            self.assertAlmostEqual(h.x_mm, -g.x_mm, places=6)
            self.assertAlmostEqual(h.y_mm, g.y_mm, places=6)

    def test_without_thickness_the_flat_is_the_way_over_the_line(self):
        a = Face((0, 0, 1), (FaceHole("A", (30, 0, 0), 8),))
        b = Face((0, -1, 0), (FaceHole("B", (30, 70, 55), 8),))
        self.assertAlmostEqual(folded_bracket(1e-7, 1e-7, a, b).distance_mm("A", "B"), 125, places=4)

    def test_parallel_faces_are_told_with_their_offset(self):
        a, b = Face((0, 0, 1), (FaceHole("A", (0, 0, 0), 8),)), Face((0, 0, -1), (FaceHole("B", (90, 0, 40), 8),))
        with self.assertRaisesRegex(InputError, "parallel.*40.0 mm"):
            folded_bracket(4, 4, a, b)


class Copes(unittest.TestCase):
    def test_every_place_of_the_edge_lies_on_the_header(self):
        rng = random.Random(8)
        for _ in range(20):
            od, r = rng.uniform(20, 50), rng.uniform(50, 90)
            offset, angle = rng.uniform(-1, 1) * (r - od) / 2, rng.uniform(35, 145)
            turns = tuple(rng.uniform(0, 360) for _ in range(12))
            made = cope(od, r, angle, offset, turns)
            a = math.radians(angle)
            # Header along x; branch leaves the origin's side at the angle to it; turn 0 on the obtuse side.
            axis = np.array([math.cos(a), 0, math.sin(a)])
            obtuse = np.array([-math.sin(a), 0, math.cos(a)])
            for p in made.profile:
                turn = math.radians(p.turn_deg)
                out = od / 2 * (math.cos(turn) * obtuse + math.sin(turn) * np.array([0, 1, 0])) + np.array([0, offset, 0])
                place = out + (p.along_mm + made.centre_to_longest_mm) * axis
                self.assertAlmostEqual(math.hypot(place[1], place[2]), r / 2, places=6)
            dense = cope(od, r, angle, offset, tuple(np.linspace(0, 360, 3601)))
            self.assertAlmostEqual(min(p.along_mm for p in dense.profile), 0, delta=1e-4)
            self.assertGreaterEqual(min(p.along_mm for p in dense.profile), -1e-9)
            self.assertAlmostEqual(max(p.along_mm for p in dense.profile), made.deepest_mm, delta=1e-4)

    def test_beside_the_header_is_refused_by_the_figure_that_does_it(self):
        for args, field in (((42.4, 48.3, 90, 10), "offset_mm"), ((50, 48.3, 90, 0), "branch_od_mm")):
            with self.assertRaises(InputError) as refused:
                cope(*args, (0,))
            self.assertEqual(refused.exception.errors[0].field, field)


class Prints(unittest.TestCase):
    def test_printed_again_as_told_it_is_true(self):
        marks = (PrintedLength("x", 150, 146.1), PrintedLength("x", 80, 77.9), PrintedLength("y", 100, 101.2))
        found = print_scale(marks, (180, 240), 0.3)
        self.assertFalse(found.true_size)
        factors = dict(zip("xy", (p / 100 for p in found.print_at_pct), strict=True))
        again = tuple(PrintedLength(m.along, m.nominal_mm, m.measured_mm * factors[m.along]) for m in marks)
        self.assertTrue(print_scale(again, (180, 240), 0.3).true_size)

    def test_one_way_alone_is_refused(self):
        for way, missing in (("x", "y"), ("y", "x")):
            with self.assertRaisesRegex(InputError, f"none along {missing}"):
                print_scale((PrintedLength(way, 100, 100),), (100, 100), 1)


class Photographs(unittest.TestCase):
    def test_only_the_mark_that_was_typed_wrong_is_suspected(self):
        h = np.array([[7, 0.4, 420], [0.5, 9, 310], [1e-4, 3e-4, 1]])
        places = [(0, 0), (210, 0), (210, 297), (0, 297), (105, 0), (0, 150), (100, 200)]

        def seen(xy):
            u, v, w = h @ (*xy, 1)
            return (u / w, v / w)

        marks = [Mark(seen(p), p) for p in places]
        self.assertIsNone(suspect_mark(tuple(marks), 2))
        for k in range(len(marks)):
            wrong = list(marks)
            wrong[k] = Mark((marks[k].px[0] + 60, marks[k].px[1] - 30), marks[k].at_mm)
            self.assertEqual(suspect_mark(tuple(wrong), 2), k)
        self.assertIsNone(suspect_mark(tuple(wrong[:5]), 2))


def by_brute_force(tabs, slots, sx, sy):
    """Every assignment, each axis' shift by linear programming."""
    best = math.inf
    for chosen in itertools.permutations(slots, len(tabs)):
        worst = []
        for sign, axis, size in ((sx, "x_mm", "wide_mm"), (sy, "y_mm", "tall_mm")):
            rows, right = [], []
            for tab, slot in zip(tabs, chosen, strict=True):
                miss = getattr(slot, axis) - sign * getattr(tab, axis)
                play = (getattr(slot, size) - getattr(tab, size)) / 2
                rows += [[-1, -1], [1, -1]]
                right += [play - miss, play + miss]
            worst.append(linprog([0, 1], A_ub=rows, b_ub=right, bounds=[(None, None)] * 2).fun)
        best = min(best, max(worst))
    return best


class Tabs(unittest.TestCase):
    def test_as_by_trying_every_assignment(self):
        rng = random.Random(13)

        def some(n):
            return tuple(
                Opening(f"{k}", rng.uniform(-80, 80), rng.uniform(-50, 50), rng.uniform(10, 30), rng.uniform(4, 9)) for k in range(n)
            )

        for n, m in ((1, 2), (2, 3), (3, 4), (3, 3)):
            tabs, slots = some(n), some(m)
            for way, (_, sx, sy) in zip(ways_in(tabs, slots), WAYS, strict=True):
                self.assertAlmostEqual(way.worst_short_mm, by_brute_force(tabs, slots, sx, sy), places=6)

    def test_eight_tabs_in_sixteen_slots_are_still_tried_exactly(self):
        rng = random.Random(3)
        slots = tuple(Opening(f"s{k}", 40.0 * (k % 4), 40.0 * (k // 4), 20.4, 5.4) for k in range(16))
        picked = rng.sample(slots, 8)
        tabs = tuple(Opening(f"t{k}", s.x_mm + 7, s.y_mm - 3, 20, 5) for k, s in enumerate(picked))
        self.assertAlmostEqual(ways_in(tabs, slots)[0].worst_short_mm, -0.2)


class Seams(unittest.TestCase):
    def test_no_other_order_pulls_less(self):
        rng = random.Random(17)
        for n in (1, 2, 5, 7):
            seams = tuple(Seam(f"w{k}", rng.uniform(20, 90), tuple(rng.uniform(-300, 300) for _ in range(3))) for k in range(n))
            found = seam_order(seams)
            lengths, at = np.array([s.length_mm for s in seams]), np.array([s.at_mm for s in seams])
            pulls = lengths[:, None] * (at - lengths @ at / lengths.sum())

            def worst(order, pulls=pulls):
                return np.linalg.norm(np.cumsum(pulls[list(order)], axis=0), axis=1).max()

            self.assertAlmostEqual(found.worst_mm2, min(worst(o) for o in itertools.permutations(range(n))), places=6)
            self.assertAlmostEqual(worst([int(name[1:]) for name in found.order]), found.worst_mm2, places=6)
            self.assertAlmostEqual(found.pulls_mm2[-1], 0, places=6)

    def test_sixteen_are_put_in_order(self):
        rng = random.Random(1)
        seams = tuple(Seam(f"w{k}", 40, (rng.uniform(-300, 300), rng.uniform(-80, 80), 0)) for k in range(16))
        found = seam_order(seams)
        self.assertEqual(sorted(found.order), sorted(s.id for s in seams))
        self.assertLessEqual(found.worst_mm2, max(found.pulls_mm2) + 1e-6)


class Plans(unittest.TestCase):
    def test_as_long_as_the_longest_chain_and_slack_is_what_can_be_added(self):
        rng = random.Random(23)
        for _ in range(10):
            tasks = tuple(
                Task(f"t{k}", rng.choice((0, 4, 9)), rng.choice((0, 0, 3)), tuple(f"t{j}" for j in range(k) if rng.random() < 0.3))
                for k in range(9)
            )
            found = plan(tasks, 8)
            lasts = {t.id: t.hours / 8 + t.days for t in tasks}

            def until(name, lasts=lasts, tasks=tasks):
                return lasts[name] + max((until(o) for t in tasks if t.id == name for o in t.after), default=0)

            self.assertAlmostEqual(found.total_days, max(until(t.id) for t in tasks))
            for k, t in enumerate(found.tasks):
                for extra, late in ((t.slack_days, False), (t.slack_days + 0.5, True)):
                    longer = [*tasks]
                    longer[k] = Task(tasks[k].id, tasks[k].hours, tasks[k].days + extra, tasks[k].after)
                    self.assertEqual(plan(tuple(longer), 8).total_days > found.total_days + 1e-9, late)

    def test_a_circle_names_who_is_in_it(self):
        ring = (Task("x"), Task("a", 1, 0, ("c",)), Task("b", 1, 0, ("a",)), Task("c", 1, 0, ("b", "x")))
        with self.assertRaises(InputError) as refused:
            plan(ring, 8)
        self.assertRegex(refused.exception.message, "“[abc]” would have to be done before itself")
        self.assertNotIn("x →", refused.exception.message)
        with self.assertRaisesRegex(InputError, "none of the tasks"):
            plan((Task("a", 1, 0, ("gone",)),), 8)
