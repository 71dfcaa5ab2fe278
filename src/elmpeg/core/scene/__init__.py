"""A build resolved at an option: where points and parts are, and how surely."""
