"""A calculation done by hand: its fields, what was typed in them, the answer with its doubt, and how it is found."""
