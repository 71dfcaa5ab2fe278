"""Files that are well formed and nonsense: refused with words, or evaluated and drawn without breaking."""

import copy
import json
import math
import random
import unittest

from elmpeg.core.base.errors import ElmPegError
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.stages.fit.rounds import measured_place, report
from elmpeg.demo import bookworm, cairn, dynamo
from elmpeg.formats import build_file
from elmpeg.web.drawing.bay import BayScene, draw
from elmpeg.web.showing import Show

WILD = (0, -1, 1e-12, 1e5, -1e5, 1e300, 0.5, 90, 180, None, "", "x" * 300, "a/b?c#d", "<b>", True, [], {}, [0, 0, 0], [1e-9, 0, 0])


def leaves(value, path=()):
    """Every place in a document where something could be put instead."""
    if isinstance(value, dict):
        for key, inner in value.items():
            yield (*path, key)
            yield from leaves(inner, (*path, key))
    elif isinstance(value, list):
        for k, inner in enumerate(value):
            yield (*path, k)
            yield from leaves(inner, (*path, k))


def put(document, path, value):
    for step in path[:-1]:
        document = document[step]
    document[path[-1]] = value


class Hostile(unittest.TestCase):
    """One or two things changed at random in a real build."""

    def test_hundreds_of_spoiled_files(self):
        rng, accepted, refused = random.Random(21), 0, 0
        originals = [json.loads(build_file.written(b.build())) for b in (cairn, bookworm, dynamo)]
        places = [[p for p in leaves(o["build"]) if p[0] != "rounds" or rng.random() < 0.05] for o in originals]
        for k in range(450):
            document = copy.deepcopy(originals[k % 3])
            try:
                for _ in range(rng.choice((1, 1, 2))):
                    put(document["build"], rng.choice(places[k % 3]), rng.choice(WILD))
            except (KeyError, IndexError, TypeError):
                continue
            try:
                build = build_file.read(json.dumps(document).encode())
            except ElmPegError as error:
                refused += 1
                self.assertTrue(str(error))
                continue
            accepted += 1
            for option in build.options:
                evaluation = evaluate(build, option.id)
                for check in evaluation.checks:
                    self.assertTrue(check.value is None or math.isfinite(check.value), check.code)
            chosen = build.components[0].id if build.components else ""
            for view in ("side", "plan", "rear"):
                draw(BayScene(build, evaluate(build, build.options[0].id), chosen), view, Show("in_fraction_16"), True)
            for one in build.rounds:
                report(one)
                measured_place(build, one)
            self.assertEqual(build_file.read(build_file.written(build)), build)
        self.assertGreater(accepted, 30)
        self.assertGreater(refused, 100)
