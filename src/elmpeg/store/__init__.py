"""What is kept: builds with every revision, people, their sessions and tokens, and the shelf."""
