"""Makes the faces of printed sheets from the ones that the pages ship: plain and bold, Latin with its extensions.

Run it only when those change: ``python -m pip install fonttools brotli`` in a place of its own, then this file with the
folder of the pages' faces and the folder to write to.
"""

import sys
import tempfile
from pathlib import Path

from fontTools.merge import Merger
from fontTools.ttLib import TTFont
from fontTools.varLib.instancer import instantiateVariableFont

WEIGHTS = {"Regular": 400, "Bold": 700}


def main(faces: Path, out: Path) -> None:
    """Write one file a weight."""
    for word, weight in WEIGHTS.items():
        parts = []
        with tempfile.TemporaryDirectory() as folder:
            for subset in ("latin", "latin-ext"):
                font = instantiateVariableFont(TTFont(faces / f"atkinson-next-{subset}.woff2"), {"wght": weight})
                font.flavor = None
                for table in ("GSUB", "GPOS", "GDEF", "STAT", "HVAR", "MVAR", "avar", "DSIG"):
                    if table in font:
                        del font[table]
                parts.append(f"{folder}/{subset}.ttf")
                font.save(parts[-1])
            merged = Merger().merge(parts)
            for record in merged["name"].names:
                if record.nameID in (1, 4, 6, 16):
                    record.string = f"AtkinsonNext{word}"
            merged.save(out / f"AtkinsonNext-{word}.ttf")


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.argv[2]))
