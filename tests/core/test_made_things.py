"""Structures, stands and weldments in a build: what follows what, remedies that hold, gates that a second person sees."""

import itertools
import math
import unittest
from dataclasses import replace

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.hardware import Boxed
from elmpeg.core.build.pieces import OwnHole, Piece
from elmpeg.core.build.structures import Node
from elmpeg.core.build.weldments import HeatedThing, WeldDone, WeldGate
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.methods.stands.assembly_order import StandPlate, assembly_order
from elmpeg.core.methods.stands.tab_joints import Tab
from elmpeg.core.methods.welding.seam_order import Seam, pulls_in
from elmpeg.core.methods.welding.weld_runs import SeamLine, weld_plan
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make import piece_edits
from elmpeg.core.stages.make.spacer_checks import between_checks
from elmpeg.core.stages.make.stand_checks import stand_findings
from elmpeg.core.stages.make.stand_edits import with_joints, with_stand, with_tab_changed, with_tool_hole, without_joints
from elmpeg.core.stages.make.stand_shape import stand_items
from elmpeg.core.stages.make.structure_members import body_of, part_id, sleeves_wanted, with_sleeves, with_structure, without_structure
from elmpeg.core.stages.make.tube_checks import made_tube
from elmpeg.core.stages.make.weld_checks import plan_of, weld_findings
from elmpeg.demo import cairn

CAIRN = cairn.build()
LOW = CAIRN.options[0].id


def scene(build=CAIRN):
    return Scene(build, build.option(LOW))


def checks(build):
    return {c.code: c for c in evaluate(build, LOW).checks}


class Structures(unittest.TestCase):
    CROSS = CAIRN.structure("hoist-crossmember")

    def test_a_member_is_a_piece_and_follows_its_nodes(self):
        cross = CAIRN.piece("hoist-crossmember-cross")
        self.assertEqual(cross.tube.legs_mm, (100.0,), "what it is cut to is not kept twice")
        before = made_tube(scene(), cross)[1].blank_mm
        wider = replace(
            self.CROSS,
            nodes=tuple(
                replace(n, xyz_mm=(n.xyz_mm[0], n.xyz_mm[1] + 25.0, n.xyz_mm[2])) if n.id.startswith("R") else n for n in self.CROSS.nodes
            ),
        )
        moved = with_structure(CAIRN, scene(), wider)
        after = made_tube(scene(moved), moved.piece(cross.id))[1].blank_mm
        long = [math.dist((2860, -330), (2900, 330 + more)) for more in (0.0, 25.0)]
        self.assertAlmostEqual(after - before, long[1] - long[0], delta=0.05)
        self.assertEqual(len(moved.pieces), len(CAIRN.pieces))

    def test_a_node_on_a_point_moves_with_its_part(self):
        point = next(p for p in CAIRN.points if p.on == "compressor")
        nodes = (*self.CROSS.nodes, Node("C", (900.0, -300.0, -50.0), point.id))
        members = (*self.CROSS.members, replace(self.CROSS.members[2], id="leg", start="C", end="L"))
        build = with_structure(CAIRN, scene(), replace(self.CROSS, nodes=nodes, members=members))
        leg = build.piece("hoist-crossmember-leg")
        before = body_of(scene(build), leg).legs_mm[0]
        pose = build.component("compressor").pose
        shifted = replace(
            build,
            components=tuple(
                replace(c, pose=replace(pose, x_mm=pose.x_mm - 40.0)) if c.id == "compressor" else c for c in build.components
            ),
        )
        self.assertGreater(body_of(scene(shifted), leg).legs_mm[0], before + 15.0)
        told = checks(shifted)
        self.assertEqual(told["structure.hoist-crossmember.part"].verdict, "near")
        kept = with_structure(shifted, scene(shifted), shifted.structure("hoist-crossmember"))
        self.assertNotIn("structure.hoist-crossmember.part", checks(kept), "kept again, its part follows")

    def test_what_was_cut_is_out_of_date_by_as_much_as_it_is_short(self):
        cross = CAIRN.piece("hoist-crossmember-cross")
        cut = piece_edits.with_revision(CAIRN, scene(), cross.id, "metal", "cut", "Teo Marsh", "2026-11-20T09:00:00")
        due = checks(cut)[f"piece.{cross.id}.current"]
        self.assertAlmostEqual(due.value, 0.0, places=3)
        self.assertEqual(due.verdict, "near", "a hole taped to two millimetres does not make sure of one")
        wider = replace(
            self.CROSS,
            nodes=tuple(
                replace(n, xyz_mm=(n.xyz_mm[0], n.xyz_mm[1] + 12.0, n.xyz_mm[2])) if n.id.startswith("R") else n for n in self.CROSS.nodes
            ),
        )
        told = checks(with_structure(cut, scene(cut), wider))[f"piece.{cross.id}.current"]
        self.assertEqual(told.verdict, "fails")
        self.assertAlmostEqual(told.value, 12.0, delta=0.05)

    def test_it_is_drawn_as_a_part_and_told_what_it_runs_into(self):
        self.assertTrue(any(c.id == part_id(self.CROSS) for c in CAIRN.components))
        low = replace(
            self.CROSS, nodes=tuple(replace(n, xyz_mm=(n.xyz_mm[0] - 1030.0, n.xyz_mm[1] - 140.0, 720.0)) for n in self.CROSS.nodes)
        )
        told = checks(with_structure(CAIRN, scene(), low))
        into = [c for code, c in told.items() if code.startswith("structure.hoist-crossmember.room.")]
        self.assertTrue(into)
        self.assertEqual({c.verdict for c in into}, {"fails"})

    def test_taken_out_with_its_pieces_but_not_what_is_made(self):
        gone = without_structure(CAIRN, "hoist-crossmember")
        self.assertFalse([p for p in gone.pieces if p.tube and p.tube.member.startswith("hoist")])
        self.assertFalse([c for c in gone.components if c.id == part_id(self.CROSS)])
        cut = piece_edits.with_revision(CAIRN, scene(), "hoist-crossmember-left", "metal", "cut", "Teo Marsh", "2026-11-20T09:00:00")
        with self.assertRaisesRegex(InputError, "made already"):
            without_structure(cut, "hoist-crossmember")


