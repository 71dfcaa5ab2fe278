"""What must be true of a build before it is kept."""
