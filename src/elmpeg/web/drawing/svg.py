"""Putting SVG elements together as escaped text. All colours and type come from the stylesheet's classes."""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache
from xml.sax.saxutils import escape, quoteattr

from markupsafe import Markup

from elmpeg.figures.projection import Pixel
from elmpeg.web.parts import END, part


def element(name: str, *children: str, **attributes: object) -> str:
    """One element; ``_`` in an attribute's name stands for ``-``, and a trailing one is dropped."""
    written = "".join([_attribute(key, value) for key, value in attributes.items() if value is not None])
    inner = "".join(children)
    return f"<{name}{written}>{inner}</{name}>" if inner else f"<{name}{written}/>"


@lru_cache(maxsize=256)
def _key(name: str) -> str:
    return name.rstrip("_").replace("_", "-")


def _attribute(key: str, value: object) -> str:
    if isinstance(value, float):
        return f' {_key(key)}="{number(value)}"'
    return f" {_key(key)}={_quoted(str(value))}"


@lru_cache(maxsize=4096)
def _quoted(text: str) -> str:
    # Most are names of classes, said hundreds of times in one drawing.
    return quoteattr(text)


def number(value: float) -> str:
    """A coordinate to a twentieth of a pixel."""
    return f"{value:.2f}".rstrip("0").rstrip(".")


def page_part(drawn: str, name: str) -> str:
    """An element, which has this id, as a part of the page that it is on."""
    return f"{part(name)}{drawn}{END}"


def points(path: Iterable[Pixel]) -> str:
    """Corner points of a polygon or polyline."""
    # Noughts at an end stay: taking them off costs more than they do.
    return " ".join([f"{x:.2f},{y:.2f}" for x, y in path])


def line(a: Pixel, b: Pixel, class_: str, **more: object) -> str:
    """A straight line."""
    if more:
        return element("line", x1=a[0], y1=a[1], x2=b[0], y2=b[1], class_=class_, **more)
    return f'<line x1="{a[0]:.2f}" y1="{a[1]:.2f}" x2="{b[0]:.2f}" y2="{b[1]:.2f}" class={_quoted(class_)}/>'


def polygon(path: Iterable[Pixel], class_: str, **more: object) -> str:
    """A closed outline."""
    return element("polygon", points=points(path), class_=class_, **more)


def text(at: Pixel, words: str, class_: str, **more: object) -> str:
    """One line of text."""
    return element("text", escape(words), x=at[0], y=at[1], class_=class_, **more)


def title(words: str) -> str:
    """What a pointer resting on the element, or a screen reader, is told."""
    return element("title", escape(words))


def sheet(width: float, height: float, class_: str, label: str, body: Iterable[str], **more: object) -> Markup:
    """The whole drawing, safe to put into a page."""
    return Markup(
        element("svg", *body, viewBox=f"0 0 {number(width)} {number(height)}", class_=class_, role="group", aria_label=label, **more)
    )
