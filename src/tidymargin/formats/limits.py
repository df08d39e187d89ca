"""How large a file may be that comes in."""

MAX_FILE_BYTES = 500 * 1024 * 1024
