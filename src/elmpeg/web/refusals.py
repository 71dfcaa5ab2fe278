"""What was refused, told on the page it came from: each message beside its field, tied to it, with all that was typed still there.

Templates draw every form as it stands and know nothing of refusals. The form that was sent is found again on
the finished page by where it sends to and what it hides; it gets back what was typed in it, and its messages.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from html import escape, unescape
from html.parser import HTMLParser

from starlette.datastructures import FormData

from elmpeg.core.base.declared import without_unit

KEPT_TO_ITSELF = ("password", "file", "hidden", "submit", "button", "image", "reset")
TICKED = ("checkbox", "radio")
ALWAYS_HIDDEN = ("base", "csrf", "option")
"""Of every form, and so no sign of which it is."""


@dataclass
class Tag:
    """A start tag: where it stands in the page, its attributes, and where what it begins ends."""

    name: str
    attributes: dict[str, str]
    start: int
    end: int
    closed: int
    """Behind its end tag; of a tag without one, behind itself."""
    content_end: int
    """Before its end tag."""

    def get(self, name: str) -> str:
        """An attribute, empty where it has none."""
        return self.attributes.get(name, "")


@dataclass
class Field:
    """A field of a form: an input, a select with its options, or a textarea."""

    tag: Tag
    options: list[Tag] = field(default_factory=list)
    inside: list[Tag] = field(default_factory=list)
    """What it stands in, within its form, the innermost last."""

    @property
    def told_at(self) -> int:
        """Where words about it go: behind it and the box it is drawn in; with several to tick, over them, where a long list begins."""
        if self.kind in TICKED:
            group = next((t for t in reversed(self.inside) if t.name == "fieldset"), None)
            label = next((t for t in reversed(self.inside) if t.name == "label"), None)
            if group:
                return [*self.inside, self.tag][self.inside.index(group) + 1].start
            return label.closed if label else self.tag.closed
        around = self.inside[-1] if self.inside else None
        return around.closed if around and "select" in around.get("class").split() else self.tag.closed

    @property
    def kind(self) -> str:
        """Its type, or its tag's name."""
        return (self.tag.get("type").lower() or "text") if self.tag.name == "input" else self.tag.name


@dataclass
class SentForm:
    """A form of a page: where it sends to, what it hides, its fields, and the folded parts it lies in."""

    tag: Tag
    folds: list[Tag]
    hidden: list[tuple[str, str]] = field(default_factory=list)
    fields: list[Field] = field(default_factory=list)
    acts: set[str] = field(default_factory=set)
    """Where its buttons send it to besides."""

    def may_be(self, sent: FormData) -> bool:
        """Whether what was sent can be of this form: what it hides about its thing is what was sent.

        A button may say another ``do``; a form with an id is the only one of its kind, and may hide what changes in it.
        """
        if self.tag.get("id"):
            return True
        asked = [f for f in self.fields if f.kind not in (*KEPT_TO_ITSELF, *TICKED)]
        said = [(name, value) for name, value in self.hidden if name not in (*ALWAYS_HIDDEN, "do") and name in sent]
        return all(value in sent.getlist(name) for name, value in said) and (not asked or any(f.tag.get("name") in sent for f in asked))

    def likeness(self, sent: FormData) -> float:
        """How well what was sent fits it; of several forms to one address the likest is the one."""
        score = 0.0
        for name, value in self.hidden:
            if name not in ALWAYS_HIDDEN:
                score += 1.0 if value in sent.getlist(name) else -1.0
        asked = [f for f in self.fields if f.kind not in (*KEPT_TO_ITSELF, *TICKED)]
        here = sum(f.tag.get("name") in sent for f in asked)
        return score + (2 * here - len(asked)) / (len(asked) or 1)


FORM_OR_FOLD = re.compile(r"<form\b.*?</form>|<details\b[^>]*>|</details>", re.DOTALL)


def only_asked(page: str, acted: str) -> str:
    """A page with nothing in it but the forms that name an address and the folds around them, each where it was: to read all of a
    page tag by tag takes longer than to draw it."""
    kept, end = [], 0
    for found in FORM_OR_FOLD.finditer(page):
        if found[0].startswith("<form") and acted not in found[0] and escape(acted) not in found[0]:
            continue
        kept += [" " * (found.start() - end), found[0]]
        end = found.end()
    return "".join(kept)


