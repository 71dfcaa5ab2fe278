"""The pages of Make."""