class Stands(unittest.TestCase):
    STAND = CAIRN.stand("compressor-stand")

    def findings(self, build):
        return stand_findings(scene(build), build.stand(self.STAND.id))

    def verdicts(self, build):
        return {c.code.rsplit(".", 1)[1]: c for c in self.findings(build).checks}

    def mended(self, build, stand, wrong):
        return with_tab_changed(
            build, scene(build), stand, (wrong.part, wrong.change.slotted), wrong.change.tab, wrong.change.wider_mm, wrong.change.along_mm
        )

    def test_the_demo_goes_together_and_one_side_goes_in_turned(self):
        found = self.verdicts(CAIRN)
        self.assertEqual((found["order"].verdict, found["one_way"].verdict), ("holds", "near"))
        self.assertNotIn("fits", found)

    def test_the_remedy_applied_holds(self):
        wrong = self.findings(CAIRN).state.wrong[0]
        mended = self.mended(CAIRN, self.STAND.id, wrong)
        self.assertEqual(self.verdicts(mended)["one_way"].verdict, "holds")
        self.assertEqual(self.verdicts(mended)["order"].verdict, "holds")
        self.assertNotIn("fits", self.verdicts(mended))

    def test_plates_that_go_into_each_others_place_are_told_and_the_remedy_holds(self):
        """Both sides with tabs of one size on their feet alone: a stand without its shelf."""
        bare = without_joints(CAIRN, self.STAND.id)
        low = replace(
            self.STAND, parts=tuple(replace(p, bare=()) for p in self.STAND.parts if p.id in ("base", "left", "right")), bolts=(), joints=()
        )
        build = with_stand(bare, low)
        build = with_joints(build, scene(build), low.id)
        like = (Tab("t1", 20.0, 16.0), Tab("t2", 80.0, 28.0))
        build = with_joints(build, scene(build), low.id, {("left", "base"): like, ("right", "base"): like})
        wrong = [w for w in self.findings(build).state.wrong if w.place]
        self.assertEqual(len(wrong), 1)
        mended = self.mended(build, low.id, wrong[0])
        self.assertFalse([w for w in self.findings(mended).state.wrong if w.place])

    def test_its_plates_goes_back_to_what_they_were(self):
        bare = without_joints(CAIRN, self.STAND.id)
        for part in self.STAND.parts:
            self.assertEqual(bare.piece(part.piece).outline, part.bare)
            self.assertEqual(bare.piece(part.piece).cutouts, ())
        again = with_joints(bare, scene(bare), self.STAND.id)
        self.assertEqual(self.verdicts(again)["one_way"].verdict, "holds", "as proposed every plate goes in in one way only")
        twice = with_joints(again, scene(again), self.STAND.id)
        self.assertEqual([p.outline for p in twice.pieces], [p.outline for p in again.pieces], "cut anew it is what it was")

    def test_every_order_that_is_possible_ends_with_the_base_or_the_shelf(self):
        """Sides that hold the brace between them cannot come out while base and shelf hold their feet."""
        plates = [i for i in stand_items(scene(), self.STAND) if isinstance(i, StandPlate)]
        held = [p for p in plates if p.id in ("base", "shelf", "left", "right", "brace")]
        order = assembly_order(held)
        last = {s.item for s in order.steps[-2:]}
        self.assertEqual(last, {"base", "shelf"})

    def test_a_bolt_under_the_shelf_is_put_in_before_it(self):
        covered = replace(self.STAND, bolts=(replace(self.STAND.bolts[0], at_mm=(100.0, 90.0, 0.0), tool_long_mm=200.0),))
        build = with_stand(CAIRN, covered)
        base = build.piece("stand-base")
        build = piece_edits.with_piece(build, replace(base, own_holes=(*base.own_holes, OwnHole("foot", 100.0, 90.0, 9.0))))
        found = self.findings(build)
        self.assertTrue(found.state.order.exists, "it is put in before the shelf")

    def test_a_tool_hole_is_cut_where_the_tool_is(self):
        stand = replace(self.STAND, bolts=(replace(self.STAND.bolts[0], id="low", at_mm=(130.0, 90.0, 20.0)),))
        build = with_stand(CAIRN, stand)
        cut = with_tool_hole(build, scene(build), stand.id, "low", "shelf")
        new = next(h for h in cut.piece("stand-shelf").own_holes if h.id == "tool1")
        self.assertAlmostEqual(new.x_mm, 130.0 - 50.0)
        self.assertAlmostEqual(new.y_mm, 90.0 - 20.0)
        self.assertGreaterEqual(new.hole_mm, 22.0)

    def test_plates_in_each_other_are_told(self):
        inside = replace(self.STAND, parts=tuple(replace(p, at_mm=(70.0, 42.0, 0.0)) if p.id == "right" else p for p in self.STAND.parts))
        self.assertEqual(self.verdicts(with_stand(CAIRN, inside))["fits"].verdict, "fails")


