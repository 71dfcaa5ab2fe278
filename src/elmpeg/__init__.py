"""Elm Peg: where a part sits, what follows from it, and what to make to hold it there."""

__version__ = "0.15.0"
