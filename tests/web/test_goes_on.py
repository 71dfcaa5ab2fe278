"""One thing that cannot be worked out keeps nobody from a build: it is unknown, and all else stands."""

import unittest
from dataclasses import replace
from unittest import mock

from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.evaluation.kept_findings import bear_trouble
from elmpeg.core.stages.make.stage import PIECES
from elmpeg.demo import cairn
from tests.shop import TestShop


def breaking(name):
    """What a runner does, but for one thing at which it breaks."""
    usual = PIECES.run

    def run(scene, thing):
        if thing.id == name:
            raise ZeroDivisionError("a mistake of ours")
        return usual(scene, thing)

    return mock.patch.object(PIECES, "run", run)


class GoesOn(unittest.TestCase):
    def setUp(self):
        self.shop = TestShop()
        self.addCleanup(self.shop.close)
        self.teo = self.shop.browser("teo")

    def move(self):
        number = str(self.shop.shop.builds.head("cairn-2").number)
        changed = {"option": "low", "piece": "lamp-plate", "name": "Lamp plate", "thick": "3.5", "count": "1"}
        return self.teo.post("/builds/cairn-2/make/piece", base=number, **changed)

    def test_every_page_of_the_build_still_opens_and_says_what_is_wrong(self):
        told = []
        bear_trouble(lambda runner, thing, trouble: told.append((runner.name, thing.id, str(trouble))))
        self.addCleanup(bear_trouble, None)
        with breaking("lamp-plate"):
            self.assertEqual(self.move().status_code, 200)
            self.assertIn(("pieces", "lamp-plate", "a mistake of ours"), told)
            bay = self.teo.get("/builds/cairn-2/bay?option=low&check=piece.lamp-plate.not-worked-out")
            self.assertEqual(bay.status_code, 200)
            self.assertIn("It could not be worked out. That is a mistake in Elm Peg, not in the vehicle", bay.text)
            for path in ("make?option=low", "make/piece?option=low&piece=seat-bracket", "mounts?option=low", "drive?option=low", "history"):
                self.assertEqual(self.teo.get(f"/builds/cairn-2/{path}").status_code, 200, path)
            head = self.shop.shop.builds.head("cairn-2")
            self.teo.post("/builds/cairn-2/undo", base=str(head.number), option="low", do="undo", stage="Make")
            self.assertEqual(self.shop.shop.builds.head("cairn-2").number, head.number + 1, "and it can be taken back")

    def test_who_does_not_ask_for_that_sees_the_mistake(self):
        build = cairn.build()
        # Of another thickness, so that nothing is known of it yet.
        build = replace(build, pieces=tuple(replace(p, thick_mm=3.25) if p.id == "lamp-plate" else p for p in build.pieces))
        with breaking("lamp-plate"):
            with self.assertRaises(ZeroDivisionError):
                evaluate(build, "low")
            told = []
            bear_trouble(lambda runner, thing, trouble: told.append((runner.name, thing.id, str(trouble))))
            self.addCleanup(bear_trouble, None)
            found = evaluate(build, "low")
        self.assertEqual(told, [("pieces", "lamp-plate", "a mistake of ours")])
        unknown = [c for c in found.checks if c.code.startswith("piece.lamp-plate")]
        self.assertEqual([c.verdict for c in unknown], ["unknown"])
        self.assertGreater(len(found.checks), 100)
        again = {c.code: c.verdict for c in evaluate(build, "low").checks}
        self.assertEqual(again["piece.lamp-plate.print"], "fails", "what went wrong once is worked out again")


if __name__ == "__main__":
    unittest.main()