class Welding(unittest.TestCase):
    JOB = CAIRN.weldment("crossmember-in")

    def verdicts(self, job):
        return {c.code.split(".", 2)[2]: c for c in weld_findings(scene(), job).checks}

    def test_no_order_of_four_pulls_less(self):
        seams = tuple(
            SeamLine(n, a, b)
            for n, a, b in (
                ("a", (0, 0, 0), (60, 0, 0)),
                ("b", (0, 90, 0), (50, 90, 0)),
                ("c", (200, 0, 0), (260, 0, 0)),
                ("d", (200, 90, 0), (230, 90, 0)),
            )
        )
        plan = weld_plan(seams)
        runs = [Seam(r.id, r.long_mm, r.middle_mm) for r in plan.runs]
        worst = {order: pulls_in(tuple(runs), order).worst_mm2 for order in itertools.permutations([r.id for r in runs])}
        self.assertAlmostEqual(plan.worst_mm2, min(worst.values()))

    def test_tacks_come_first_and_each_far_from_the_last(self):
        plan = plan_of(self.JOB)
        self.assertEqual({t.seam for t in plan.tacks}, {s.id for s in self.JOB.seams})
        self.assertGreater(math.dist(plan.tacks[0].at_mm, plan.tacks[1].at_mm), 500.0)
        self.assertEqual(len(plan.runs), sum(s.runs for s in self.JOB.seams))

    def test_every_run_is_whole_and_lies_on_its_seam(self):
        plan = plan_of(self.JOB)
        by_id = {s.id: s for s in self.JOB.seams}
        for seam_id, seam in by_id.items():
            own = [r for r in plan.runs if r.seam == seam_id]
            self.assertAlmostEqual(sum(r.long_mm for r in own), math.dist(seam.a_mm, seam.b_mm))
            ends = {tuple(round(v, 6) for v in p) for r in own for p in (r.from_mm, r.to_mm)}
            self.assertTrue({tuple(round(float(v), 6) for v in p) for p in (seam.a_mm, seam.b_mm)} <= ends)

    def test_many_runs_are_dealt_to_rounds_that_each_are_spread(self):
        seams = tuple(SeamLine(f"s{k}", (100.0 * k, 0.0, 0.0), (100.0 * k + 50, 0.0, 0.0), 2) for k in range(12))
        plan = weld_plan(seams)
        self.assertFalse(plan.exact)
        self.assertEqual(len(plan.runs), 24)
        self.assertLess(plan.worst_mm2, plan.as_listed_mm2 / 2)

    def test_seams_on_one_side_are_told_to_pull_there(self):
        plan = weld_plan((SeamLine("a", (0, 40, 0), (100, 40, 0)), SeamLine("b", (0, 40, 50), (100, 40, 50))), (50.0, 0.0, 25.0))
        self.assertAlmostEqual(plan.left_over_mm2[1], 200 * 40.0)
        self.assertAlmostEqual(plan.left_over_mm2[0], 0.0)

    def test_heat_near_a_hose_is_told_until_it_is_spared(self):
        self.assertEqual(self.verdicts(self.JOB)["heat.line"].verdict, "fails")
        spared = replace(self.JOB, heated=tuple(replace(h, out=True) for h in self.JOB.heated))
        self.assertEqual(self.verdicts(spared)["heat.line"].verdict, "holds")
        far = replace(self.JOB, heated=(HeatedThing("x", "far bush", "bush", (0.0, 0.0, 0.0)),))
        self.assertNotIn("heat.x", self.verdicts(far))

    def test_a_gate_wants_a_second_person(self):
        for by, seen, verdict in (("", "", "unknown"), ("Teo", "", "near"), ("Teo", "teo", "near"), ("Teo", "Orla", "holds")):
            job = replace(self.JOB, gates=(WeldGate("g", "braced", "brace", by, seen),))
            self.assertEqual(self.verdicts(job)["gate.g"].verdict, verdict)

    def test_thick_plate_without_a_bevel_and_nobody_named(self):
        bare = replace(self.JOB, seams=tuple(replace(s, thick_mm=8.0) for s in self.JOB.seams), welder="")
        found = self.verdicts(bare)
        self.assertEqual((found["bevel"].verdict, found["welder"].verdict), ("near", "unknown"))
        self.assertNotIn("bevel", self.verdicts(self.JOB))
        self.assertNotIn("welder", self.verdicts(replace(self.JOB, welder="", structural=False)))

    def test_how_thick_the_thinner_piece_is_stands_in_the_sentence_too(self):
        """Nobody typed it at the seam: it is of the pieces that are joined, and so is what is said."""
        build = replace(CAIRN, pieces=(*CAIRN.pieces, Piece("thick", "thick plate", 9.0), Piece("thicker", "thicker plate", 12.0)))
        seam = replace(self.JOB.seams[0], thick_mm=0.0, bevel="none", joins=("thick", "thicker"))
        found = weld_findings(scene(build), replace(self.JOB, seams=(seam,)))
        check = next(c for c in found.checks if c.code.endswith("bevel"))
        self.assertEqual(check.value, 9.0)
        self.assertEqual([q.value for q in check.why.quantities], [9.0, check.high])

    def test_a_torch_that_has_no_room_is_told(self):
        for room, told in ((0.0, False), (35.0, True), (60.0, False)):
            job = replace(self.JOB, seams=(replace(self.JOB.seams[0], room_mm=room), *self.JOB.seams[1:]))
            self.assertEqual("access" in self.verdicts(job), told)

    def test_welding_out_of_turn_is_told(self):
        plan = plan_of(self.JOB)
        out = replace(self.JOB, done=(WeldDone(plan.runs[-1].id, "Teo", "t"),))
        self.assertEqual(self.verdicts(out)["order"].verdict, "near")
        due = replace(self.JOB, done=tuple(WeldDone(t.id, "Teo", "t") for t in plan.tacks[:3]))
        self.assertEqual(self.verdicts(due)["order"].verdict, "holds")


