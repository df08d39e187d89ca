"""What of a cut goes into a file, and at what size."""
