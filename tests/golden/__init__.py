"""What cuts look like, so that none changes unsaid: see `test_golden`, and `python -m tests.golden` to write them anew."""
