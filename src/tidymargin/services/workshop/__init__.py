"""The data folder at work: its store, the executor, the caches, the readers, and what things are kept under."""
