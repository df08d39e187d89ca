"""One blueprint per area."""
