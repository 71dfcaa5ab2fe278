"""What a check is, how its doubt is found, and what to measure next."""
