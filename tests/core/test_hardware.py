"""What holds a mount: each kind's own faults are found, spacers move the whole part, the shelf's leanings and existing holes."""

import unittest
from dataclasses import replace
from itertools import pairwise

from elmpeg.core.advice.stack_choice import effect_of, leaning_stacks, taper_for, to_make, twin_of
from elmpeg.core.base.errors import InputError
from elmpeg.core.build.hardware import Around, Boxed, Fastener, Hanger, Layer
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.mount.existing_holes import hole_sets, with_seats
from elmpeg.core.stages.mount.mount_checks import MountState
from elmpeg.core.stages.mount.mount_edits import Made, with_layer, with_made, with_mount, without_layer, without_mount
from elmpeg.core.stages.mount.mount_section import section_of
from elmpeg.core.stages.mount.settling import settled
from elmpeg.core.stages.mount.shelf import StockItem
from elmpeg.demo import cairn
from elmpeg.demo.shelf import SHELF

CAIRN = cairn.build()
LOW = evaluate(CAIRN, "low")


def verdict(build, code, option="low"):
    return evaluate(build, option).check(code).verdict


def told(mount_id, **more):
    mount = CAIRN.mount(mount_id)
    made = Made(mount.hold, mount.tolerance_mm, mount.fastener, mount.around, mount.bush, mount.boxed, mount.hanger, mount.plate)
    return with_made(CAIRN, mount_id, replace(made, **more))


