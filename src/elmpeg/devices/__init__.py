"""Simulated stand-ins for measuring devices."""
