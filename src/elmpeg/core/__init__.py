"""Rules and computation, free of any interface, database or file format."""
