"""Reckoner: every calculation by itself."""
