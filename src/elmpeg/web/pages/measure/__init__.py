"""Measure: points, their readings, and whether they agree."""
