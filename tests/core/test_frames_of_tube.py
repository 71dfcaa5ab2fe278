"""Structures of tube: each end's edge, placed in space, lies on the member that it is cut to."""

import math
import random
import unittest
from dataclasses import replace

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.vectors import add, cross, dot, norm, scale, sub, unit
from elmpeg.core.build.pieces import Piece, TubeBody
from elmpeg.core.methods.tubes.frames import FrameMember, cut_members, place_on
from elmpeg.core.methods.tubes.tube_ends import edge_mm, whole_edge_mm
from elmpeg.core.stages.make.tube_shape import tube_shape


def from_axis(p, member):
    off = sub(p, member.start_mm)
    return norm(sub(off, scale(member.along, dot(off, member.along))))


def round_a_box(x, wide):
    """Where on a square section, towards its seam and a quarter turn on, a place so far round it from its first corner lies."""
    face, along = divmod(x, wide)
    half = wide / 2
    return {
        0: (half, along - half), 1: (half - along, half), 2: (-half, half - along), 3: (along - half, -half), 4: (half, -half),
    }[int(face)]  # fmt: skip


class Frames(unittest.TestCase):
    def cuts(self, *members, gap=0.0):
        return {c.id: c for c in cut_members(members, gap)}

    def places(self, cut, member, radius):
        """Every edge place of both ends in space."""
        for which, end in (("start", cut.start), ("end", cut.end)):
            for turn in range(0, 360, 10):
                s = whole_edge_mm(end.cut, radius, turn)
                along = s if which == "start" else cut.centres_mm - s
                yield which, end, place_on(cut, member, radius, turn, along)

    def test_a_rung_between_two_rails_at_any_skew(self):
        dice = random.Random(5)
        for _ in range(60):
            rails = [
                FrameMember(name, (-500.0, y, 0.0), (500.0, y + dice.uniform(-80, 80), dice.uniform(-80, 80)), dice.uniform(48, 70))
                for name, y in (("left", -300.0), ("right", 300.0))
            ]
            ends = []
            for rail in rails:
                at = add(rail.start_mm, scale(rail.along, dice.uniform(300, 700)))
                ends.append(at)
            rung = FrameMember("rung", ends[0], ends[1], dice.uniform(20, 40))
            # Beside the rail's centre line by a little: the axes pass each other.
            lift = dice.uniform(-3, 3)
            n = unit(cross(rung.along, rails[0].along))
            rung = replace(rung, start_mm=add(rung.start_mm, scale(n, lift)), end_mm=add(rung.end_mm, scale(n, lift)))
            found = self.cuts(*rails, rung)
            self.assertEqual((found["left"].start.onto, found["left"].end.onto), ("", ""))
            for which, end, p in self.places(found["rung"], rung, rung.across_mm / 2):
                rail = rails[0] if which == "start" else rails[1]
                self.assertEqual(end.onto, rail.id)
                self.assertAlmostEqual(from_axis(p, rail), rail.across_mm / 2, places=6)

    def test_the_edge_is_on_the_near_side(self):
        rail = FrameMember("rail", (0, -500, 0), (0, 500, 0), 60.0)
        rung = FrameMember("rung", (0, 0, 0), (400, 100, 30), 40.0)
        found = self.cuts(rail, rung)
        for which, _, p in self.places(found["rung"], rung, 20.0):
            if which == "start":
                self.assertGreater(p[0], 0.0)

    def test_a_corner_of_two_is_mitred_and_both_meet_in_one_plane(self):
        for way in ((0, 1, 0), (1, 1, 0.2), (-1, 1, 0)):
            one = FrameMember("one", (0, 0, 0), (400, 0, 0), 40.0)
            two = FrameMember("two", scale(unit(way), 400.0), (0, 0, 0), 40.0)
            found = self.cuts(one, two)
            self.assertEqual((found["one"].start.cut.cut, found["two"].end.cut.cut), ("mitre", "mitre"))
            normal = unit(sub(one.along, scale(two.along, -1.0)))
            for cut, member, which in ((found["one"], one, "start"), (found["two"], two, "end")):
                for w, _, p in self.places(cut, member, 20.0):
                    if w == which:
                        self.assertAlmostEqual(dot(p, normal), 0.0, places=6)

    def test_who_is_cut_to_whom(self):
        thick = FrameMember("thick", (0, 0, 0), (0, 600, 0), 60.0)
        thin = FrameMember("thin", (0, 600, 0), (500, 600, 0), 40.0)
        found = self.cuts(thick, thin)
        self.assertEqual((found["thick"].end.cut.cut, found["thin"].start.cut.cut), ("square", "cope"))
        told = self.cuts(thick, replace(thin, runs=True, across_mm=60.0))
        self.assertEqual((told["thick"].end.cut.cut, told["thin"].start.cut.cut), ("cope", "square"))
        post = FrameMember("post", (250, 600, 0), (250, 600, 300), 40.0)
        through = self.cuts(thin, post)
        self.assertEqual((through["post"].start.onto, through["thin"].start.onto), ("thin", ""))

    def test_two_in_one_line_are_butted_square_and_a_third_is_coped(self):
        a, b = FrameMember("a", (0, 0, 0), (300, 0, 0), 40.0), FrameMember("b", (300, 0, 0), (700, 0, 0), 40.0)
        post = FrameMember("post", (300, 0, 0), (300, 0, 200), 30.0)
        found = self.cuts(a, b, post, gap=1.0)
        self.assertEqual((found["a"].end.cut.cut, found["a"].end.onto), ("square", "b"))
        self.assertEqual(found["post"].start.cut.cut, "cope")

    def test_braces_that_meet_on_a_chord_are_cut_to_it_and_to_each_other(self):
        dice = random.Random(11)
        chord = FrameMember("chord", (-600.0, 0.0, 0.0), (600.0, 0.0, 0.0), 50.0)
        for _ in range(40):
            ways = [unit((dice.uniform(0.3, 1.2) * side, dice.uniform(-0.25, 0.25), 1.0)) for side in (-1.0, 1.0)]
            long = FrameMember("long", (0.0, 0.0, 0.0), scale(ways[0], 500.0), dice.uniform(34, 45))
            short = FrameMember("short", (0.0, 0.0, 0.0), scale(ways[1], 300.0), dice.uniform(20, 32))
            found = self.cuts(chord, long, short)
            self.assertEqual((found["long"].start.onto, found["long"].start.round_too), ("chord", ()))
            self.assertEqual(
                (found["short"].start.onto, found["short"].start.round_too, found["short"].start.also), ("chord", ("long",), ())
            )
            met = set()
            for which, _, p in self.places(found["short"], short, short.across_mm / 2):
                if which != "start":
                    continue
                room = {m.id: from_axis(p, m) - m.across_mm / 2 for m in (chord, long)}
                if dot(sub(p, long.start_mm), long.along) < 0:
                    del room["long"]
                self.assertAlmostEqual(min(room.values()), 0.0, places=6, msg="the edge lies on one of them and inside none")
                met.add(min(room, key=room.get))
                # A little longer and it would stick into what it is cut to.
                inner = sub(p, scale(short.along, 0.01))
                self.assertLess(min(from_axis(inner, m) - m.across_mm / 2 for m in (chord, long)), 0.0)
            self.assertIn("chord", met)

    def test_one_that_ends_there_cuts_nothing_where_it_is_not(self):
        chord = FrameMember("chord", (-600.0, 0.0, 0.0), (600.0, 0.0, 0.0), 30.0)
        leaning = FrameMember("leaning", (0.0, 0.0, 0.0), (-500.0, 0.0, 220.0), 30.0)
        post = FrameMember("post", (0.0, 0.0, 0.0), (60.0, 0.0, 300.0), 25.0)
        alone, beside = self.cuts(chord, post)["post"], self.cuts(chord, leaning, post)["post"]
        far_side = [whole_edge_mm(c.start.cut, 12.5, beside.start.cut.turn_deg + 180.0) for c in (alone, beside)]
        self.assertAlmostEqual(far_side[0], far_side[1], places=9)

    def test_a_box_section_round_a_tube_lies_on_it(self):
        rail = FrameMember("rail", (0.0, -400.0, 0.0), (0.0, 400.0, 0.0), 90.0)
        rung = FrameMember("rung", (0.0, 0.0, 0.0), (400.0, 150.0, 0.0), 40.0, "box")
        found = self.cuts(rail, rung)["rung"]
        self.assertEqual(found.start.cut.cut, "cope")
        shape = tube_shape(Piece("p", "p", 3.0, tube=TubeBody("box", 40.0, 3.0, legs_mm=(found.centres_mm,), start=found.start.cut)))
        corners = iter(shape.start.outside)
        side = cross(rung.along, found.seam)
        for x, y in corners:
            u, v = round_a_box(x, 40.0)
            p = add(found.start.meets_mm, add(scale(rung.along, y), add(scale(found.seam, u), scale(side, v))))
            self.assertAlmostEqual(from_axis(p, rail), 45.0, places=6)
        self.assertEqual([which for which, _ in shape.wraps], ["start"])
        thin = self.cuts(replace(rail, across_mm=36.0), rung)["rung"]
        self.assertEqual(thin.start.cut.cut, "flat", "its corners reach round a thinner one")

    def test_lengths_at_once(self):
        rails = [FrameMember(n, (x, -400, 0), (x, 400, 0), 50.0) for n, x in (("l", 0.0), ("r", 600.0))]
        found = self.cuts(*rails, FrameMember("rung", (0, 0, 0), (600, 0, 0), 40.0))
        self.assertAlmostEqual(found["rung"].centres_mm, 600.0)
        nearest = min(edge_mm(found["rung"].start.cut, 20.0, t) for t in range(360))
        self.assertAlmostEqual(600.0 - 2 * nearest, 600.0 - 2 * math.sqrt(25**2 - 20**2), places=6)

    def test_refusals(self):
        a = FrameMember("a", (0, 0, 0), (600, 0, 0), 40.0)
        for other, words in (
            (FrameMember("b", (100, 10, 0), (500, 10, 0), 40.0), "along each other"),
            (FrameMember("b", (300, 0, 0), (600, 30, 0), 20.0), "nothing can be cut to fit"),
            (FrameMember("b", (1, 1, 1), (1, 1, 1), 20.0), "both ends in one place"),
        ):
            with self.subTest(words), self.assertRaisesRegex(InputError, words):
                cut_members((a, other))
