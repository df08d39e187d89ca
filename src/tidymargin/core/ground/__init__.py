"""Step 1, the ground: what it is, and how far every place is from it."""
