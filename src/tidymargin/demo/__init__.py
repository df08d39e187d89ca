"""Generated pictures with their true cuts, for the demo, the tests and the benchmark."""
