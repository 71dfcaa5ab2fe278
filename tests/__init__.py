"""Tests. Properties are tried on the same examples each time, however slow the machine."""

from hypothesis import HealthCheck, settings

settings.register_profile("shop", deadline=None, derandomize=True, database=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("shop")
