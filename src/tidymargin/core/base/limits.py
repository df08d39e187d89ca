"""How large a picture may be, coming in and going out, and what an inch is."""

MAX_PIXELS = 200_000_000
MAX_SIDE_PX = 60_000
MM_PER_INCH = 25.4
