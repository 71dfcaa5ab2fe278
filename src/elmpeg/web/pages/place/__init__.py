"""Place: the Bay, and where a part was measured to sit."""
