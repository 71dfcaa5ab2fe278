"""Photographs: checked by their content, turned upright, freed of everything but the picture."""

from __future__ import annotations

import io
import warnings
from dataclasses import dataclass
from hashlib import sha256

from PIL import Image, ImageOps, UnidentifiedImageError

from elmpeg.core.base.errors import InputError

LARGEST_BYTES = 12_000_000
MOST_PIXELS = 80_000_000
"""Above any camera that takes pictures of 12 MB; a small file may unpack to far more."""
KINDS = {"JPEG": "jpg", "PNG": "png", "WEBP": "webp"}
THUMB_PX = 360
ID_LETTERS = 24
NOTES = ("exif", "xmp", "comment", "icc_profile")


@dataclass(frozen=True, slots=True)
class Picture:
    """A picture as it is kept. ``id`` is taken from its content and ends in its kind."""

    id: str
    data: bytes
    thumb: bytes
    width_px: int
    height_px: int


def cleaned(data: bytes, field: str = "photo") -> Picture:
    """A photograph, upright, without place, camera or any other note in it, and a small JPEG of it.

    Raises InputError for what is not a JPEG, PNG or WebP picture by its content, for
    files over 12 MB, and for pictures that do not unpack whole.
    """
    image = _opened(data, field)
    kind = image.format or ""
    upright = ImageOps.exif_transpose(image)
    # Only the picture's own points go on; place, camera and all other notes stay behind.
    plain = _plain(upright, kind)
    kept = _written(plain, kind)
    return Picture(_id(kept, kind), kept, _small(plain), plain.width, plain.height)


def kept_before(photo_id: str, data: bytes, field: str = "file") -> Picture:
    """A picture that was cleaned and kept before, as it comes back in a zip.

    Raises InputError where its content is not what its id says, or carries notes.
    """
    image = _opened(data, field)
    if _id(data, image.format or "") != photo_id:
        raise InputError(field, f"holds a photograph whose content is not that of “{photo_id}”")
    if len(image.getexif()) or any(name in image.info for name in NOTES):
        raise InputError(field, f"holds a photograph with notes of its camera or place in it, “{photo_id}”; add it through the application")
    return Picture(photo_id, data, _small(image), image.width, image.height)


def _opened(data: bytes, field: str) -> Image.Image:
    if len(data) > LARGEST_BYTES:
        raise InputError(field, f"is {len(data) / 1e6:.1f} MB; a photograph has at most {LARGEST_BYTES / 1e6:g} MB")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            image = Image.open(io.BytesIO(data), formats=tuple(KINDS))
            if image.width * image.height > MOST_PIXELS:
                raise InputError(field, f"unpacks to {image.width} x {image.height} points; make it smaller")
            image.load()
    except InputError:
        raise
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Warning, Image.DecompressionBombError):
        raise InputError(field, "is not a JPEG, PNG or WebP picture, or is cut short") from None
    return image


def _plain(image: Image.Image, kind: str) -> Image.Image:
    """The points alone, in a mode that the kind can hold."""
    see_through = image.mode in ("RGBA", "LA", "PA") or "transparency" in image.info
    mode = "L" if image.mode in ("L", "1") else "RGBA" if see_through and kind != "JPEG" else "RGB"
    turned = image.convert(mode)
    return Image.frombytes(mode, turned.size, turned.tobytes())


def _small(image: Image.Image) -> bytes:
    small = image.convert("RGB")
    small.thumbnail((THUMB_PX, THUMB_PX))
    return _written(small, "JPEG")


def _id(data: bytes, kind: str) -> str:
    return f"{sha256(data).hexdigest()[:ID_LETTERS]}.{KINDS.get(kind, 'none')}"


def _written(image: Image.Image, kind: str) -> bytes:
    out = io.BytesIO()
    image.save(out, kind, **({"quality": 90} if kind in ("JPEG", "WEBP") else {}))
    return out.getvalue()
