"""Mount: what holds a part, and what fills its gaps."""