class Between(unittest.TestCase):
    """A spacer plate between two castings."""

    PLATE = CAIRN.piece("bell-spacer")

    def verdicts(self, **changes):
        thick = changes.pop("thick_mm", self.PLATE.thick_mm)
        plate = replace(self.PLATE, thick_mm=thick, between=replace(self.PLATE.between, **changes))
        return {c.code.rsplit(".", 1)[1]: c for c in between_checks(scene(), plate)}

    def test_the_demos_dowels_are_too_short_by_as_much_as_it_says(self):
        found = self.verdicts()
        self.assertEqual(found["dowels"].verdict, "fails")
        self.assertAlmostEqual(found["dowels"].value, 24.0 - 9.0 - 12.0)
        wanted = found["dowels"].remedies[0].words.quantities[0].value
        self.assertEqual(self.verdicts(dowel_long_mm=wanted)["dowels"].verdict, "holds")
        self.assertEqual(self.verdicts(dowel_long_mm=wanted - 0.1)["dowels"].verdict, "fails")

    def test_bolts_longer_by_what_the_remedy_says_hold(self):
        found = self.verdicts()["bolts"]
        longer = found.remedies[0].words.quantities[0].value
        self.assertEqual(self.verdicts(engaged_mm=self.PLATE.between.engaged_mm + longer)["bolts"].verdict, "holds")

    def test_the_reach_is_the_chains_with_its_doubt(self):
        """172 less 140.5 less the plate's 12; half a tenth more than that on either side at two deviations."""
        reach = self.verdicts()["reach"]
        self.assertAlmostEqual(reach.value, 172.0 - 140.5 - 12.0)
        self.assertAlmostEqual(reach.sd, math.hypot(0.5, 0.4) / 2, places=6)
        thinner = self.verdicts(thick_mm=15.0)["reach"]
        self.assertEqual(thinner.verdict, "fails")
        by = thinner.remedies[0].words.quantities[0].value
        # As far short as it is, and as far inside as 97.5 % of its doubt asks for, with a little more.
        self.assertGreaterEqual(by, 18.0 - 16.5 + 1.96 * reach.sd)
        self.assertLess(by, 18.0 - 16.5 + 2.1 * reach.sd)
        self.assertEqual(self.verdicts(thick_mm=15.0 - by)["reach"].verdict, "holds", "made by just so much thinner")

    def test_turns_freely_is_somebodys_to_say(self):
        self.assertEqual(self.verdicts()["turns"].verdict, "unknown")
        self.assertEqual(self.verdicts(turned_by="Wil Adeyemi")["turns"].verdict, "holds")


