"""Patterns that must meet, plates between them, and chains: worked by hand, by brute force, and by turning everything about."""

import itertools
import math
import random
import unittest
from dataclasses import replace

from hypothesis import given, settings
from hypothesis import strategies as st

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.document import Build
from elmpeg.core.build.hardware import CentreDistance, Chain, ChainLink, Match, Pattern, PatternHole
from elmpeg.core.build.options import Option
from elmpeg.core.build.pieces import OwnHole, Piece, PlateHole
from elmpeg.core.build.survey import Datum, Point
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.methods.fastening.pattern_fit import Hole, Stud, laid_anew, pattern_fit, wrong_ways
from elmpeg.core.methods.shapes.outlines import straight
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.piece_shape import piece_shape
from elmpeg.core.stages.mount.chains import chain_result, with_chain
from elmpeg.core.stages.mount.patterns import both_sides, from_distances, from_points, next_drill_mm, with_pattern, without_pattern
from elmpeg.core.stages.mount.plates import plate_geometry, with_plate, without_plate
from elmpeg.demo import cairn
from tests.effort import at_most

SQUARE = ((0.0, 0.0), (120.0, 0.0), (120.0, 80.0), (20.0, 95.0))


def plate(points=SQUARE, hole=9.0):
    return tuple(Hole("abcdefghijkl"[i], p, hole) for i, p in enumerate(points))


def moved(points, turn_deg, shift, mirrored=False):
    c, s = math.cos(math.radians(turn_deg)), math.sin(math.radians(turn_deg))
    return [(c * x - s * y + shift[0], s * x + c * y + shift[1]) for x, y in ((-x if mirrored else x, y) for x, y in points)]


def studs(points, bolt=8.0, names="abcdefghijkl"):
    return tuple(Stud(names[i], p, bolt) for i, p in enumerate(points))


