"""What a tape, a caliper, a gauge and a plumb line say, as figures."""
