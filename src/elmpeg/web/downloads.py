"""How a file that is sent is named, in any script, and how a browser keeps a picture without keeping it open to who comes next."""

from __future__ import annotations

import unicodedata
from hashlib import sha256
from typing import Literal
from urllib.parse import quote

from fastapi import Request
from fastapi.responses import Response


def named(file: str, how: Literal["attachment", "inline"] = "attachment") -> dict[str, str]:
    """The header that names a file, by RFC 6266: as it is, and before that in plain letters for what reads no other."""
    plain = unicodedata.normalize("NFKD", file).encode("ascii", "ignore").decode()
    plain = "".join(c if c.isalnum() or c in " .-_()," else "-" for c in plain).strip(" .-") or "file"
    full = "" if plain == file else f"; filename*=UTF-8''{quote(file, safe='')}"
    return {"Content-Disposition": f'{how}; filename="{plain}"{full}'}


def picture(request: Request, data: bytes, media_type: str) -> Response:
    """A picture that a browser may keep and must ask about each time: it is not sent twice, and not seen after signing out."""
    mark = f'"{sha256(data).hexdigest()[:24]}"'
    headers = {"Cache-Control": "private, no-cache", "ETag": mark, "Content-Disposition": "inline"}
    if request.headers.get("If-None-Match") == mark:
        return Response(status_code=304, headers=headers)
    return Response(data, media_type=media_type, headers=headers)
