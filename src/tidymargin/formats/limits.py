"""How large a picture and its file may be."""

MAX_FILE_BYTES = 500 * 1024 * 1024
MAX_PIXELS = 200_000_000
MAX_SIDE_PX = 60_000
