"""`python -m tidymargin.cli`."""

from tidymargin.cli.commands import main

if __name__ == "__main__":
    main(prog_name="tidy")
