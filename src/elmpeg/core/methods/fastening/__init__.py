"""Bolts, spacers, hole patterns and tolerances."""
