"""Many sheets at once: what they share, looking them over, and writing them all."""