class Fitting(unittest.TestCase):
    """Dropping a plate over studs."""

    @given(turn=st.floats(-180, 180), x=st.floats(-500, 500), y=st.floats(-500, 500))
    def test_wherever_it_lies_it_drops_in_with_all_its_play(self, turn, x, y):
        fit = pattern_fit(plate(), studs(moved(SQUARE, turn, (x, y))))
        self.assertTrue(fit.drop_in)
        self.assertAlmostEqual(fit.worst_short_mm, -0.5, places=5)
        for hole in plate():
            want = moved([hole.xy_mm], turn, (x, y))[0]
            self.assertLess(math.dist(fit.moved(hole.xy_mm), want), 1e-3)

    def test_two_holes_a_millimetre_too_far_apart_share_it(self):
        fit = pattern_fit(plate(((0, 0), (101, 0))), studs(((0, 0), (100, 0))))
        self.assertAlmostEqual(fit.worst_short_mm, 0.5 - 0.5, places=6)
        tight = pattern_fit(plate(((0, 0), (101, 0)), 8.4), studs(((0, 0), (100, 0))))
        self.assertAlmostEqual(tight.worst_short_mm, 0.3, places=6)
        self.assertEqual([round(o.to_mm, 4) for o in tight.open_up], [9.0, 9.0])

    def test_unequal_play_takes_the_larger_share(self):
        fit = pattern_fit((Hole("a", (0, 0), 9.0), Hole("b", (103, 0), 11.0)), studs(((0, 0), (100, 0))))
        self.assertAlmostEqual(fit.worst_short_mm, (3.0 - 0.5 - 1.5) / 2, places=6)
        self.assertAlmostEqual({p.hole: p.miss_mm for p in fit.pairs}["b"], 2.0, places=5)

    @settings(max_examples=25)
    @given(seed=st.integers(0, 10**6))
    def test_no_small_move_does_better(self, seed):
        chance = random.Random(seed)
        points = [(chance.uniform(-200, 200), chance.uniform(-150, 150)) for _ in range(chance.randint(3, 8))]
        off = [(x + chance.gauss(0, 1.5), y + chance.gauss(0, 1.5)) for x, y in moved(points, chance.uniform(-180, 180), (40, -60))]
        holes, over = plate(points), studs(off)
        fit = pattern_fit(holes, over)
        centre = fit.moved((sum(x for x, _ in points) / len(points), sum(y for _, y in points) / len(points)))
        for _ in range(60):
            dx, dy, turn = chance.gauss(0, 0.4), chance.gauss(0, 0.4), chance.gauss(0, 0.2)
            worst = -9.0
            for hole, stud in zip(holes, over, strict=True):
                x, y = fit.moved(hole.xy_mm)
                (u, v), *_ = moved([(x - centre[0], y - centre[1])], turn, (centre[0] + dx, centre[1] + dy))
                worst = max(worst, math.dist((u, v), stud.xy_mm) - 0.5)
            self.assertGreaterEqual(worst, fit.worst_short_mm - 1e-6)

    def test_the_hole_laid_out_wrong_is_named_and_its_mirror_is_the_other_hand(self):
        for wrong in range(4):
            off = [(x + 4.0 * (i == wrong), y - 3.0 * (i == wrong)) for i, (x, y) in enumerate(SQUARE)]
            self.assertEqual(pattern_fit(plate(off), studs(SQUARE)).suspect, "abcd"[wrong])
        other = studs(moved(SQUARE, 33, (10, 20), mirrored=True))
        plain = pattern_fit(plate(), other)
        self.assertFalse(plain.drop_in or plain.mirrored)
        turned = pattern_fit(plate(), other, allow_mirror=True)
        self.assertTrue(turned.drop_in and turned.mirrored)
        self.assertFalse(pattern_fit(plate(), studs(moved(SQUARE, 33, (10, 20))), allow_mirror=True).mirrored)

    def test_without_turning_only_a_shift_is_found(self):
        fit = pattern_fit(plate(), studs(moved(SQUARE, 5, (10, 0))), allow_rotation=False)
        self.assertEqual(fit.rotation_deg, 0.0)
        self.assertGreater(fit.worst_short_mm, 3.0)

    def test_who_belongs_to_whom_is_found_among_twelve_with_little_work(self):
        chance = random.Random(3)
        points = [(chance.uniform(0, 400), chance.uniform(0, 300)) for _ in range(12)]
        order = list(range(12))
        chance.shuffle(order)
        over = tuple(Stud(f"s{i}", moved(points, 131, (70, -20))[i], 8.0) for i in order)
        with at_most(self, cpu_s=3.0):
            fit = pattern_fit(plate(points), over)
        self.assertTrue(all(p.stud == f"s{'abcdefghijkl'.index(p.hole)}" for p in fit.pairs))
        self.assertTrue(fit.drop_in)

    def off_by(self, rng, count, spread=0.6):
        """A plate over studs that are each a little off, laid anywhere."""
        turn = rng.uniform(-math.pi, math.pi)
        c, s = math.cos(turn), math.sin(turn)
        holes = tuple(Hole(f"h{k}", (rng.uniform(0, 400), rng.uniform(0, 300)), 9.0) for k in range(count))
        over = []
        for k, (x, y) in enumerate(h.xy_mm for h in holes):
            over.append(Stud(f"h{k}", (60 + c * x - s * y + rng.gauss(0, spread), 20 + s * x + c * y + rng.gauss(0, spread)), 8.0))
        return holes, tuple(over)

    def test_unnamed_pairs_are_those_of_every_pairing_that_do_best(self):
        for seed in range(12):
            rng = random.Random(seed)
            holes, over = self.off_by(rng, 4, spread=4.0)
            unnamed = tuple(replace(s, id=f"s{k}") for k, s in enumerate(over))
            best = min(
                pattern_fit(holes, unnamed, tuple(zip([h.id for h in holes], [s.id for s in some], strict=True))).worst_short_mm
                for some in itertools.permutations(unnamed)
            )
            self.assertAlmostEqual(pattern_fit(holes, unnamed).worst_short_mm, best, places=5)

    def test_a_mirrored_plate_is_taken_only_where_it_does_better(self):
        rng = random.Random(4)
        holes, over = self.off_by(rng, 5, spread=0.05)
        turned = tuple(replace(h, xy_mm=(-h.xy_mm[0], h.xy_mm[1])) for h in holes)
        self.assertFalse(pattern_fit(holes, over, allow_mirror=True).mirrored)
        found = pattern_fit(turned, over, allow_mirror=True)
        self.assertTrue(found.mirrored)
        self.assertAlmostEqual(found.worst_short_mm, pattern_fit(holes, over).worst_short_mm, places=6)

    def test_many_plates_laid_at_once_do_as_well_as_each_by_itself(self):
        for seed, count, turns in ((1, 1, True), (2, 2, True), (3, 3, True), (4, 4, False), (5, 6, True), (6, 9, True)):
            rng = random.Random(seed)
            holes, over = self.off_by(rng, count)
            fit = pattern_fit(holes, over, allow_rotation=turns)
            many = []
            for k, by in itertools.product(range(count), (-1.7, 0.02, 1.7)):
                moved = replace(holes[k], xy_mm=(holes[k].xy_mm[0] + by, holes[k].xy_mm[1]))
                many.append(((*holes[:k], moved, *holes[k + 1 :]), over))
            laid = laid_anew(many, fit, turns)
            for n, (some, studs_) in enumerate(many):
                alone = pattern_fit(some, studs_, allow_rotation=turns)
                worst = float((laid.miss_mm[n] - laid.float_mm[n]).max())
                with self.subTest(seed=seed, n=n):
                    self.assertGreater(worst, alone.worst_short_mm - 1e-5)
                    self.assertLess(worst, alone.worst_short_mm + 0.005)

    def test_refusals(self):
        for holes, over, pairs, field in (
            ((), studs(SQUARE), None, "holes"), (plate(), (), None, "studs"), ((*plate(), plate()[0]), studs(SQUARE), None, "holes"),
            (plate(), studs(SQUARE), (("z", "a"),), "pairs.0"), (plate(), studs(SQUARE), (("a", "a"), ("a", "b")), "pairs"), (plate(), studs(SQUARE), (), "pairs"),
        ):  # fmt: skip
            with self.subTest(field), self.assertRaises(InputError) as refused:
                pattern_fit(holes, over, pairs)
            self.assertEqual(refused.exception.errors[0].field, field)