class Kinds(unittest.TestCase):
    """Every fault of the bench has its check, and mending it settles the check."""

    def test_a_bolt_that_bottoms_and_one_that_does_not(self):
        self.assertEqual(verdict(CAIRN, "mount.C1.bottoms"), "fails")
        shorter = told("C1", fastener=replace(CAIRN.mount("C1").fastener, length_mm=52.0))
        self.assertEqual(verdict(shorter, "mount.C1.bottoms"), "holds")
        self.assertEqual(verdict(shorter, "mount.C1.engagement"), "holds")

    def test_a_bolt_through_what_nobody_has_told_is_not_known(self):
        left = CAIRN.mount("LM")
        for told_sides, what in (
            (("foot",), "of the seat where"),
            (("seat",), "of the foot where"),
            ((), "of the foot where the bolt goes through, and the"),
        ):
            with self.subTest(told_sides):
                mount = replace(left, layers=tuple(x for x in left.layers if x.side in told_sides))
                found = evaluate(replace(CAIRN, mounts=(mount, *CAIRN.mounts[1:])), "low")
                self.assertEqual(found.check("mount.LM.bolt").verdict, "unknown")
                self.assertIn(what, found.check("mount.LM.bolt").why.template)
                self.assertIsNone(found.check("mount.LM.proud"))
        self.assertIsNone(LOW.check("mount.LM.bolt"))
        # What is tapped, and a rail with its walls, need no layer of the seat's.
        self.assertIsNone(LOW.check("mount.C1.bolt"))
        self.assertEqual([x.side for x in CAIRN.mount("GM").layers], ["foot"])
        self.assertIsNone(LOW.check("mount.GM.bolt"))

    def test_a_thread_whose_depth_nobody_has_told_is_not_known(self):
        block = CAIRN.mount("C1")
        shallow = replace(block, fastener=replace(block.fastener, thread_depth_mm=None))
        found = evaluate(replace(CAIRN, mounts=tuple(shallow if m.id == "C1" else m for m in CAIRN.mounts)), "low")
        self.assertEqual(found.check("mount.C1.bolt").verdict, "unknown")
        self.assertIn("how deep the tapped thread is", found.check("mount.C1.bolt").why.template)
        self.assertIsNone(found.check("mount.C1.bottoms"))

    def test_a_rail_with_nothing_in_it_is_crushed(self):
        self.assertEqual(verdict(CAIRN, "mount.GM.sleeve"), "holds")
        for sleeve, want in ((None, "fails"), (52.0, "fails"), (54.3, "holds"), (56.0, "fails")):
            with self.subTest(sleeve):
                self.assertEqual(verdict(told("GM", boxed=Boxed(60.0, 3.0, sleeve, 25.0)), "mount.GM.sleeve"), want)

    def test_a_lost_nut_drops_what_hangs_on_bolts_and_nothing_else(self):
        self.assertEqual((verdict(CAIRN, "mount.RR.hanger"), verdict(CAIRN, "mount.RL.hanger")), ("fails", "holds"))
        self.assertEqual(verdict(told("RR", hanger=Hanger("bolts", "a strap")), "mount.RR.hanger"), "holds")

    def test_washers_and_spanners_need_their_room(self):
        for wall, washer, tool in ((10.0, "fails", "fails"), (11.5, "fails", "fails"), (13.5, "holds", "near"), (20.0, "holds", "holds")):
            with self.subTest(wall):
                build = told("RM", around=Around(nut_wall_mm=wall))
                self.assertEqual(verdict(build, "mount.RM.washer.nut"), washer)
                self.assertEqual(verdict(build, "mount.RM.tool.nut"), tool)
        covered = told("RM", around=Around(nut_wall_mm=40.0, nut_room_mm=12.0))
        self.assertEqual(verdict(covered, "mount.RM.tool.nut"), "fails")

    def test_edges_heads_grades_and_bolts_that_must_not_stay(self):
        for edge, want in ((17.0, "fails"), (19.0, "near"), (24.0, "holds")):
            layer = replace(CAIRN.mount("GM").layers[0], edge_mm=edge)
            self.assertEqual(verdict(with_layer(CAIRN, "GM", layer), "mount.GM.edge.foot"), want)
        thin = with_layer(CAIRN, "S1", replace(CAIRN.mount("S1").layers[0], mm=4.0))
        self.assertEqual((verdict(CAIRN, "mount.S1.countersink"), verdict(thin, "mount.S1.countersink")), ("holds", "fails"))
        self.assertEqual((verdict(CAIRN, "mount.RM.grade"), evaluate(CAIRN, "low").check("mount.LM.grade")), ("unknown", None))
        self.assertEqual(verdict(CAIRN, "mount.GM.mockup"), "near")
        self.assertEqual(verdict(replace(CAIRN, stage="Hand over"), "mount.GM.mockup"), "fails")
        self.assertEqual(verdict(CAIRN, "mount.C2.once"), "near")
        self.assertEqual(verdict(CAIRN, "mount.S1.lone"), "near")
        self.assertIsNone(LOW.check("mount.LM.lone"))

    def test_a_bush_is_squashed_and_sheared_within_its_makers_figures(self):
        bush = CAIRN.mount("RB").bush
        self.assertEqual((verdict(CAIRN, "mount.RB.squash"), verdict(CAIRN, "mount.RB.shear")), ("holds", "holds"))
        closer = told("RB", bush=replace(bush, most_shear_mm=1.2))
        self.assertEqual(verdict(closer, "mount.RB.shear"), "near", "0.64 mm of 1.2 is not sure with holes known to 0.2 and 0.25")
        self.assertEqual(verdict(told("RB", bush=replace(bush, loaded_mm=17.0)), "mount.RB.squash"), "fails")
        self.assertEqual(verdict(told("RB", bush=replace(bush, most_shear_mm=0.3)), "mount.RB.shear"), "fails")

    def test_a_section_is_as_thick_as_its_parts(self):
        scene = Scene(CAIRN, CAIRN.option("lifted"))
        for state in evaluate(CAIRN, "lifted").of(MountState):
            mount = state.mount
            if mount.fastener is None:
                continue
            joint = section_of(scene, mount, mount.fastener, state)
            ends = [p.to_mm for p in joint.pieces if p.kind != "tapped"]
            self.assertAlmostEqual(max(ends), joint.choice.grip_mm, places=6, msg=mount.id)
            for one, other in pairwise(joint.pieces):
                self.assertAlmostEqual(one.to_mm, other.from_mm)

    def test_refusals_beside_their_fields(self):
        for change, field in (
            (lambda: told("LM", fastener=Fastener("M13")), "thread"), (lambda: told("LM", fastener=Fastener("M18", "countersunk")), "head"),
            (lambda: told("GM", boxed=Boxed(5.0, 3.0)), "wall"), (lambda: told("LM", plate="gone"), "plate"), (lambda: told("C1", fastener=Fastener("M8", end="tapped")), "thread_depth"),
            (lambda: with_layer(CAIRN, "LM", Layer("", "x", 0.0, "foot")), "layer_mm"), (lambda: with_mount(CAIRN, "x", "LM-seat", "RM-seat", 8, 1, "direct"), "component_point"),
        ):  # fmt: skip
            with self.subTest(field), self.assertRaises(InputError) as refused:
                change()
            self.assertEqual(refused.exception.errors[0].field, field)

    def test_mounts_and_layers_come_and_go(self):
        build = with_mount(CAIRN, "Stay", "A3-stay", "rail-c", 10, 1.0, "direct")
        self.assertEqual(build.mounts[-1].id, "stay")
        gone = without_mount(CAIRN, "LM")
        self.assertNotIn("LM", [s.mount for o in gone.options for s in o.stacks])
        layered = with_layer(CAIRN, "LM", Layer("", "packing", 3.0, "foot"))
        self.assertEqual([x.name for x in layered.mount("LM").layers], ["cast foot", "packing", "engine bracket"])
        self.assertEqual(without_layer(layered, "LM", "packing").mount("LM").layers, CAIRN.mount("LM").layers)


