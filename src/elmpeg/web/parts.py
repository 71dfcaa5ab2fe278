"""Answers in parts: a page that is shown already is sent only what is otherwise in it.

A template marks parts of a page, elements with an id of their own, parts within parts too. Of each page that was sent its
parts are remembered by a mark that the page bears; what is asked for from that page brings the mark along. The answer is
then the parts that changed and no more, and that in which something was pressed; the template is one, and so is the way
to draw it.
"""

from __future__ import annotations

import re
from collections import OrderedDict
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from hashlib import blake2b
from secrets import token_urlsafe
from threading import Lock

from markupsafe import Markup

BEGIN = "<!--part:"
END = Markup("<!--/part-->")
MARKS = re.compile(r"<!--part:([^>]*)-->|<!--/part-->")
TAG = re.compile(r"\s*<([a-z]+)")
SHELL = "shell"
"""The part that is the page itself; around it is what only a browser that opens the page needs."""
TOLD = "notices"
"""The part that says what came of what was asked; it answers even where it says the same again."""
BEARS = f'<div id="{SHELL}" '
DRAWN = "g"
"""The kind of element that stands only within a drawing."""
MOST_PAGES = 400
"""Pages that are remembered; one that was forgotten is sent whole once."""


def part(name: str) -> Markup:
    """Where a part begins: the element with this id, which ends at ``END``."""
    return Markup(f"{BEGIN}{Markup.escape(name)}-->")


@dataclass
class Part:
    """One part as it is drawn: its name, and its text with the parts within it in their places."""

    name: str
    inside: list[str | Part] = field(default_factory=list)

    @property
    def whole(self) -> str:
        """All of its text."""
        return "".join(one if isinstance(one, str) else one.whole for one in self.inside)

    @property
    def own(self) -> str:
        """Its text with only the names of the parts within it."""
        return "".join(one if isinstance(one, str) else f"{BEGIN}{one.name}-->" for one in self.inside)

    @property
    def parts(self) -> list[Part]:
        """The parts directly within it."""
        return [one for one in self.inside if isinstance(one, Part)]

    @property
    def tag(self) -> str:
        """The kind of element that it is."""
        begins = next((one for one in self.inside if isinstance(one, str)), "")
        found = TAG.match(begins)
        return found[1] if found else ""

    def each(self) -> Iterator[Part]:
        """Itself and all parts within it."""
        yield self
        for one in self.parts:
            yield from one.each()

    def stub(self) -> str:
        """Stands for it where it is as it was: an element of its kind with its name."""
        return f'<{self.tag} id="{self.name}" data-same></{self.tag}>'


def taken_apart(text: str) -> Part:
    """A drawn page as its parts. Raises ValueError where one does not end, or a name comes twice."""
    root = Part("")
    open_parts, end = [root], 0
    for mark in MARKS.finditer(text):
        open_parts[-1].inside.append(text[end : mark.start()])
        end = mark.end()
        if mark[1] is not None:
            new = Part(mark[1])
            open_parts[-1].inside.append(new)
            open_parts.append(new)
        else:
            open_parts.pop()
            if not open_parts:
                raise ValueError("a part ends that did not begin")
    open_parts[-1].inside.append(text[end:])
    if len(open_parts) != 1:
        raise ValueError(f"part “{open_parts[-1].name}” does not end")
    names = [p.name for p in root.each()]
    if len(set(names)) != len(names):
        raise ValueError(f"parts of one name: {sorted({n for n in names if names.count(n) > 1})}")
    return root


@dataclass(frozen=True, slots=True)
class Shown:
    """What somebody's browser has before it: whose session, of which template, each part by its name."""

    session: str
    template: str
    parts: Mapping[str, bytes]


class ShownPages:
    """The newest pages that were sent, by their marks."""

    def __init__(self) -> None:
        self._pages: OrderedDict[str, Shown] = OrderedDict()
        self._lock = Lock()

    def __getitem__(self, mark: str) -> Shown | None:
        with self._lock:
            return self._pages.get(mark)

    def remember(self, shown: Shown) -> str:
        """The mark of a page that is sent."""
        mark = token_urlsafe(9)
        with self._lock:
            self._pages[mark] = shown
            while len(self._pages) > MOST_PAGES:
                self._pages.popitem(last=False)
        return mark


@dataclass(frozen=True, slots=True)
class Asked:
    """Where an answer goes: whose session, of which template it is, the mark of the page that is before them (empty for none), the
    ids around what was pressed, the nearest first, and the revision that the page is of, which its forms bear."""

    session: str
    template: str
    mark: str = ""
    within: tuple[str, ...] = ()
    base: str = ""


def answer(pages: ShownPages, text: str, asked: Asked) -> str:
    """A drawn page as it is sent: whole, or only what changed of the page that is there; it bears its mark."""
    try:
        root = taken_apart(text)
    except ValueError:
        # Two things whose ids look alike: such a page is sent whole.
        return MARKS.sub("", text)
    now = {p.name: _sum(_without_base(p.own, asked.base)) for p in root.each()}
    if SHELL not in now:
        return root.whole
    before = pages[asked.mark] if asked.mark else None
    mark = pages.remember(Shown(asked.session, asked.template, now))
    bears = f'{BEARS}data-page="{mark}" data-base="{asked.base}" '
    if before is None or (before.session, before.template) != (asked.session, asked.template):
        return root.whole.replace(BEARS, bears, 1)
    within = next((name for name in asked.within if name in now and name != SHELL), "")
    changed = {name for name, drawn in now.items() if name and (before.parts.get(name) != drawn or name in (within, TOLD))}
    found = list(_changed(root, changed))
    # What is within a drawing is read as such only within one.
    drawn = "".join(_with_stubs(one, changed) for one in found if one.tag == DRAWN)
    said = "".join(_with_stubs(one, changed) for one in found if one.tag != DRAWN) + (f"<svg data-drawn>{drawn}</svg>" if drawn else "")
    return said.replace(BEARS, bears, 1) if SHELL in changed else f"{bears}data-parts>{said}</div>"


def _changed(of: Part, changed: set[str]) -> Iterator[Part]:
    """The outermost parts that changed."""
    for one in of.parts:
        if one.name in changed:
            yield one
        else:
            yield from _changed(one, changed)


def _with_stubs(of: Part, changed: set[str]) -> str:
    """A part as it is drawn; within it a stub stands for each part that is as it was."""
    said = []
    for one in of.inside:
        if isinstance(one, str):
            said.append(one)
        else:
            said.append(_with_stubs(one, changed) if any(p.name in changed for p in one.each()) else one.stub())
    return "".join(said)


def _sum(text: str) -> bytes:
    return blake2b(text.encode(), digest_size=8).digest()


def _without_base(text: str, base: str) -> str:
    """A text without the revision that its forms bear: the browser puts the page's own in its place."""
    if not base:
        return text
    return text.replace(f'name="base" value="{base}"', 'name="base"').replace(f'"base": {base}', '"base"')
