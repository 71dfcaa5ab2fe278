"""Days as people say them."""

from __future__ import annotations

from datetime import datetime

MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")


def day_said(moment: str) -> str:
    """A kept moment or day, as ISO 8601 writes it, in words: “18 Nov 2026”; what is no day stays as it was written."""
    try:
        at = datetime.fromisoformat(moment)
    except ValueError:
        return moment
    return f"{at.day} {MONTHS[at.month - 1]} {at.year}"