class Settling(unittest.TestCase):
    """A spacer under one mount moves the whole assembly."""

    def test_on_three_mounts_the_gaps_come_out_as_filled(self):
        scene = Scene(CAIRN, CAIRN.option("low"))
        rest = settled(scene, "engine", {"LM": 30.0, "RM": 25.0, "GM": 40.0})
        after = evaluate(
            replace(
                CAIRN,
                agreed=None,
                options=tuple(
                    replace(o, positions=(replace(o.positions[0], pose=rest.pose),)) if o.id == "low" else o for o in CAIRN.options
                ),
            ),
            "low",
        )
        gaps = {m.mount.id: m.geometry.gap_mm for m in after.of(MountState)}
        for mount, want in (("LM", 30.0), ("RM", 25.0), ("GM", 40.0)):
            self.assertAlmostEqual(gaps[mount], want, delta=1e-3)
        self.assertLess(rest.worst_mm, 1e-3)

    def test_on_one_mount_only_its_height_follows(self):
        scene = Scene(CAIRN, CAIRN.option("low"))
        rest = settled(scene, "seat", {"S1": 14.0})
        before = CAIRN.component("seat").pose
        self.assertAlmostEqual(rest.pose.z_mm - before.z_mm, 14.0 - 10.1, delta=0.01)
        self.assertEqual((rest.pose.pitch_deg, rest.pose.roll_deg), (before.pitch_deg, before.roll_deg))

    def test_too_far_is_refused(self):
        with self.assertRaisesRegex(InputError, "further than any spacer"):
            settled(Scene(CAIRN, CAIRN.option("low")), "engine", {"LM": 900.0, "RM": 25.0, "GM": 40.0})

    def test_a_thicker_stack_at_the_gearbox_tips_the_engine_and_tells_the_joints(self):
        state = next(m for m in LOW.of(MountState) if m.mount.id == "GM")
        effect = effect_of(CAIRN, LOW, "GM", state.geometry.gap_mm + 10)
        codes = {now.code: (now, was) for now, was in effect.checks}
        now, was = codes["line.rear.J2"]
        self.assertLess(now.value, was.value)
        self.assertLess(effect.pose.pitch_deg, CAIRN.option("low").positions[0].pose.pitch_deg)
        same = effect_of(CAIRN, LOW, "GM", state.geometry.gap_mm).pose
        self.assertAlmostEqual(same.pitch_deg, CAIRN.option("low").positions[0].pose.pitch_deg, places=9)