class Forms(HTMLParser):
    """The forms of a finished page, with the places of their parts."""

    VOID = ("input", "img", "br", "hr", "meta", "link", "rect", "path", "circle", "line", "use")

    def __init__(self, page: str) -> None:
        super().__init__(convert_charrefs=True)
        self._lines = [0, *(found.end() for found in re.finditer("\n", page))]
        self.forms: list[SentForm] = []
        self._open: list[Tag] = []
        self._form: SentForm | None = None
        self._select: Field | None = None
        self.feed(page)

    def _at(self) -> int:
        line, column = self.getpos()
        return self._lines[line - 1] + column

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        """Take a form, a field or an option."""
        start = self._at()
        end = start + len(self.get_starttag_text() or "")
        here = Tag(tag, {k: v or "" for k, v in attrs}, start, end, end, end)
        if tag == "form":
            self._form = SentForm(here, [t for t in self._open if t.name == "details"])
            self.forms.append(self._form)
        elif tag in ("input", "select", "textarea") and self._form is not None and here.get("name"):
            if here.get("type").lower() == "hidden":
                self._form.hidden.append((here.get("name"), here.get("value")))
            found = Field(here, inside=self._open[self._open.index(self._form.tag) + 1 :])
            self._form.fields.append(found)
            self._select = found if tag == "select" else None
        elif tag == "option" and self._select is not None:
            self._select.options.append(here)
        elif tag == "button" and self._form is not None:
            self._form.acts |= {_path(here.get(a)) for a in ("hx-post", "formaction")}
        if tag not in self.VOID:
            self._open.append(here)

    def handle_startendtag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        """A tag that ends itself."""
        self.handle_starttag(tag, attrs)
        if tag not in self.VOID:
            self._open.pop()

    def handle_endtag(self, tag: str) -> None:
        """Close what is open down to the tag of this name."""
        if not any(t.name == tag for t in self._open):
            return
        start = self._at()
        end = start + len(tag) + 3
        while self._open:
            last = self._open.pop()
            last.content_end, last.closed = start, end if last.name == tag else start
            if last.name == tag:
                break
        if tag == "form":
            self._form = None
        if tag == "select":
            self._select = None

    def sent(self, acted: str, sent: FormData) -> SentForm | None:
        """The form of the page that was sent."""
        asked = [f for f in self.forms if acted in (_path(f.tag.get("hx-post")), _path(f.tag.get("action")), *f.acts)]
        return max((f for f in asked if f.may_be(sent)), key=lambda f: f.likeness(sent), default=None)


def meant_field(place: str, fields: Collection[str]) -> str:
    """The form's field that a place in the document is about: ``mounts.3.bush.loaded_mm`` is its ``loaded``, or whatever of that is there.

    A place that no field of the form is about stays as it is.
    """
    inside = [part for part in place.split(".")[1:] if not part.isdigit()]
    for k in range(len(inside)):
        tail = "_".join(inside[k:])
        for name in (tail, without_unit(tail)):
            if place not in fields and name in fields:
                return name
    return place


def told_beside_fields(page: str, errors: Mapping[str, str], acted: str, sent: FormData) -> tuple[str, dict[str, str]]:
    """The page with each refusal beside its field and what was typed in place again, and the refusals that have no form on it.

    A refused field says so (``aria-invalid``) and names its message (``aria-describedby``); the first takes the focus. A
    message about the form as a whole stands at its foot. A field that holds other than what is saved names that in ``data-now``.
    """
    form = Forms(only_asked(page, acted)).sent(acted, sent)
    if form is None:
        return page, dict(errors)
    fields = {one.tag.get("name") for one in form.fields}
    meant: dict[str, str] = {}
    for place, words in errors.items():
        meant.setdefault(meant_field(place, fields), words)
    errors = meant
    edits: list[tuple[int, int, str]] = []
    told: set[str] = set()
    folds = list(form.folds)
    taken: dict[str, int] = {}
    for one in form.fields:
        name = one.tag.get("name")
        k = taken[name] = taken.get(name, -1) + 1
        marks = _filled(page, one, sent, k, edits)
        if name in errors and name not in told and one.kind != "hidden":
            marks += f' aria-invalid="true" aria-describedby="error-{escape(name)}"' + ("" if told else " autofocus")
            edits.append((one.told_at, one.told_at, _message(name, errors[name])))
            told.add(name)
            folds += [t for t in one.inside if t.name == "details" and t not in folds]
        if marks:
            edits.append((one.tag.end - 1, one.tag.end - 1, marks))
    rest = [name for name in errors if name not in told]
    foot = form.tag.content_end
    edits += [(foot, foot, _message(name, _of_what(name, errors[name]), alone=not told)) for name in rest]
    for fold in folds:
        if "open" not in fold.attributes:
            edits.append((fold.start + len("<details"), fold.start + len("<details"), " open"))
    return _edited(page, edits), {}


