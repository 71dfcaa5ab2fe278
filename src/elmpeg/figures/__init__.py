"""Drawings of a calculation as lines and words in millimetres, which a page, a slip and a print at true size all show."""
