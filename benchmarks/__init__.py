"""Accuracy, speed and memory, measured."""
