"""Formulas on plain numbers. Nothing here knows a build."""
