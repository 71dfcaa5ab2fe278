"""The application's own things: the store, what is kept of evaluations, the templates."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field, replace
from functools import cache
from pathlib import Path
from threading import Lock
from typing import Any

from fastapi import FastAPI
from fastapi.routing import APIRoute
from jinja2 import Environment, FileSystemLoader, StrictUndefined

from elmpeg import __version__
from elmpeg.core.base.errors import MissingError
from elmpeg.core.base.turns import Turns
from elmpeg.core.build.document import Build
from elmpeg.core.build.signers import signed_here
from elmpeg.core.build.underlays import Underlay
from elmpeg.core.build.usual_cautions import cautions_of
from elmpeg.core.evaluation.catalogue import KINDS
from elmpeg.core.evaluation.evaluate import Evaluation, evaluate
from elmpeg.core.methods.measuring.plane_projection import Mark, plane_projection
from elmpeg.devices.simulated import Simulated
from elmpeg.formats.rectified import Laid, laid_out
from elmpeg.formats.stopping import EverybodysFiles
from elmpeg.store.accounts import Accounts
from elmpeg.store.book import Book
from elmpeg.store.builds import Builds, Head
from elmpeg.store.devices import Devices
from elmpeg.store.glances import Glances
from elmpeg.store.meshes import Meshes
from elmpeg.store.notebook import Notebook
from elmpeg.store.photos import Photos
from elmpeg.store.presence import Presence
from elmpeg.store.shop_record import ShopRecords
from elmpeg.store.stock import Shelf
from elmpeg.web.check_rows import KeptRows
from elmpeg.web.first_start import FirstStart
from elmpeg.web.form_tags import PlainForms
from elmpeg.web.held_files import HeldFiles
from elmpeg.web.jobs import Jobs
from elmpeg.web.mesh_imports import MeshImports
from elmpeg.web.parts import END, ShownPages, part
from elmpeg.web.settings import Settings
from elmpeg.web.stage_list import STAGES
from elmpeg.web.streams import Hub
from elmpeg.web.tracings import Tracings

HERE = Path(__file__).parent
Bench = dict[tuple[int, str], tuple[Simulated, str]]
"""By person and kind: the simulated device on their bench, and its token."""
KEPT_PER_OPTION = 3
KEPT_PICTURES = 24
MOST_ADDRESSES = 20_000
KEPT_OPTIONS = 100
"""Evaluations kept: the newest few of each option that somebody looks at."""


class StaticNames:
    """Static files under names that change with their content, so that a browser never keeps a stale one."""

    def __init__(self, root: Path) -> None:
        self.root = root
        self._hashes: dict[str, str] = {}

    def __call__(self, name: str) -> str:
        """The path of a static file with its content's hash."""
        if name not in self._hashes:
            self._hashes[name] = hashlib.sha256((self.root / name).read_bytes()).hexdigest()[:12]
        return f"/static/{name}?v={self._hashes[name]}"


class Addresses:
    """Paths of routes by their names; pages ask for the same few many times over."""

    def __init__(self) -> None:
        self.app: FastAPI | None = None
        self._known: dict[tuple[object, ...], str] = {}
        self._routes: dict[str, APIRoute] = {}

    def __call__(self, route: str, **params: Any) -> str:
        """The path of a route; raises where there is none of that name and parameters."""
        key = (route, *params.items())
        found = self._known.get(key)
        if found is None:
            if self.app is None:
                raise RuntimeError("the application is not put together yet")
            # Asking the application goes through all of its routes in turn.
            self._routes = self._routes or {r.name: r for r in self.app.routes if isinstance(r, APIRoute)}
            found = str((self._routes.get(route) or self.app).url_path_for(route, **params))
            if len(self._known) < MOST_ADDRESSES:
                self._known[key] = found
        return found


