"""Place: where parts sit in an option, and what stands too near."""
