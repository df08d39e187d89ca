"""A draft of a view at another tolerance, made from the exact view at the present one.

While a control is being dragged, pixels of the full-size levels are sampled in every cell of the view: what
newly goes takes its part of the cell's matte along, what comes back brings the picture's own colour. Rims
follow as soon as the drag rests, pockets and crumbs when the tolerance is set.
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray

_SAMPLES = 3  # along each side of a cell


@njit(cache=True, nogil=True)
def _sample_kernel(levels, rows, cols, out):  # type: ignore[no-untyped-def]
    for number in range(out.shape[0]):
        for row in range(out.shape[1]):
            y = rows[number, row]
            for col in range(out.shape[2]):
                out[number, row, col] = levels[y, cols[number, col]]


def sample_levels(
    levels: NDArray[np.uint8], window: tuple[float, float, float], shape: tuple[int, int]
) -> NDArray[np.uint8]:
    """Return levels at a few places in every cell of a view.

    Parameters
    ----------
    levels : (H, W) ndarray of uint8
        Of the whole picture, in steps.
    window : tuple of 3 float
        Top, left and side of the view's cells, in pixels of the whole picture.
    shape : tuple of 2 int
        The view's height and width in cells.

    Returns
    -------
    (N, h, w) ndarray of uint8
        N is 1 at full size and up to 9 zoomed out.
    """
    top, left, cell = window
    along = min(_SAMPLES, int(np.ceil(cell)))
    shares = (np.arange(along) + 0.5) / along
    offsets = [(down, right) for down in shares for right in shares]

    def place(start: float, count: int, share: float, most: int) -> NDArray[np.int64]:
        at = (start + (np.arange(count) + share) * cell).astype(np.int64)
        return np.minimum(at, most - 1)

    rows = np.array([place(top, shape[0], down, levels.shape[0]) for down, _ in offsets])
    cols = np.array([place(left, shape[1], right, levels.shape[1]) for _, right in offsets])
    out = np.empty((len(offsets), *shape), np.uint8)
    _sample_kernel(levels, rows, cols, out)
    return out


@njit(cache=True, nogil=True)
def _shift_kernel(original, samples, now, tried, out):  # type: ignore[no-untyped-def]
    """Change the draft, which begins as the exact view, where something goes or comes."""
    number, height, width = samples.shape
    low, high = min(now, tried), max(now, tried)
    moved = np.empty(width, np.uint8)
    stood = np.empty(width, np.uint8)
    for row in range(height):
        moved[:] = 0
        stood[:] = 0
        for at in range(number):
            for col in range(width):
                level = samples[at, row, col]
                moved[col] += (level > low) & (level <= high)
                stood[col] += level > now
        for col in range(width):
            if moved[col] == 0:
                continue
            alpha = float(out[row, col, 3])
            if tried > now:
                out[row, col, 3] = int(alpha * (1.0 - moved[col] / stood[col]) + 0.5)
                continue
            added = min(255.0 - alpha, 255.0 * moved[col] / number)
            for channel in range(3):
                mixed = out[row, col, channel] * alpha + original[row, col, channel] * added
                out[row, col, channel] = int(mixed / max(1.0, alpha + added) + 0.5)
            out[row, col, 3] = int(alpha + added + 0.5)


def shift_view(
    exact: NDArray[np.uint8],
    original: NDArray[np.uint8],
    samples: NDArray[np.uint8],
    steps: tuple[int, int],
) -> NDArray[np.uint8]:
    """Return a view as another tolerance would about leave it.

    Parameters
    ----------
    exact, original : (h, w, 4) ndarray of uint8
        The cut and the picture in that view, averaged where it is zoomed out.
    samples : (N, h, w) ndarray of uint8
        See `sample_levels`.
    steps : tuple of 2 int
        The tolerance that `exact` has, and the one that is tried, in steps.

    Returns
    -------
    (h, w, 4) ndarray of uint8
        Straight RGBA.
    """
    out = exact.copy()
    _shift_kernel(original, samples, *steps, out)
    return out
