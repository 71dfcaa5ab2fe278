"""The made-up shop that ships with the application: Fennick & Daughters, above a harbour."""
