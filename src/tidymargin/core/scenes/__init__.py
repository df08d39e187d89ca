"""Cuts arranged on a base: where each is placed, and how they lie on one another."""
