"""Scenes: cuts that stay sheets, arranged on a base."""
