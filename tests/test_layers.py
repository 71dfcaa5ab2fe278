"""Each room knows only what lies below it; a room that reaches upward makes every change touch the whole house."""

import ast
import os
import shutil
import subprocess
import sys
import tempfile
import unittest
from collections import defaultdict
from functools import cache
from pathlib import Path
from typing import get_args

from elmpeg.core.build.document import Stage
from elmpeg.core.evaluation import catalogue
from elmpeg.web.stage_list import STAGE_PAGES, page_modules

SOURCE = Path(__file__).resolve().parents[1] / "src"
LAYERS = (
    "base",
    "methods",
    "build",
    "scene",
    "integrity",
    "starters",
    "judging",
    "stages",
    "evaluation",
    "advice",
    "calculators",
    "reckoning",
)
"""Of the core, the lowest first."""
STAGES = ("reference", "measure", "place", "mount", "drive", "link", "ride", "clear", "make", "fit", "hand_over")
"""In the order of the work."""
FOREIGN = {
    "fastapi",
    "starlette",
    "jinja2",
    "sqlalchemy",
    "alembic",
    "ezdxf",
    "reportlab",
    "PIL",
    "uvicorn",
    "markupsafe",
    "argon2",
    "structlog",
    "sqlite3",
    "pydantic_settings",
}
ABOVE_CORE = {"web": (), "cli": ("web",), "demo": ("web",), "store": ("formats",), "formats": ("figures",), "figures": (), "devices": ()}
"""What stands beside the core, and which of the others each may know; web may know all."""


@cache
def modules():
    """Every module of the application by its dotted name."""
    found = {}
    for path in sorted((SOURCE / "elmpeg").rglob("*.py")):
        parts = path.relative_to(SOURCE).with_suffix("").parts
        found[".".join(parts[:-1] if parts[-1] == "__init__" else parts)] = path
    return found


@cache
def imports():
    """By module: every module it imports, ours by their whole names."""
    found = {}
    for name, path in modules().items():
        wanted = set()
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Import):
                wanted |= {a.name for a in node.names}
            elif isinstance(node, ast.ImportFrom):
                assert node.level == 0, f"{name} imports by dots"
                wanted |= {f"{node.module}.{a.name}" if f"{node.module}.{a.name}" in modules() else node.module for a in node.names}
        found[name] = wanted - {name}
    return found


def layer_of(module):
    """The layer of a core module; None for what is not of the core."""
    parts = module.split(".")
    return parts[2] if parts[:2] == ["elmpeg", "core"] and len(parts) > 2 else None


def stage_of(module):
    parts = module.split(".")
    return parts[3] if parts[:3] == ["elmpeg", "core", "stages"] and len(parts) > 3 else None


def upward(graph, order, place_of):
    """Each import that reaches from one place to a later one of the order."""
    return [
        f"{name} imports {wanted}"
        for name, all_wanted in sorted(graph.items())
        for wanted in sorted(all_wanted)
        if place_of(name) and place_of(wanted) and order.index(place_of(wanted)) > order.index(place_of(name))
    ]


def ring_in(graph):
    """A ring of things that lead to each other; empty where there is none."""
    done, path = set(), []

    def visit(here):
        if here in path:
            return [*path[path.index(here) :], here]
        if here in done:
            return []
        path.append(here)
        for there in sorted(graph.get(here, ())):
            ring = visit(there)
            if ring:
                return ring
        path.pop()
        done.add(here)
        return []

    for start in sorted(graph):
        ring = visit(start)
        if ring:
            return ring
    return []


class Layers(unittest.TestCase):
    def test_every_module_of_the_core_lies_in_a_layer(self):
        places = {layer_of(m) for m in modules() if m.startswith("elmpeg.core.")}
        self.assertEqual(places, set(LAYERS))
        self.assertLessEqual({stage_of(m) for m in modules()} - {None}, set(STAGES))

    def test_no_layer_knows_one_above_it(self):
        self.assertEqual(upward(imports(), LAYERS, layer_of), [])

    def test_no_stage_knows_a_later_one(self):
        self.assertEqual(upward(imports(), STAGES, stage_of), [])

    def test_methods_know_no_build(self):
        for name, wanted in imports().items():
            if layer_of(name) == "methods":
                self.assertLessEqual({layer_of(w) for w in wanted if w.startswith("elmpeg")}, {"base", "methods"}, name)
            if layer_of(name) == "calculators":
                reached = {layer_of(w) for w in wanted if w.startswith("elmpeg.core.")} - {None}
                self.assertLessEqual(reached, {"base", "methods", "calculators"}, name)

    def test_modules_and_packages_have_no_rings(self):
        self.assertEqual(ring_in(imports()), [])
        packages = defaultdict(set)
        for name, wanted in imports().items():
            here = name.rsplit(".", 1)[0]
            packages[here] |= {w.rsplit(".", 1)[0] for w in wanted if w.startswith("elmpeg.core.")} - {here, "elmpeg.core"}
        self.assertEqual(ring_in({p: w for p, w in packages.items() if p.startswith("elmpeg.core.")}), [])

    def test_the_core_imports_no_web_database_or_file_library_and_nothing_above_it(self):
        for name, wanted in imports().items():
            if name.startswith("elmpeg.core"):
                self.assertFalse({w.split(".")[0] for w in wanted} & FOREIGN, name)
                self.assertFalse([w for w in wanted if w.startswith("elmpeg.") and not w.startswith("elmpeg.core")], name)

    def test_what_stands_beside_the_core_knows_only_what_it_may(self):
        for name, wanted in imports().items():
            place = name.split(".")[1] if "." in name else ""
            if place not in ABOVE_CORE or place in ("web", "cli"):
                continue
            others = {w.split(".")[1] for w in wanted if w.startswith("elmpeg.")} - {"core", place}
            if place == "demo":
                self.assertFalse(others & set(ABOVE_CORE[place]), name)
            else:
                self.assertLessEqual(others, set(ABOVE_CORE[place]), name)

    def test_an_import_that_reaches_upward_would_be_seen(self):
        graph = {"elmpeg.core.base.pose": {"elmpeg.core.scene.scene"}, "elmpeg.core.stages.measure.a": {"elmpeg.core.stages.drive.b"}}
        self.assertEqual(len(upward(graph, LAYERS, layer_of)), 1)
        self.assertEqual(len(upward(graph, STAGES, stage_of)), 1)
        self.assertEqual(ring_in({"a": {"b"}, "b": {"c"}, "c": {"a"}}), ["a", "b", "c", "a"])


