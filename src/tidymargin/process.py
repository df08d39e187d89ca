"""What a whole process is told by its system, and asks of its C library."""

import ctypes
import errno
import os
import signal
import sys
from contextlib import suppress
from pathlib import Path

from tidymargin.core.base.errors import BusyError

FULL = (errno.ENOSPC, errno.EDQUOT, errno.EFBIG)
"""What the system says when a disk, a quota or a file can grow no more."""
OUT_OF_FILES = (errno.EMFILE, errno.ENFILE)
"""What the system says when no more files can be open."""

PARTS = "parts-"
"""How folders begin in which a file of several pictures is taken apart."""

_PR_SET_PDEATHSIG = 1  # of linux/prctl.h
_M_TRIM_THRESHOLD, _M_MMAP_THRESHOLD = -1, -3
_RETURNED_BYTES = 4 * 1024 * 1024
_KEPT_BYTES = 32 * 1024 * 1024  # the most that it takes as a threshold


def program() -> str:
    """Return what this program was called by, as it is typed in a command."""
    return os.environ.get("TIDYMARGIN_PROGRAM", "tidymargin")


def cpu_seconds_of(process_id: int) -> float | None:
    """Return how long a process has worked, in seconds of one core; None where the system does not say.

    It is what a limit counts: a machine that is busy with other things makes nothing take longer.
    """
    with suppress(OSError, ValueError, IndexError):
        said = Path(f"/proc/{process_id}/stat").read_text()
        user, system = said.rpartition(")")[2].split()[11:13]  # proc(5): utime and stime, in ticks
        return (int(user) + int(system)) / os.sysconf("SC_CLK_TCK")
    return None


def end_with_parent(parent_id: int) -> None:
    """Have this process be ended by the system when the one that started it is gone, however that ended; on Linux."""
    if sys.platform != "linux":
        return
    with suppress(OSError, AttributeError):
        ctypes.CDLL("libc.so.6").prctl(_PR_SET_PDEATHSIG, int(signal.SIGKILL))
    if os.getppid() != parent_id:  # it is gone already
        os._exit(1)


def _set_thresholds(**thresholds: int) -> None:
    try:
        library = ctypes.CDLL("libc.so.6")
        library.mallopt(_M_MMAP_THRESHOLD, thresholds["mmap"])
        if "trim" in thresholds:
            library.mallopt(_M_TRIM_THRESHOLD, thresholds["trim"])
    except (OSError, AttributeError):
        return  # another C library: memory is then only less tight


def hold_memory_low() -> None:
    """Have large arrays go back to the system when they are freed, where the C library can be told to.

    By default it raises the size from which it does so whenever one is freed, and keeps the rest.
    """
    _set_thresholds(mmap=_RETURNED_BYTES)


def keep_memory() -> None:
    """Have memory that is freed used again, until `give_memory_back`: so one large thing after another is quicker."""
    _set_thresholds(mmap=_KEPT_BYTES, trim=64 * _KEPT_BYTES)


def give_memory_back() -> None:
    """Give what is free by now back to the system, where the C library can be told to."""
    try:
        ctypes.CDLL("libc.so.6").malloc_trim(0)
    except (OSError, AttributeError):
        return


def say_out_of_files() -> BusyError:
    """Return the error that says that no more files can be open."""
    return BusyError(
        "Too many files are open on this machine just now.",
        hint="Do it again in a moment; everything saved before is safe.",
    )
