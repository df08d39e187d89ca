"""How large a picture may be, coming in and going out, and what an inch is."""

MAX_PIXELS = 200_000_000  # A4 at 1200 dpi has 140 million
MAX_SIDE_PX = 60_000  # as the widest of the formats that are read
MM_PER_INCH = 25.4
