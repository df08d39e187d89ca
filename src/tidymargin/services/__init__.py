"""One verb per function: load, compute, save."""