def _of_what(place: str, words: str) -> str:
    """A refusal that stands beside no field, with what it is about: the last of the place's own words."""
    own = [part for part in place.split(".")[1:] if not part.isdigit()]
    return f"{without_unit(own[-1]).replace('_', ' ')} {words}" if own else words


def _path(address: str) -> str:
    return address.partition("?")[0]


def _message(name: str, words: str, alone: bool = False) -> str:
    focus = ' tabindex="-1"' if alone else ""
    return f'<p{focus} class="field-error" id="error-{escape(name)}">{escape(words)}</p>'


def _filled(page: str, one: Field, sent: FormData, k: int, edits: list[tuple[int, int, str]]) -> str:
    """What a field's start tag gets so that it holds what was typed; options and the text of an area are put among the edits."""
    name, kind = one.tag.get("name"), one.kind
    values = [v for v in sent.getlist(name) if isinstance(v, str)]
    if kind in KEPT_TO_ITSELF:
        return ""
    if kind in TICKED:
        on = (one.tag.attributes.get("value", "on")) in values
        was = "checked" in one.tag.attributes
        if on == was:
            return ""
        _changed_attribute(page, one.tag, "checked", "" if on else None, edits)
        return f' data-now="{"on" if was else "off"}"'
    if k >= len(values):
        return ""
    typed = values[k]
    if kind == "textarea":
        now = page[one.tag.end : one.tag.content_end]
        edits.append((one.tag.end, one.tag.content_end, escape(typed, quote=False)))
        return "" if escape(typed, quote=False) == now else f' data-now="{now}"'
    if kind == "select":
        if "multiple" in one.tag.attributes:
            for option in one.options:
                on = option.attributes.get("value", _words(page, option)) in values
                if on != ("selected" in option.attributes):
                    _changed_attribute(page, option, "selected", "" if on else None, edits)
            return ""
        held = [(o, o.attributes.get("value", _words(page, o))) for o in one.options]
        now = next((v for o, v in held if "selected" in o.attributes), held[0][1] if held else "")
        if now == typed or all(v != typed for _, v in held):
            return ""
        for option, value in held:
            if ("selected" in option.attributes) != (value == typed):
                _changed_attribute(page, option, "selected", "" if value == typed else None, edits)
        return f' data-now="{escape(now)}"'
    now = one.tag.get("value")
    if typed == now:
        return ""
    _changed_attribute(page, one.tag, "value", typed, edits)
    return f' data-now="{escape(now)}"'


def _words(page: str, option: Tag) -> str:
    return " ".join(unescape(page[option.end : option.content_end]).split())


def _changed_attribute(page: str, tag: Tag, name: str, value: str | None, edits: list[tuple[int, int, str]]) -> None:
    """Set an attribute of a start tag, or with None take it away."""
    text = page[tag.start : tag.end]
    found = _attribute_span(text, name)
    new = "" if value is None else f" {name}" + (f'="{escape(value)}"' if value or name == "value" else "")
    if found:
        edits.append((tag.start + found[0], tag.start + found[1], new))
    elif new:
        edits.append((tag.end - 1, tag.end - 1, new))


def _attribute_span(text: str, name: str) -> tuple[int, int] | None:
    """Where an attribute stands in a start tag, with the space before it."""
    for found in re.finditer(r"""\s+([^\s"'<>/=]+)(?:\s*=\s*(?:"[^"]*"|'[^']*'|[^\s"'=<>`]+))?""", text):
        if found[1].lower() == name:
            return found.span()
    return None


def _edited(page: str, edits: list[tuple[int, int, str]]) -> str:
    """The page with its edits made; those at one place in the order they were asked for."""
    parts, at = [], 0
    for start, end, text in sorted(edits, key=lambda e: e[0]):
        parts += [page[at:start], text]
        at = max(at, end)
    return "".join([*parts, page[at:]])
