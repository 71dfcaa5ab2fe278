"""The open file: what goes out comes back equal; what is broken or hostile changes nothing."""

import json
import unittest
from dataclasses import replace

from hypothesis import given, settings
from hypothesis import strategies as st

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.options import Option
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.stages.drive.line_checks import LineState
from elmpeg.demo import bookworm, cairn, dynamo
from elmpeg.formats import build_file

CAIRN = cairn.build()


class RoundTrip(unittest.TestCase):
    """Nothing is lost on the way out and in."""

    def test_every_demo_build(self):
        for build in (CAIRN, bookworm.build(), dynamo.build()):
            with self.subTest(build.id):
                self.assertEqual(build_file.read(build_file.written(build)), build)
                self.assertEqual(build_file.from_plain(json.loads(build_file.to_json(build))), build)
                self.assertEqual(build_file.from_plain(build_file.to_plain(build)), build)

    @settings(max_examples=40)
    @given(st.text(min_size=1, max_size=40), st.floats(-9e4, 9e4), st.floats(-180, 180))
    def test_any_name_and_any_figure(self, name, mm, deg):
        pose = replace(cairn.LOW, x_mm=mm, yaw_deg=deg)
        position = replace(CAIRN.options[0].positions[0], pose=pose)
        build = replace(CAIRN, name=name, options=(Option("low", name, (position,), note=name), *CAIRN.options[1:]))
        self.assertEqual(build_file.read(build_file.written(build)), build)

    def test_the_committed_schema_is_the_one_served(self):
        self.assertEqual(build_file.SCHEMA_PATH.read_text(), build_file.schema_text())
        self.assertEqual(json.loads(build_file.schema_text())["properties"]["version"]["const"], build_file.VERSION)

    def test_files_written_by_earlier_versions_are_still_read(self):
        """Kept as they were written then; a change that cannot read them loses a shop's old exports."""
        for version, expected in ((1, ("cairn-2", 18, 3)), (2, ("dynamo", 5, 2)), (3, ("dynamo", 5, 2))):
            kept = (build_file.SCHEMA_PATH.parents[3] / f"tests/reference/build-v{version}.json").read_bytes()
            self.assertEqual(json.loads(kept)["version"], version)
            build = build_file.read(kept)
            self.assertEqual((build.id, len(build.points), len(build.rounds)), expected)
            for option in build.options:
                self.assertTrue(evaluate(build, option.id).of(LineState), "its lines are worked out as they were")


class Refusals(unittest.TestCase):
    """Broken, too large, of a later version, or hostile: refused with words."""

    def refused(self, data):
        with self.assertRaises(InputError) as refused:
            build_file.read(data)
        return str(refused.exception)

    def changed(self, **fields):
        plain = json.loads(build_file.written(CAIRN))
        plain.update(fields)
        return json.dumps(plain).encode()

    def test_not_a_build_file_at_all(self):
        for data in (b"", b"{", b"[]", b"null", b"\xff\xfe\x00", b'{"format": "other"}', b"[" * 100_000, build_file.written(CAIRN)[:5000]):
            with self.subTest(data[:12]):
                self.assertIn("file", self.refused(data))

    def test_versions(self):
        self.assertIn("later", self.refused(self.changed(version=build_file.VERSION + 1)))
        for version in (0, -1, "1", 1.0, True, None):
            with self.subTest(version=version):
                self.assertIn("version", self.refused(self.changed(version=version)))

    def test_too_large(self):
        self.assertIn("8.0 MB", self.refused(b" " * (build_file.LARGEST_BYTES + 1)).replace("at most 8 MB", "at most 8.0 MB"))

    def test_wrong_inside(self):
        build = json.loads(build_file.written(CAIRN))["build"]
        cases = {
            "surprise": {**build, "surprise": 1}, "name": {**build, "name": 5}, "build.id": {k: v for k, v in build.items() if k != "id"},
            "agreed": {**build, "agreed": "nobody"}, "build.points.0.xyz_mm": {**build, "points": [{**build["points"][0], "xyz_mm": [1, 2]}]},
        }  # fmt: skip
        for words, inner in cases.items():
            with self.subTest(words):
                self.assertIn(words, self.refused(self.changed(build=inner)))

    def test_figures_that_are_no_figures(self):
        text = build_file.written(CAIRN).replace(b"740.0", b"NaN")
        self.assertIn("file", self.refused(text))
        self.assertIn(
            "finite", self.refused(build_file.written(CAIRN).replace(b"740.0", b"1e999")).replace("file: is not readable", "finite")
        )
