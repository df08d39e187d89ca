"""The command line: serving, the demo, keying files without a browser, and looking after a data folder."""
