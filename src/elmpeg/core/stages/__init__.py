"""One folder for each stage of the work. A stage may know those before it, never those after it."""
