"""Photographs: checked by their content, turned upright, freed of everything but the picture."""

from __future__ import annotations

import io
import re
import struct
import tempfile
import warnings
from dataclasses import dataclass
from hashlib import sha256

from PIL import ExifTags, Image, UnidentifiedImageError

from elmpeg.core.base.errors import InputError

LARGEST_BYTES = 12_000_000
LARGEST_KEPT_BYTES = 60_000_000
"""What was kept before this version may be larger than it came; it comes back all the same."""
QUALITIES = (90, 80, 65, 50, 35, 20)
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
PNG_START = b"\x89PNG\r\n\x1a\n"
PNG_PARTS = (b"IHDR", b"PLTE", b"tRNS", b"IDAT", b"IEND")
WEBP_PARTS = (b"VP8 ", b"VP8L", b"VP8X", b"ALPH")
JPEG_PARTS = (0xE0, 0xEE, 0xDB, 0xC0, 0xC2, 0xC4, 0xDA, 0xDD)
"""The picture's own: how it is laid out, its tables, frame and scans."""
LONGEST_HEADS = {0xE0: 16, 0xEE: 14}
"""Heads that say how a picture is laid out, by what they hold where no small picture stands in them too."""
JPEG_SCAN, JPEG_END = 0xDA, 0xD9
JPEG_MARKER = re.compile(rb"\xff[^\x00\xd0-\xd7\xff]")


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
    kind, kept = _small_enough(image, kind, field)
    return Picture(_id(kept, kind), kept, _small(image), *size)


def _small_enough(image: Image.Image, kind: str, field: str) -> tuple[str, bytes]:
    """A picture written so that it can be sent again: less fine where it would be larger than what is taken; what cannot be seen
    through then as a JPEG."""
    kept = _written(image, kind)
    if len(kept) <= LARGEST_BYTES:
        return kind, kept
    kind = kind if kind != "PNG" else "WEBP" if image.mode == "RGBA" else "JPEG"
    for quality in QUALITIES:
        kept = _written(image, kind, quality)
        if len(kept) <= LARGEST_BYTES:
            return kind, kept
    raise InputError(field, f"takes more than {LARGEST_BYTES / 1e6:g} MB as it would be kept; make it smaller")


def kept_before(photo_id: str, data: bytes, field: str = "file") -> Picture:
    """A picture that was cleaned and kept before, as it comes back in a zip.

    One with notes of its camera or place in it, or of whatever else, was not kept here: it is cleaned as any other and has
    another id then. Raises InputError where its content is not what its id says.
    """
    image = _opened(data, field, LARGEST_KEPT_BYTES)
    if _id(data, image.format or "") != photo_id:
        raise InputError(field, f"holds a photograph whose content is not that of “{photo_id}”")
    if image.format not in KINDS or not only_picture(data):
        image.close()
        return cleaned(data, field)
    size = image.size
    return Picture(photo_id, data, _small(image), *size)


def only_picture(data: bytes) -> bool:
    """Whether a JPEG, PNG or WebP file holds the picture and nothing beside it: no note of any kind, and nothing behind its end."""
    if data.startswith(b"\xff\xd8"):
        return _only_jpeg(data)
    if data.startswith(PNG_START):
        return _only_chunks(data, len(PNG_START), ">I4s", 12, PNG_PARTS)
    if data[:4] == b"RIFF" and data[8:12] == b"WEBP":
        return int.from_bytes(data[4:8], "little") + 8 == len(data) and _only_chunks(data, 12, "<4sI", 8, WEBP_PARTS)
    return False


def _only_chunks(data: bytes, at: int, head: str, around: int, parts: tuple[bytes, ...]) -> bool:
    while at < len(data):
        if at + 8 > len(data):
            return False
        said = struct.unpack_from(head, data, at)
        name: bytes = next(s for s in said if isinstance(s, bytes))
        length: int = next(s for s in said if isinstance(s, int))
        if name not in parts:
            return False
        # A chunk of a WebP file is filled up to an even length.
        at += around + length + (length % 2 if head.startswith("<") else 0)
        if name == b"IEND":
            break
    return at == len(data)


def _only_jpeg(data: bytes) -> bool:
    at = 2
    while at + 4 <= len(data) and data[at] == 0xFF:
        marker, length = data[at + 1], int.from_bytes(data[at + 2 : at + 4], "big")
        if marker not in JPEG_PARTS or length > LONGEST_HEADS.get(marker, length):
            return False
        at += 2 + length
        if marker == JPEG_SCAN:
            # What is scanned goes on to the next marker that is none of its own.
            found = JPEG_MARKER.search(data, at)
            if found is None:
                return False
            at = found.start()
            if data[at + 1] == JPEG_END:
                return at + 2 == len(data)
    return False


def require_size(data: bytes, field: str, most: int = LARGEST_BYTES) -> None:
    """Raise InputError for more than a photograph's bytes."""
    if len(data) > most:
        raise InputError(field, f"is {len(data) / 1e6:.1f} MB; a photograph has at most {most / 1e6:g} MB")


def _opened(data: bytes, field: str, most: int = LARGEST_BYTES) -> Image.Image:
    require_size(data, field, most)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            image = Image.open(io.BytesIO(data), formats=tuple(KINDS))
            if image.width * image.height > MOST_PIXELS:
                taken = f"{MOST_PIXELS / 1e6:g} million are taken"
                raise InputError(field, f"unpacks to {image.width} x {image.height} points; at most {taken}, make it smaller")
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


def _written(image: Image.Image, kind: str, quality: int = QUALITIES[0]) -> bytes:
    out = io.BytesIO()
    image.save(out, kind, **({"quality": quality} if kind in ("JPEG", "WEBP") else {}))
    return out.getvalue()
