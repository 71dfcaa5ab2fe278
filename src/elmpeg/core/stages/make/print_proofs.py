"""Prints at true size as they were measured: what their square says of the whole, and what mends them."""

from __future__ import annotations

from elmpeg.core.base.quantities import Quantity, Words, mm, words
from elmpeg.core.base.verdicts import Verdict
from elmpeg.core.build.pieces import Piece, PrintedSquare
from elmpeg.core.build.signers import signed_here
from elmpeg.core.judging.checks import Check, Remedy, about
from elmpeg.core.methods.measuring.print_scale import PrintedLength, PrintScale, print_scale

PRINT_TOLERANCE_MM = 0.5
"""Over the whole piece; a scribed line is no finer."""


def _check(piece: Piece, verdict: Verdict, why: Words, **more: object) -> Check:
    return Check(f"piece.{piece.id}.print", "piece", f"{piece.name}: print", "mm", verdict, why, about=about(pieces=piece.id), **more)  # type: ignore[arg-type]


def print_proof(piece: Piece, size_mm: tuple[float, float] | None) -> PrintScale | None:
    """What the newest measured square says of a print so large; None where none was measured, or nothing of it goes on paper."""
    square = proving_square(piece)
    if size_mm is None or square is None:
        return None
    marks = (PrintedLength("x", square.x_nominal_mm, square.x_mm), PrintedLength("y", square.y_nominal_mm, square.y_mm))
    return print_scale(marks, size_mm, PRINT_TOLERANCE_MM)


def proving_square(piece: Piece) -> PrintedSquare | None:
    """The newest square that was measured here: a print that came out true on another shop's printer proves nothing of this one's."""
    return next((q for q in reversed(piece.squares) if signed_here(q.by)), None)


def print_checks(piece: Piece, size_mm: tuple[float, float] | None) -> list[Check]:
    """Whether the newest measured print of a piece, or of its wraps, is true over their size; nothing where none was measured."""
    proof = print_proof(piece, size_mm)
    square = proving_square(piece)
    if proof is None or square is None:
        return []
    paper = square.paper
    worst = max(abs(o) for o in proof.off_mm)
    if proof.true_size:
        why = words(f"The print on {paper} is true: {{0}} off over the whole piece.", mm(worst))
        return [_check(piece, "holds", why, value=worst, high=PRINT_TOLERANCE_MM)]
    why = words(
        f"The print on {paper} came out at {{0}} across and {{1}} up: the whole piece is {{2}} off.",
        Quantity(100 * proof.x_scale, "pct"), Quantity(100 * proof.y_scale, "pct"), mm(worst),
    )  # fmt: skip
    mend = (
        Remedy(
            words(
                "Print it again at {0} across and {1} up, without fitting it to the page, and measure the new one.",
                Quantity(proof.print_at_pct[0], "pct"), Quantity(proof.print_at_pct[1], "pct"),
            )
        ),
    )  # fmt: skip
    return [_check(piece, "fails", why, value=worst, high=PRINT_TOLERANCE_MM, remedies=mend)]
