"""Reference: level, datum, the before sheet, witness marks."""
