"""The build as a document: one module a subject, and the table of everything it lists."""
