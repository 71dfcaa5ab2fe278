"""Everything that follows from a build at an option, and the catalogue of checks."""
