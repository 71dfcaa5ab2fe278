"""How a file that is sent is named, in any script."""

from __future__ import annotations

import unicodedata
from typing import Literal
from urllib.parse import quote


def named(file: str, how: Literal["attachment", "inline"] = "attachment") -> dict[str, str]:
    """The header that names a file, by RFC 6266: as it is, and before that in plain letters for what reads no other."""
    plain = unicodedata.normalize("NFKD", file).encode("ascii", "ignore").decode()
    plain = "".join(c if c.isalnum() or c in " .-_()," else "-" for c in plain).strip(" .-") or "file"
    full = "" if plain == file else f"; filename*=UTF-8''{quote(file, safe='')}"
    return {"Content-Disposition": f'{how}; filename="{plain}"{full}'}
