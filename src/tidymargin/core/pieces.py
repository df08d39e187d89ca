"""Pieces of a mask that hang together: doing something to the chosen ones."""

import numpy as np
from numba import njit
from numpy.typing import NDArray


@njit(cache=True, nogil=True)
def _mark_kernel(labels, chosen, value, out):  # type: ignore[no-untyped-def]
    for row in range(labels.shape[0]):
        for col in range(labels.shape[1]):
            if chosen[labels[row, col]]:
                out[row, col] = value


def mark_pieces(
    labels: NDArray[np.int32], chosen: NDArray[np.bool_], out: NDArray[np.bool_], value: bool = True
) -> None:
    """Set `out` to a value where a chosen piece lies, in place.

    Parameters
    ----------
    labels : (H, W) ndarray of int32
        Each pixel's piece, 0 to N - 1.
    chosen : (N,) ndarray of bool
        Which pieces are meant.
    out : (H, W) ndarray of bool
        Written into.
    value : bool
        What is written.
    """
    _mark_kernel(labels, chosen, value, out)
