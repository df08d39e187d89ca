"""Tidy Margin: keys plain grounds out of pictures and exports clean, transparent cuts."""

import os
from pathlib import Path

import platformdirs

__version__ = "0.1.0"

ENGINE_VERSION = 4
"""Raised whenever the same picture and recipe would give another cut."""

# Numba writes beside the code by default, where it may not be allowed to; this must be set before
# the first kernel is imported.
os.environ.setdefault(
    "NUMBA_CACHE_DIR", str(Path(platformdirs.user_cache_dir("tidymargin")) / "kernels")
)
