"""What everything stands on: refusals, records, names, vectors, positions, quantities, verdicts, kept answers, turns."""
