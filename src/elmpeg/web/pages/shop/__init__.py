"""The shop's own pages: builds, people, shelf, history, devices."""
