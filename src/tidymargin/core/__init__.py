"""The computation: arrays in, arrays out; no interface, no files."""
