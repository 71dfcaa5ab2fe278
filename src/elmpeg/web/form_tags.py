"""Forms work without scripts: whatever a form sends through htmx it can also send by itself.

Templates say ``hx-post`` alone; this adds the plain method and address, how files travel, and the secret that a
script would send in a header, where the template is read. A form that asks for a part of the page keeps its own ways.
"""

from __future__ import annotations

import re

from jinja2.ext import Extension

_FORM = re.compile(r"<form\b(?:[^>{]|\{\{.*?\}\}|\{%.*?%\})*>", re.DOTALL)
_POST = re.compile(r"""\bhx-post="((?:[^"{]|\{\{.*?\}\})*)\"""", re.DOTALL)
_SECRET = '<input type="hidden" name="csrf" value="{{ csrf }}">'


class PlainForms(Extension):
    """Adds to every form that sends what it needs to be sent without scripts."""

    def preprocess(self, source: str, name: str | None, filename: str | None = None) -> str:
        """The template with its forms completed."""
        return _FORM.sub(_completed, source)


def _completed(found: re.Match[str]) -> str:
    tag = found[0]
    where = _POST.search(tag)
    if where is None or re.search(r"\baction=", tag):
        return tag
    more = f' method="post" action="{where[1]}"'
    if "hx-encoding" in tag:
        more += ' enctype="multipart/form-data"'
    return f"{tag[:-1]}{more}>{_SECRET}"
