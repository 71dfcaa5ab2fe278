"""Fit: test-fit rounds, predicted against measured."""