class Leanings(unittest.TestCase):
    """The same gap filled as different people would."""

    def stacks(self, leaning, mount="GM", shelf=SHELF):
        return leaning_stacks(CAIRN, LOW, mount, shelf, leaning)

    def test_each_leaning_keeps_its_promise(self):
        self.assertEqual({sum(p.count for p in s.pieces) for s in self.stacks("solid")}, {1})
        self.assertFalse(any(p.stock.startswith("shim") for s in self.stacks("no shims") for p in s.pieces))
        thick = [max(p.mm for p in s.pieces) for s in self.stacks("thickest") if s.within]
        self.assertEqual(thick, sorted(thick, reverse=True))
        fewest = [s.option.count for s in self.stacks("fewest") if s.within]
        self.assertEqual(fewest, sorted(fewest))

    def test_the_same_on_both_sides_needs_two_of_everything(self):
        self.assertEqual(twin_of(LOW, CAIRN, "LM"), "RM")
        self.assertIsNone(twin_of(LOW, CAIRN, "GM"))
        gap = {m.mount.id: m.geometry.gap_mm for m in LOW.of(MountState)}
        middle = (gap["LM"] + gap["RM"]) / 2
        pair = (
            StockItem("one", "one", "spacer", round(middle, 1), 13.0, 1),
            StockItem("two", "two", "spacer", round(middle, 1) - 0.2, 13.0, 2),
        )
        found = self.stacks("same both sides", "LM", pair)
        self.assertEqual([p.stock for p in found[0].pieces], ["two"])

    def test_what_no_stack_reaches_is_to_be_made(self):
        made = {m.mount: m for m in to_make(CAIRN, LOW, SHELF)}
        self.assertEqual(list(made), ["C2"])
        self.assertAlmostEqual(made["C2"].mm, 3.1, delta=0.1)
        self.assertGreater(made["C2"].bore_mm, 8.0)
        taper = taper_for(10.0, 2.0, 50.0)
        self.assertAlmostEqual(taper.thick_mm - taper.thin_mm, 1.746, places=3)


class Reuse(unittest.TestCase):
    """Holes that exist come before holes to drill."""

    def test_near_spread_and_unused_holes_rank_first(self):
        sets = hole_sets(Scene(CAIRN, CAIRN.option("low")), "A3-stay")
        self.assertEqual(sets[0].points, ("rail-a", "rail-c"))
        self.assertEqual(len(sets[0].points), 2)
        self.assertTrue(all(s.reach_mm <= 450 for s in sets))
        self.assertNotIn("RM-seat", [p for s in sets for p in s.points])
        self.assertAlmostEqual(sets[0].edge_mm, 35.0)
        with self.assertRaisesRegex(InputError, "direction"):
            hole_sets(Scene(CAIRN, CAIRN.option("low")), "sump-drain")

    def test_the_agreed_holes_become_a_seat_that_follows_them(self):
        build = with_seats(CAIRN, "A3-stay", ("rail-a", "rail-c"), "Alternator stay")
        mount = build.mounts[-1]
        self.assertEqual((mount.hold, mount.uses, mount.bolt_mm), ("bracket", ("rail-a", "rail-c"), 10.0))
        scene = Scene(build, build.option("low"))
        self.assertEqual(scene.xyz(mount.seat_point), ((210.0 + 455.0) / 2, 400.0, 680.0))
        self.assertIsNotNone(evaluate(build, "low").check(f"mount.{mount.id}.gap"))
        with self.assertRaisesRegex(InputError, "has a mount already"):
            with_seats(build, "A3-stay", ("rail-b",), "Again")