class Stages(unittest.TestCase):
    """A stage is entered in its own folders; what is not entered there would be no part of the application, without a word."""

    def test_every_module_with_a_router_is_entered(self):
        for entry in STAGE_PAGES:
            folder = SOURCE / "elmpeg" / "web" / "pages" / entry.name.lower().replace(" ", "_")
            with_router = {file.stem for file in folder.glob("*.py") if "router = APIRouter(" in file.read_text()}
            with self.subTest(entry.name):
                self.assertEqual(set(entry.modules), with_router)
                self.assertEqual(len(entry.modules), len(set(entry.modules)))

    def test_each_opens_at_a_page_of_its_own(self):
        own = {route.name: module.__name__ for module in page_modules() for route in module.router.routes}
        for entry in STAGE_PAGES:
            self.assertIn(f".pages.{entry.name.lower().replace(' ', '_')}.", own[entry.first])

    def test_every_family_of_checks_is_of_one_stage(self):
        families = [kind.family for stage in catalogue.STAGES for kind in stage.kinds]
        self.assertEqual(len(families), len(set(families)))
        self.assertEqual([stage.name for stage in catalogue.STAGES], list(get_args(Stage)))

    def test_a_new_stage_is_found_by_its_folders_alone(self):
        """In a copy of the application, with nothing changed besides."""
        with tempfile.TemporaryDirectory() as folder:
            shutil.copytree(SOURCE / "elmpeg", Path(folder) / "elmpeg", ignore=shutil.ignore_patterns("__pycache__", "static"))
            core, pages = Path(folder) / "elmpeg/core/stages/link", Path(folder) / "elmpeg/web/pages/link"
            for made in (core, pages):
                made.mkdir()
                (made / "__init__.py").write_text("")
            (core / "stage.py").write_text(NEW_CHECKS)
            (pages / "stage.py").write_text(
                'from elmpeg.web.stage_pages import StagePages\n\nPAGES = StagePages("Link", "levers", ("levers",))\n'
            )
            (pages / "levers.py").write_text(NEW_PAGE)
            said = subprocess.run(
                [sys.executable, "-c", ASKED],
                cwd=folder,
                env={**os.environ, "PYTHONPATH": folder},
                capture_output=True,
                text=True,
                check=False,
            )
            self.assertEqual(said.stdout.split(), ["Link", "levers", "rod", "rod"], said.stderr[-500:])


NEW_CHECKS = """from elmpeg.core.base.quantities import words
from elmpeg.core.judging.checks import Check, Findings
from elmpeg.core.judging.kinds import CheckKind, Gravity, Runner, StageChecks, nowhere, whole_build

RODS = Runner("rods", whole_build, lambda s, b: Findings((Check("rod.a", "rod", "rod", "mm", "holds", words("It is there.")),)), ("points",), nowhere)
STAGE = StageChecks("Link", (CheckKind("rod", Gravity.MAKE, RODS),))
"""
NEW_PAGE = """from fastapi import APIRouter

router = APIRouter()


@router.get("/builds/{build_id}/levers", name="levers")
def show(build_id: str) -> str:
    return build_id
"""
ASKED = """from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.demo import cairn
from elmpeg.web.stage_list import STAGES, page_modules

link = next(s for s in STAGES if s.name == "Link")
found = next(c for c in evaluate(cairn.build(), "low").checks if c.stage == "Link")
assert any(r.name == "levers" for m in page_modules() for r in m.router.routes)
print(link.name, link.route, found.family, found.name)
"""


if __name__ == "__main__":
    unittest.main()
