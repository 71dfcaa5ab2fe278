"""One amount for one pinion: what several checks of a line ask of it is worked out once, and what is told holds."""

import random
import unittest
from dataclasses import replace

from elmpeg.core.advice.single_mends import mends_of
from elmpeg.core.base.pose import Pose
from elmpeg.core.build.drivelines import LineJoint
from elmpeg.core.build.survey import Point
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.stages.drive.joint_remedies import with_remedies
from elmpeg.core.stages.drive.line_checks import line_checks
from elmpeg.core.stages.drive.pinion_setting import STEP_TURN_DEG, pinion_setting, setting_remedy, within_line
from elmpeg.core.stages.drive.pinion_turn import turned_as_made
from elmpeg.demo import dynamo
from tests.core.lines_shop import BACK, build, scene


def crooked(seed):
    """A vehicle whose line is bent somehow, its axle carried one way or the other, in one piece or with a carrier."""
    draw = random.Random(seed)
    # Two of three engines point as the axle does, so that some lines are mended by the pinion alone.
    level = draw.choice((0.0, 1.0, 2.0))
    engine = Pose(1000.0, 0.0, 500.0, 0.0, draw.choice((level, level, 5.0)), 0.0)
    made = build(engine, Pose(2700.0, draw.choice((0.0, 20.0)), draw.choice((400.0, 440.0)), 0.0, level + draw.uniform(-7, 7), 0.0))
    line = replace(made.driveline("rear"), axle=draw.choice(("springs", "links")), arrangement=draw.choice(("none", "equal_opposite")))
    if draw.random() < 0.3:
        carrier = Point("mid", "carrier", "vehicle", "joint", (2000.0, 10.0, 470.0), BACK, sd_mm=0.5)
        made = replace(made, points=(*made.points, carrier))
        joints = (line.joints[0], LineJoint("JC", "mid"), line.joints[-1])
        line = replace(line, joints=joints, phases_deg=(0.0, 0.0), shafts=(), arrangement="two_piece")
    return replace(made, drivelines=(line,))


def line_of(made):
    return with_remedies(scene(made), line_checks(scene(made), made.driveline("rear"))).checks


class OneAmount(unittest.TestCase):
    """Over lines bent at random."""

    @classmethod
    def setUpClass(cls):
        cls.asked = []
        for seed in range(40):
            made = crooked(seed)
            checks = line_of(made)
            turning = [(c, r) for c in checks if c.verdict == "fails" for r in c.remedies if r.component == "axle"]
            if turning:
                cls.asked.append((made, checks, turning))

    def test_all_checks_of_a_line_that_turn_its_pinion_turn_it_to_one_place(self):
        self.assertGreater(sum(len(turning) > 1 for _, _, turning in self.asked), 10)
        for _, _, turning in self.asked:
            self.assertEqual(len({r.pose for _, r in turning}), 1, [c.code for c, _ in turning])
            self.assertEqual(len({r.words for _, r in turning}), 1)

    def test_turned_so_each_check_that_asked_holds_and_nothing_else_of_the_line_fails_anew(self):
        held = wanting = 0
        for made, checks, turning in self.asked:
            there = scene(made).with_pose("axle", turning[0][1].pose)
            there_checks = line_checks(there, made.driveline("rear")).checks
            after = {c.code: c.verdict for c in there_checks}
            anew = {code for code, verdict in after.items() if verdict == "fails"} - {c.code for c in checks if c.verdict == "fails"}
            if pinion_setting(scene(made), made.driveline("rear"), checks) is None:
                # What cannot surely hold is still told, where it puts nothing else out or says what.
                said = turning[0][1].words.template
                names = [within_line(c.name, made.driveline("rear")) for c in there_checks if c.code in anew and c.family != "joint"]
                self.assertTrue(all(name in said for name in names), (names, said))
                self.assertEqual(any(c.family == "joint" and c.code in anew for c in there_checks), "though that puts" in said, said)
                wanting += bool(names)
                continue
            held += 1
            self.assertEqual({after[c.code] for c, _ in turning}, {"holds"})
            self.assertEqual(anew, set())
            if "brings the whole line inside" in turning[0][1].words.template:
                self.assertNotIn("fails", after.values())
        self.assertGreater(held, 15)
        self.assertGreater(wanting, 0)

    def test_no_smaller_turn_either_way_does_as_much(self):
        for made, checks, _ in self.asked[:4]:
            line, here = made.driveline("rear"), scene(made)
            setting = pinion_setting(here, line, checks)
            if setting is None:
                continue
            for k in range(1, round(abs(setting.turn_deg) / STEP_TURN_DEG)):
                for turn in (k * STEP_TURN_DEG, -k * STEP_TURN_DEG):
                    after = line_checks(here.with_pose("axle", turned_as_made(here, "axle", turn)), line).checks
                    asked_hold = all(c.verdict == "holds" for c in after if c.code in setting.asked_by)
                    fails = [c.code for c in after if c.verdict == "fails"]
                    anew = set(fails) - {c.code for c in checks if c.verdict == "fails"}
                    as_much = asked_hold and not (fails if setting.mends_line else anew)
                    # A turn that leaves something near comes after one that leaves nothing so.
                    surely = all(c.verdict == "holds" for c in after if c.code in {w.code for w in checks if w.verdict == "fails"})
                    self.assertFalse(as_much and (surely or not setting.mends_line), (turn, setting))

    def test_with_the_amount_for_the_whole_line_nothing_of_it_fails(self):
        whole = 0
        for made, checks, _ in self.asked:
            setting = pinion_setting(scene(made), made.driveline("rear"), checks)
            if setting is not None and setting.whole_deg is not None:
                whole += 1
                there = scene(made).with_pose("axle", turned_as_made(scene(made), "axle", setting.whole_deg))
                after = line_checks(there, made.driveline("rear")).checks
                self.assertNotIn("fails", {c.verdict for c in after})
                told = setting_remedy(scene(made), made.driveline("rear"), setting).words.template
                near = [c.name.removeprefix("Rear").lstrip(",: ") for c in after if c.verdict == "near"]
                self.assertEqual(f"leaves near: {', '.join(near)}." in told or f"leaves near: {', '.join(near)} " in told, bool(near), told)
                self.assertTrue(near or "leaves near" not in told)
        self.assertGreater(whole, 5)

    def test_one_move_alone_tells_the_same_amount(self):
        told = 0
        for made, checks, _ in self.asked[:14]:
            setting = pinion_setting(scene(made), made.driveline("rear"), checks)
            alone = next((m for m in mends_of(made, "o", made.driveline("rear")) if m.freedom.startswith("pinion")), None)
            if setting is None or setting.whole_deg is None:
                continue
            told += 1
            self.assertAlmostEqual(alone.words.quantities[0].value, abs(setting.whole_deg))
        self.assertGreater(told, 2)


class OnTheVan(unittest.TestCase):
    """The van as it came: wedges that mend its rear joint and leave its load failing were told beside others."""

    def test_the_joint_and_the_load_ask_for_the_same_wedges(self):
        checks = {c.code: c for c in evaluate(dynamo.build(), "before").checks}
        (joint,) = checks["line.rear.J3"].remedies
        (load,) = checks["line.rear.load.driven"].remedies
        self.assertEqual(joint, load)
        self.assertIn("wedges", joint.words.template)


if __name__ == "__main__":
    unittest.main()
