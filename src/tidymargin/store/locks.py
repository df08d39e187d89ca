"""Locking an open file against other processes, by whatever this system has for it; untried where that is not POSIX."""

import os
import sys

CLOSED_FOR_OTHERS = getattr(os, "O_CLOEXEC", 0) | getattr(os, "O_NOINHERIT", 0)
"""How a file is opened that no process started later is given."""

if sys.platform == "win32":
    import msvcrt

    _FAR = (
        1 << 30
    )  # a byte that nobody reads or writes: there it is the byte that is locked, for all uses

    def lock_alone(handle: int) -> None:
        """Lock a file so that nobody else can; OSError where somebody has."""
        os.lseek(handle, _FAR, os.SEEK_SET)
        msvcrt.locking(handle, msvcrt.LK_NBLCK, 1)

    def lock_shared(handle: int) -> None:
        """Say by OSError whether somebody has locked a file, who cannot be joined here."""
        lock_alone(handle)
        os.lseek(handle, _FAR, os.SEEK_SET)
        msvcrt.locking(handle, msvcrt.LK_UNLCK, 1)

else:
    import fcntl

    def lock_alone(handle: int) -> None:
        """Lock a file so that nobody else can; OSError where somebody has."""
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)

    def lock_shared(handle: int) -> None:
        """Lock a file together with others who do so; OSError where somebody has it alone."""
        fcntl.flock(handle, fcntl.LOCK_SH | fcntl.LOCK_NB)
