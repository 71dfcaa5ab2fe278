"""Make: pieces, their shapes, what is wrong with them, and what was tried."""
