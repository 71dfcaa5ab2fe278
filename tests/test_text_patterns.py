"""No text that somebody sends keeps everybody waiting: what looks for patterns in it takes about as long as the text is."""

import ast
import contextlib
import re
import time
import unittest
from pathlib import Path

import elmpeg
from elmpeg.core.base.errors import InputError
from elmpeg.core.methods.fastening.fasteners import thread
from elmpeg.core.methods.measuring.typed_figures import parse_angle, parse_length
from elmpeg.core.stages.measure.point_readings import quick_line, unknown_line
from elmpeg.demo import cairn
from elmpeg.formats import csv_table, shelf_csv, survey_csv
from tests.effort import at_most

SOURCE = Path(elmpeg.__file__).parent
ASKED = ("compile", "fullmatch", "match", "search", "sub", "findall", "finditer", "split")
LONG = 400
MOST_S = 0.08
"""Of a text of so many characters: what grows with its square takes a quarter of it, what grows with its cube several times."""
WHOLE = (" ", "\t", "\n", "1", "a", ".", "-", "_", "[", "(", '"', "'", "<", "1 ", "1/", "a ", "1,", "ab-", "1 1/2 ", "+-")
BEFORE = ("", "x", "1", "[")


def patterns():
    """Every pattern of the source that is written out, with where it stands."""
    for path in sorted(SOURCE.rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if (
                isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr in ASKED and node.args
                and isinstance(node.func.value, ast.Name) and node.func.value.id == "re" and isinstance(node.args[0], ast.Constant)
            ):  # fmt: skip
                yield f"{path.relative_to(SOURCE)}:{node.lineno}", node.args[0].value


class Patterns(unittest.TestCase):
    def test_none_takes_more_than_the_square_of_a_text(self):
        found = list(patterns())
        self.assertGreater(len(found), 30)
        for where, text in found:
            made = re.compile(text)
            for again in WHOLE:
                for before in BEFORE:
                    hostile = before + again * (LONG // len(again)) + "!"
                    said = hostile.encode() if isinstance(text, bytes) else hostile
                    began = time.thread_time()
                    made.fullmatch(said), made.search(said)
                    with self.subTest(where, again=again, before=before):
                        self.assertLess(time.thread_time() - began, MOST_S, text)

    def test_one_that_takes_the_cube_is_noticed(self):
        cubic = re.compile(r"\s*(.*?)\s*(?:\[\s*(\w+)\s*\])?\s*")
        began = time.thread_time()
        cubic.fullmatch("[" + "\t" * LONG + "!")
        self.assertGreater(time.thread_time() - began, MOST_S)


class Long(unittest.TestCase):
    """What a form or a file may send, 100,000 characters long."""

    def test_whatever_reads_a_figure_a_thread_or_a_line(self):
        build = cairn.build()
        readers = {
            "length": lambda text: parse_length(text, "mm"), "angle": parse_angle, "thread": thread,
            "line": lambda text: quick_line(build, text, "mm"), "a line of no point": lambda text: unknown_line(build, text),
            "points": lambda text: survey_csv.read(build, text.encode(), "Orla Fennick", "2026-12-01T10:00:00"),
            "shelf": lambda text: shelf_csv.read((), text.encode()),
        }  # fmt: skip
        for name, read in readers.items():
            for again in WHOLE:
                with self.subTest(name, again=again), at_most(self, 2.0), contextlib.suppress(InputError):
                    read("x" + again * (100_000 // len(again)) + "!")

    def test_a_header_is_read_as_before(self):
        for cell, name, unit in (
            ("  Free   length [ MM ] ", "free length", "mm"), ("x[in]", "x", "in"), ("count", "count", None), ("a [b] c", "a [b] c", None),
        ):  # fmt: skip
            with self.subTest(cell):
                found = csv_table.table(f"{cell};other\n1;2\n".encode())
                self.assertEqual(found.header[name].unit, unit)


if __name__ == "__main__":
    unittest.main()