class Sources(unittest.TestCase):
    """Where a pattern's figures come from."""

    def distances(self, points, noise=0.0, wrong=None):
        chance = random.Random(1)
        names = "abcdef"[: len(points)]
        return tuple(
            CentreDistance(a, b, "x", math.dist(points[i], points[j]) + chance.gauss(0, noise) + (2.0 if (a, b) == wrong else 0))
            for i, a in enumerate(names)
            for j, b in enumerate(names)
            if i < j
        )

    def test_distances_give_the_pattern_back_up_to_its_hand(self):
        points = ((0, 0), (140, 5), (150, 90), (60, 130), (-10, 80))
        found = from_distances(tuple("abcde"), self.distances(points), 9.0)
        for i, one in enumerate(found.holes):
            for j, other in enumerate(found.holes):
                self.assertAlmostEqual(math.dist((one.x_mm, one.y_mm), (other.x_mm, other.y_mm)), math.dist(points[i], points[j]), places=4)
        self.assertEqual((found.holes[0].x_mm, found.holes[0].y_mm), (0.0, 0.0))
        self.assertAlmostEqual(found.holes[1].y_mm, 0.0, places=6)
        self.assertGreater(found.holes[2].y_mm, 0)
        self.assertLess(max(abs(v) for _, v in found.left_mm), 1e-4)

    def test_the_distance_that_is_wrong_is_named(self):
        points = ((0, 0), (140, 5), (150, 90), (60, 130), (-10, 80))
        found = from_distances(tuple("abcde"), self.distances(points, 0.03, ("b", "d")), 9.0)
        self.assertEqual(found.suspect, "b–d")

    def test_too_few_distances_say_what_to_add(self):
        with self.assertRaises(InputError) as refused:
            from_distances(("a", "b", "c"), (CentreDistance("a", "b", "x", 10), CentreDistance("b", "c", "x", 10)), 9.0)
        self.assertIn("measure each new hole from two others", str(refused.exception))

    def test_points_are_laid_flat_and_one_off_the_plane_is_told(self):
        tilt = math.radians(30)

        def up(x, y, off=0.0):
            return (x, y * math.cos(tilt) - off * math.sin(tilt), y * math.sin(tilt) + off * math.cos(tilt))

        axis = (0.0, -math.sin(tilt), math.cos(tilt))
        made = tuple(
            Point(k, k, "vehicle", "hole", up(*p), axis, 9.0)
            for k, p in zip("abcd", ((10, 10), (110, 10), (110, 60), (10, 60)), strict=True)
        )
        build = Build("b", "b", "v", Datum("here", ""), points=made, options=(Option("o", "o"),))
        flat = from_points(build, tuple("abcd")).holes
        for hole, want in zip(flat, ((0, 0), (100, 0), (100, 50), (0, 50)), strict=True):
            self.assertAlmostEqual(hole.x_mm, want[0], places=6)
            self.assertAlmostEqual(hole.y_mm, want[1], places=6)
        bent = replace(build, points=(*made[:3], replace(made[3], xyz_mm=up(10, 60, 8.0))))
        self.assertTrue(from_points(bent, tuple("abcd")).left_mm)

    def test_patterns_in_use_stay(self):
        build = cairn.build()
        with self.assertRaisesRegex(InputError, "is still used by"):
            without_pattern(build, "runner")
        with self.assertRaisesRegex(InputError, "called"):
            with_pattern(build, replace(build.pattern("runner"), id="again"))
        self.assertEqual(next_drill_mm(9.6, (9.0, 10.0, 12.0)), 10.0)
        self.assertIsNone(next_drill_mm(13.0, (9.0,)))


