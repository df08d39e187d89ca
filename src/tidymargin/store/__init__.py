"""Rows in SQLite and original files on disk."""