@dataclass
class Shop:
    """The application's own things, made once."""

    settings: Settings
    accounts: Accounts
    builds: Builds
    shelf: Shelf
    templates: Environment
    devices: Devices
    photos: Photos
    records: ShopRecords
    book: Book
    meshes: Meshes
    notebook: Notebook
    glances: Glances
    imports: MeshImports = field(default_factory=MeshImports)
    tracings: Tracings = field(default_factory=Tracings)
    files_under_way: EverybodysFiles = field(default_factory=EverybodysFiles)
    files: HeldFiles = field(default_factory=HeldFiles)
    first: FirstStart = field(default_factory=FirstStart)
    presence: Presence = field(default_factory=Presence)
    hub: Hub = field(default_factory=Hub)
    jobs: Jobs = field(default_factory=Jobs)
    bench: Bench = field(default_factory=dict)
    last_sequence: dict[int, int] = field(default_factory=dict)
    check_rows: KeptRows = field(default_factory=KeptRows)
    shown_pages: ShownPages = field(default_factory=ShownPages)
    url: Addresses = field(default_factory=lambda: Addresses())
    laid: dict[tuple[str, tuple[Mark, ...]], Laid] = field(default_factory=dict)
    page_routes: list[APIRoute] = field(default_factory=list)
    evaluating: Turns = field(default_factory=Turns)
    """One after the other looks at a build; who looks at another build waits for nobody."""
    offers: dict[tuple[str, ...], tuple[Evaluation, Any, Any]] = field(default_factory=dict)
    """What the shelf has for a mount, by build, option, mount and leaning, with the evaluation and the shelf it rests on."""
    laying: Lock = field(default_factory=Lock)
    keeping: Lock = field(default_factory=Lock)
    evaluations: dict[tuple[str, str], tuple[tuple[Build, Evaluation], ...]] = field(default_factory=dict)

    def laid_photo(self, build: Build, underlay: Underlay) -> Laid:
        """A photograph under a view as it is seen square on; the newest few are kept. Raises MissingError."""
        key = (underlay.photo, underlay.marks)
        if key not in self.laid:
            photo = next((p for p in build.photos if p.id == underlay.photo), None)
            if photo is None:
                raise MissingError("this build has no such photograph")
            fit = plane_projection(underlay.marks)
            # A large picture takes memory while it is unpacked: one at a time.
            with self.laying:
                self.laid[key] = laid_out(self.photos.read(photo.id), fit, [m.at_mm for m in underlay.marks])
            while len(self.laid) > KEPT_PICTURES:
                self.laid.pop(next(iter(self.laid)), None)
        return self.laid[key]

    def begun(self) -> bool:
        """Whether the shop has people; once it has, it always has."""
        if not self.first.done:
            self.first.done = bool(self.accounts.people())
        return self.first.done

    def newest_after_others(self, saved: Head) -> Head:
        """A build as it was saved; where it is being evaluated for others just now, as it stands once it is.

        With many saving at once one evaluation then answers all who waited for it.
        """
        turn = self.evaluating.of(saved.build.id)
        if not turn.locked():
            return saved
        with turn:
            return self.builds.head(saved.build.id)

    def evaluated(self, head: Head, option_id: str) -> Evaluation:
        """An option's evaluation; the same document always gives the same answer, so it is kept.

        What an evaluation does not look at (other options, rounds, which is agreed) may differ.
        """
        key = (head.build.id, option_id)
        asked = replace(head.build, options=(head.build.option(option_id),), agreed=None, agreed_because="", rounds=())
        for document, found in self.evaluations.get(key, ()):
            if document == asked:
                return found
        # One after the other: side by side they would only slow each other down, and none could use what another has found.
        with self.evaluating.of(head.build.id):
            for document, found in self.evaluations.get(key, ()):
                if document == asked:
                    return found
            made = evaluate(asked, option_id)
        with self.keeping:
            self.evaluations[key] = ((asked, made), *self.evaluations.get(key, ()))[:KEPT_PER_OPTION]
            while len(self.evaluations) > KEPT_OPTIONS:
                self.evaluations.pop(next(iter(self.evaluations)), None)
        return made


@cache
def templates() -> Environment:
    """The page templates: everything escaped, an unknown name an error. They know no shop, so all shops of a process share them."""
    env = Environment(
        loader=FileSystemLoader(HERE / "templates"),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
        extensions=[PlainForms],
        # They do not change while it runs; looking whether they did takes a tenth of an answer.
        auto_reload=False,
    )
    env.globals["static"] = StaticNames(HERE / "static")
    env.globals["version"] = __version__
    env.globals["stages"] = STAGES
    env.globals["kinds"] = KINDS
    env.globals["zip"] = zip
    env.globals["page_part"] = part
    env.globals["page_part_end"] = END
    env.globals["cautions_of"] = cautions_of
    env.tests["signed_here"] = signed_here
    env.filters["points_of"] = lambda check: check.ids("points")
    return env
