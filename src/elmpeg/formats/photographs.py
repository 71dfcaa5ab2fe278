"""Photographs: checked by their content, turned upright, freed of everything but the picture."""

from __future__ import annotations

import io
import tempfile
import warnings
from dataclasses import dataclass
from hashlib import sha256

from PIL import ExifTags, Image, UnidentifiedImageError

from elmpeg.core.base.errors import InputError

LARGEST_BYTES = 12_000_000
MOST_PIXELS = 50_000_000
"""Above any camera of a tablet or a telephone; a small file may unpack to far more."""
KINDS = {"JPEG": "jpg", "PNG": "png", "WEBP": "webp"}
THUMB_PX = 360
ID_LETTERS = 24
STRIP_ROWS = 256
TURNS = {
    2: Image.Transpose.FLIP_LEFT_RIGHT,
    3: Image.Transpose.ROTATE_180,
    4: Image.Transpose.FLIP_TOP_BOTTOM,
    5: Image.Transpose.TRANSPOSE,
    6: Image.Transpose.ROTATE_270,
    7: Image.Transpose.TRANSVERSE,
    8: Image.Transpose.ROTATE_90,
}
"""By what a camera says of how it was held: how the picture is turned upright."""
SWAPS_SIDES = (Image.Transpose.TRANSPOSE, Image.Transpose.TRANSVERSE, Image.Transpose.ROTATE_90, Image.Transpose.ROTATE_270)
FROM_THE_END = (
    Image.Transpose.ROTATE_180,
    Image.Transpose.FLIP_TOP_BOTTOM,
    Image.Transpose.ROTATE_270,
    Image.Transpose.TRANSVERSE,
)
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
    # A camera that puts a second view behind the first says so with a kind of its own; the first is a plain JPEG.
    kind = "JPEG" if image.format == "MPO" else image.format or ""
    # Only the picture's own points go on; place, camera and all other notes stay behind.
    image = _plain(image, kind)
    size = image.size
    kept = _written(image, kind)
    return Picture(_id(kept, kind), kept, _small(image), *size)


def kept_before(photo_id: str, data: bytes, field: str = "file") -> Picture:
    """A picture that was cleaned and kept before, as it comes back in a zip.

    Raises InputError where its content is not what its id says, or carries notes.
    """
    image = _opened(data, field)
    if _id(data, image.format or "") != photo_id:
        raise InputError(field, f"holds a photograph whose content is not that of “{photo_id}”")
    if len(image.getexif()) or any(name in image.info for name in NOTES):
        raise InputError(field, f"holds a photograph with notes of its camera or place in it, “{photo_id}”; add it through the application")
    size = image.size
    return Picture(photo_id, data, _small(image), *size)


def require_size(data: bytes, field: str) -> None:
    """Raise InputError for more than a photograph's bytes."""
    if len(data) > LARGEST_BYTES:
        raise InputError(field, f"is {len(data) / 1e6:.1f} MB; a photograph has at most {LARGEST_BYTES / 1e6:g} MB")


def _opened(data: bytes, field: str) -> Image.Image:
    require_size(data, field)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            image = Image.open(io.BytesIO(data), formats=tuple(KINDS))
            if image.width * image.height > MOST_PIXELS:
                most = f"{MOST_PIXELS / 1e6:g} million are taken"
                raise InputError(field, f"unpacks to {image.width} x {image.height} points; at most {most}, make it smaller")
            image.load()
    except InputError:
        raise
    except (Image.DecompressionBombError, Image.DecompressionBombWarning):
        raise InputError(
            field, f"unpacks to far more than the {MOST_PIXELS / 1e6:g} million points that are taken; make it smaller"
        ) from None
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Warning):
        raise InputError(field, "is not a JPEG, PNG or WebP picture, or is cut short") from None
    return image


def _plain(image: Image.Image, kind: str) -> Image.Image:
    """The points alone, upright, in a mode that the kind can hold.

    The picture given is used up: of a large one there is room for two, never for three.
    """
    turn = TURNS.get(image.getexif().get(ExifTags.Base.Orientation, 1))
    see_through = image.mode in ("RGBA", "LA", "PA") or "transparency" in image.info
    mode = "L" if image.mode in ("L", "1") else "RGBA" if see_through and kind != "JPEG" else "RGB"
    if image.mode != mode:
        image = image.convert(mode)
    if turn is not None:
        image = _turned(image, turn)
    image.info = {}
    return image


def _turned(image: Image.Image, turn: Image.Transpose) -> Image.Image:
    """A picture turned strip by strip, by way of a file: the one before is gone before the one after takes its room."""
    mode, (wide, high) = image.mode, image.size
    tops = range(0, high, STRIP_ROWS)
    with tempfile.TemporaryFile() as aside:
        for top in tops:
            aside.write(image.crop((0, top, wide, min(top + STRIP_ROWS, high))).tobytes())
        image.close()
        aside.seek(0)
        across = turn in SWAPS_SIDES
        made = Image.new(mode, (high, wide) if across else (wide, high))
        for top in tops:
            rows = min(STRIP_ROWS, high - top)
            strip = Image.frombytes(mode, (wide, rows), aside.read(wide * rows * len(mode))).transpose(turn)
            at = high - top - rows if turn in FROM_THE_END else top
            made.paste(strip, (at, 0) if across else (0, at))
    return made


def _small(image: Image.Image) -> bytes:
    """A small JPEG of a picture, which is used up."""
    # Resampling a picture that one can see through takes a second one of its size; this does not.
    share = max(image.size) / (THUMB_PX * 4)
    if image.mode == "RGBA" and share > 1:
        image = image.resize((max(1, round(image.width / share)), max(1, round(image.height / share))), Image.Resampling.NEAREST)
    image.thumbnail((THUMB_PX, THUMB_PX))
    return _written(image.convert("RGB"), "JPEG")


def _id(data: bytes, kind: str) -> str:
    return f"{sha256(data).hexdigest()[:ID_LETTERS]}.{KINDS.get(kind, 'none')}"


def _written(image: Image.Image, kind: str) -> bytes:
    out = io.BytesIO()
    image.save(out, kind, **({"quality": 90} if kind in ("JPEG", "WEBP") else {}))
    return out.getvalue()