class BothSides(unittest.TestCase):
    """One plate for left and right."""

    def test_a_plate_that_is_its_own_mirror_serves_both_and_a_slot_makes_up_the_rest(self):
        even = ((0, 0), (100, 0), (100, 60), (0, 60))
        right = moved(even, 180, (700, 400))
        self.assertEqual(both_sides(plate(even), studs(even), studs(right)).slots, ())
        off = [(x, y + 4.0 * (i == 2)) for i, (x, y) in enumerate(even)]
        sides = both_sides(plate(even), studs(even), studs(off))
        self.assertTrue(sides.left.drop_in)
        self.assertFalse(sides.right.drop_in)
        self.assertGreater(sides.longest_mm, 0.5)
        self.assertIn("c", [s.hole for s in sides.slots])


class Plates(unittest.TestCase):
    """Adapter plates."""

    def build(self, **more):
        lower = Pattern(
            "low",
            "low",
            "coordinates",
            tuple(PatternHole("abcd"[i], *p, 11.0) for i, p in enumerate(((0, 0), (200, 0), (200, 100), (0, 100)))),
            bolt_mm=10.0,
        )
        upper = Pattern("up", "up", "coordinates", (PatternHole("1", 0, 0, 9.0), PatternHole("2", 60, 0, 9.0)), bolt_mm=8.0)
        made = Piece("p", "plate", 10.0, "low", "up", shift_mm=(70.0, 50.0), margin_mm=15.0, **more)
        return Build("b", "b", "v", Datum("here", ""), patterns=(lower, upper), pieces=(made,), options=(Option("o", "o"),))

    def test_mass_and_edges_by_hand(self):
        build = self.build()
        made = plate_geometry(build, build.pieces[0])
        round_ = 11 / 2 + 15
        area = 200 * 100 + 2 * (200 + 100) * round_ + math.pi * round_**2 - 4 * math.pi * 11**2 / 4 - 2 * math.pi * 9**2 / 4
        self.assertAlmostEqual(made.mass_kg, area * 10 * 7850e-9, delta=0.005)
        self.assertAlmostEqual(made.size_mm[0], 200 + 2 * round_, delta=0.2)
        self.assertAlmostEqual({h.id: h.edge_mm for h in made.holes}["L-a"], round_, delta=0.1)
        self.assertEqual({h.id: h.xy_mm for h in made.holes}["U-2"], (130.0, 50.0))
        self.assertAlmostEqual(made.narrowest_mm, 60 - 9)

    def test_a_hole_has_one_letter_where_it_is_planned_and_where_it_is_made(self):
        draw = random.Random(4)
        for _ in range(20):
            own = tuple(OwnHole(f"own{k}", draw.uniform(0, 200), draw.uniform(0, 100), 7.0) for k in range(draw.randrange(4)))
            build = self.build(own_holes=own, turn_deg=draw.uniform(-40, 40))
            planned = {h.id: h.letter for h in plate_geometry(build, build.pieces[0]).holes}
            made = {h.id: h.letter for h in piece_shape(Scene(build, build.options[0]), build.pieces[0]).holes}
            self.assertEqual(planned, {i: made[i] for i in planned})
            self.assertEqual(sorted(made.values()), [chr(ord("A") + k) for k in range(6 + len(own))])

    def test_a_plate_that_goes_on_turned_is_told_and_a_lopsided_one_is_not(self):
        build = self.build()
        self.assertEqual({w.how for w in plate_geometry(build, build.pieces[0]).wrong_ways}, {"turned 180°", "turned over"})
        self.assertEqual(evaluate(build, "o").check("plate.p.hand").verdict, "near")
        marked = self.build(up="stamped", forward="notch")
        self.assertEqual(evaluate(marked, "o").check("plate.p.hand").verdict, "holds")
        odd = ((0, 0), (200, 0), (170, 100), (10, 70))
        self.assertEqual(wrong_ways(plate(odd), studs(odd), 4.0), ())

    def test_threads_and_countersinks_ask_for_their_thickness(self):
        holes = (PlateHole("lower", "a", "tapped", "M12x1.75"), PlateHole("upper", "1", "countersunk", "M8x1.25"))
        checks = {c.code: c for c in evaluate(self.build(holes=holes), "o").checks}
        self.assertEqual((checks["plate.p.tapped"].verdict, checks["plate.p.tapped"].low), ("fails", 12.0))
        self.assertEqual((checks["plate.p.countersunk"].verdict, checks["plate.p.countersunk"].low), ("holds", 4.96))
        thin = evaluate(self.build(outline=straight(((-12, -30), (240, -30), (240, 130), (-12, 130)))), "o").check("plate.p.edge")
        self.assertEqual((thin.verdict, thin.value), ("fails", 12.0))

    def test_refusals(self):
        build = self.build()
        for changed, words in (
            (replace(build.pieces[0], thick_mm=0.0), "thick"), (replace(build.pieces[0], outline=straight(((0, 0), (10, 10), (10, 0), (0, 10)))), "crosses or touches itself"),
            (replace(build.pieces[0], holes=(PlateHole("lower", "a", "tapped"),)), "needs a thread"), (replace(build.pieces[0], holes=(PlateHole("lower", "a", "tapped", "M3"),)), "not a known"),
        ):  # fmt: skip
            with self.subTest(words), self.assertRaisesRegex(InputError, words):
                with_plate(build, changed)
        with self.assertRaisesRegex(InputError, "is still used by Attendant seat"):
            without_plate(cairn.build(), "seat-adapter")


