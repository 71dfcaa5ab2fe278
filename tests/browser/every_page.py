"""Every page that somebody can open, from the list of routes itself: a page that comes is looked at with the others."""

from __future__ import annotations

import itertools
import re
from dataclasses import fields, is_dataclass, replace
from typing import Any

from elmpeg.store.revisions import Author
from tests.shop import TestShop

NOT_PAGES = {
    *(
        "first",
        "welcome",
        "sign_in",
        "build",
        "here",
        "bench",
        "asked_drawing",
        "understand",
        "mesh_seen",
        "pick",
        "line_pick",
        "drive_mend_single",
        "drive_solving",
    ),
    *(
        "export",
        "export_zip",
        "shelf_csv",
        "points_csv",
        "readings_csv",
        "travel_csv",
        "piece_pdf",
        "piece_file",
        "cut_order_pdf",
        "cut_order_json",
        "piece_picture",
        "order_pdf",
        "order_json",
        "wrap_pdf",
        "turned_pdf",
        "turned_json",
        "cut_list_csv",
        "cut_list_pdf",
    ),
    *("book_photo", "photo", "mesh_original", "underlay_picture", "build_kept_paper", "kept_paper"),
}
"""Routes that answer with a part of a page, with a file, or for somebody who is not signed in."""
QUERIES = {
    "reference": ("option=low", "option=low&tab=sheet", "option=low&tab=tools"),
    "patterns": ("option=low&plate=seat-marked&studs=runner",),
    "shelf": ("build=cairn-2",),
    "bay": ("option=low", "option=lifted&rise=40"),
    "put_in": ("option=low&start=book%3Agearbox-five-speed",),
    "edit_point": ("option=low&point=LM-seat",),
    "measure": ("option=low&point=LM-seat", "option=low&point=LM-seat&blind=1"),
    "where": ("option=low&part=engine",),
    "underlay": ("option=low&on=vehicle&view=side",),
    "joint_print": ("option=low&mount=LM",),
    "mounts": ("option=low&mount=GM",),
    "piece": (
        "option=low&piece=seat-bracket",
        "option=low&piece=alternator-stay&part=joins",
        "option=low&piece=lamp-plate&part=paper",
        "option=low&piece=alternator-stay&part=cutter",
        "option=low&piece=lamp-plate&part=tried",
        "option=low&piece=hose-stay",
        "option=low&piece=hoist-crossmember-cross&part=wraps",
        "option=low&piece=hoist-crossmember-left&part=slides",
        "option=low&piece=compressor-bush",
    ),
    "plates": ("option=low&plate=seat-adapter",),
    "shapes": ("option=low&shape=gearbox-crossmember",),
    "things": ("option=low&of=rooms", "option=low&of=components&thing=engine"),
    "fit": ("option=low&round=round-2",),
    "drive": ("option=lifted&line=front",),
    "book": ("part=gearbox-five-speed",),
    "compare": ("option=low",),
}
CALCULATIONS = ("weight",)


def pages(shop: TestShop, build_id: str = "cairn-2") -> list[str]:
    """The address of each page, with each of its own parts in it."""
    found = []
    for route in shop.shop.page_routes:
        if route.name in NOT_PAGES:
            continue
        for name in CALCULATIONS if "{name}" in route.path else ("",):
            path = route.path.format(build_id=build_id, name=name) if "{" in route.path else route.path
            if re.search(r"[{}]", path):
                raise ValueError(f"say what stands in {path}, or that it is no page")
            found += [f"{path}?{query}" if query else path for query in QUERIES.get(route.name, ("",))]
    return found


LONG = "Oberflächenbehandlungsanlagenüberwachungsverantwortlichkeitsverzeichnisabschnitt"
TURNED = "حامل المحرك الأيمن مع وسادة مطاطية سميكة ولوح تثبيت طويل جدا فوق العارضة الأمامية"
MOST_LETTERS = 80


def hostile(name: str, k: int) -> str:
    """A name of 80 letters in place of a name: without a break, from right to left, or of many words."""
    kinds = (
        f"{name[:12]}{LONG}",
        f"{name[:10]} {TURNED}",
        f"{name} " + "of the vehicle as it stood in the yard when it was last looked at by us",
    )
    return kinds[k % len(kinds)][:MOST_LETTERS].strip()


def with_hostile_names(shop: TestShop) -> str:
    """A build like the demo's, with every name as bad as it may be; gives its id."""
    builds, count = shop.shop.builds, itertools.count()

    def renamed(thing: Any) -> Any:
        if isinstance(thing, tuple):
            return tuple(renamed(one) for one in thing)
        if not is_dataclass(thing) or isinstance(thing, type):
            return thing
        new = {f.name: renamed(getattr(thing, f.name)) for f in fields(thing) if f.init}
        if isinstance(new.get("name"), str) and new["name"]:
            new["name"] = hostile(new["name"], next(count))
        return replace(thing, **new)

    made = replace(renamed(builds.head("cairn-2").build), id="hostile", orders=())
    builds.add(made, Author(1, "Orla Fennick", "lead"), "Began")
    return "hostile"
