"""Bytes to arrays and back: pictures, and the JSON of a recipe."""
