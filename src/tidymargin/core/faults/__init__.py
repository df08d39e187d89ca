"""Faults: what is wrong in a cut, found by measuring it, with its place and size."""
