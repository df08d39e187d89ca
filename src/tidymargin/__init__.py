"""Tidy Margin: keys plain grounds out of pictures and exports clean, transparent cuts."""

import hashlib
import os
from pathlib import Path

import platformdirs

__version__ = "0.1.0"

ENGINE_VERSION = 24
"""Raised whenever the same picture and recipe would give another cut."""


def name_kernels(folder: Path) -> str:
    """Return a name for the compiled kernels of exactly the code in a folder's packages, however deep.

    Numba looks whether a kernel's own file has changed, and not those of the kernels it calls.
    """
    digest = hashlib.sha256()
    for source in sorted(folder.glob("*/**/*.py")):
        if b"numba" in (code := source.read_bytes()):
            digest.update(code)
    return f"kernels-{digest.hexdigest()[:12]}"


# Kernels share the cores out by themselves; threads of matrix products, which are small here, would only wait beside
# them at full speed. It is read when numpy is first imported.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
# Numba writes beside the code by default, where it may not be allowed to; this must be set before
# the first kernel is imported.
os.environ.setdefault(
    "NUMBA_CACHE_DIR",
    str(Path(platformdirs.user_cache_dir("tidymargin")) / name_kernels(Path(__file__).parent)),
)
