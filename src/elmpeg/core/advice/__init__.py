"""Searches that use the evaluation as their judge."""