class Matches(unittest.TestCase):
    """What the demo shop is meant to find."""

    def test_the_wrong_hole_and_the_wrong_hand(self):
        checks = {c.code: c for c in evaluate(cairn.build(), "low").checks}
        self.assertIn("Hole c is probably laid out wrong", checks["match.seat-plate"].why.template)
        self.assertIn("the other hand", checks["match.alternator-bracket"].why.template)

    def test_a_pattern_that_is_gone_is_unknown_not_a_crash(self):
        build = cairn.build()
        broken = replace(build, matches=(Match("m", "m", "gone", "runner"),))
        self.assertEqual(evaluate(broken, "low").check("match.m").verdict, "unknown")


class Chains(unittest.TestCase):
    """Chains of dimensions from the build."""

    def test_points_layers_and_figures_add_up(self):
        build = cairn.build()
        links = (
            ChainLink("a", "between", 1, 0.5, 0.5, from_point="LM-seat", to_point="RM-seat", axis="y"),
            ChainLink("b", "bracket", -1, 0.3, 0.1, mount="LM", layer="bracket"),
            ChainLink("c", "figure", 1, 0.0, 0.2, 10.0),
        )
        build = with_chain(build, Chain("c", "c", links, 430.0, 434.0))
        found = chain_result(Scene(build, build.option("low")), build.chain("c"))
        span = abs(build.point("LM-seat").xyz_mm[1] - build.point("RM-seat").xyz_mm[1])
        self.assertAlmostEqual(found.band.nominal_mm, span - 8.0 + 10.0)
        self.assertAlmostEqual(found.band.worst_max_mm - found.band.worst_min_mm, 1.0 + 0.4 + 0.2)
        self.assertEqual(found.tighter, "a")
        self.assertAlmostEqual(sum(one.share for one in found.links), 1.0)
        self.assertEqual(evaluate(build, "low").check("chain.c").verdict, "holds")

    def test_worst_case_and_likely_part_company(self):
        many = tuple(ChainLink(f"l{k}", f"l{k}", 1, 0.5, 0.5, 10.0) for k in range(9))
        build = with_chain(cairn.build(), Chain("c", "c", many, 87.0, 93.0))
        self.assertEqual(evaluate(build, "low").check("chain.c").verdict, "near")
        self.assertEqual(evaluate(with_chain(build, Chain("c", "c", many, 89.0, 91.0)), "low").check("chain.c").verdict, "fails")
        with self.assertRaisesRegex(InputError, "two different points"):
            with_chain(build, Chain("d", "d", (ChainLink("a", "a", 1, 0, 0, from_point="LM-seat"),)))