class Sleeves(unittest.TestCase):
    def test_a_boxed_mounts_sleeve_is_a_piece_that_follows_it(self):
        first = CAIRN.mounts[0]
        boxed = replace(first, boxed=Boxed(120.0, 4.0, 111.6, 20.0))
        build = replace(CAIRN, mounts=(boxed, *CAIRN.mounts[1:]))
        made = with_sleeves(build)
        piece = next(p for p in made.pieces if p.tube and p.tube.member == f"mount:{first.id}")
        self.assertEqual([m.id for m in sleeves_wanted(made)], [])
        shape = made_tube(scene(made), piece)[1]
        self.assertAlmostEqual(shape.blank_mm, 111.6)
        longer = replace(made, mounts=(replace(boxed, boxed=replace(boxed.boxed, sleeve_mm=112.4)), *CAIRN.mounts[1:]))
        self.assertAlmostEqual(made_tube(scene(longer), piece)[1].blank_mm, 112.4)
        bore = 20.0 - 2 * body_of(scene(made), piece).wall_mm
        self.assertAlmostEqual(bore, boxed.bolt_mm + 0.5)
        gone = replace(made, mounts=(replace(boxed, boxed=None), *CAIRN.mounts[1:]))
        self.assertIn("has no sleeve any more", checks(gone)[f"piece.{piece.id}.shape"].why.template)
