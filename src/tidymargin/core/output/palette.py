"""Choosing a few colours, each with a matte of its own, that stand for all of a cut's."""

import cv2
import numpy as np
from numpy.typing import NDArray

_MOST_SAMPLES = 20_000  # for speed
_ROUNDS = 12  # after which centres stand still
_SEED = 5  # so that a file is always the same
_CHUNK = 1 << 14  # pixels matched at once: memory

Colours = NDArray[np.uint8]


def choose_palette(rgba: Colours, count: int) -> tuple[Colours, NDArray[np.uint8]]:
    """Return a palette and which of its entries each place gets.

    What is wholly clear has an entry of its own, and solid colours are stood for by solid ones, so that nothing grows see-through
    or comes back. The others are told by what they show, laid on anything: by colour times matte, and matte.

    Parameters
    ----------
    rgba : (H, W, 4) ndarray of uint8
        Straight alpha.
    count : int
        Entries at most, 3 to 256.

    Returns
    -------
    (n, 4) ndarray of uint8, (H, W) ndarray of uint8
        The entries, straight RGBA, and their numbers.
    """
    codes = np.ascontiguousarray(rgba).view(np.uint32)[..., 0]
    alpha = rgba[..., 3]
    codes = np.where(alpha == 0, np.uint32(0), codes)
    found, inverse, often = np.unique(codes, return_inverse=True, return_counts=True)
    colours = found[:, None].view(np.uint8).reshape(-1, 4)
    if len(found) <= count:
        return colours, inverse.reshape(alpha.shape).astype(np.uint8)
    is_clear, is_solid = colours[:, 3] == 0, colours[:, 3] == 255
    left = count - int(is_clear.any())
    soft = ~(is_clear | is_solid)
    # by how many different ones there are: rims are few pixels and many mattes
    share = np.sqrt([is_solid.sum(), soft.sum()])
    solids = min(int(is_solid.sum()), max(1, round(left * share[0] / max(share.sum(), 1))))
    solids = max(solids, left - int(soft.sum())) if is_solid.any() else 0
    parts = [np.zeros((1, 4), np.uint8)] if is_clear.any() else []
    parts += [
        _cluster(colours[m], often[m], n)
        for m, n in ((is_solid, solids), (soft, left - solids))
        if m.any() and n
    ]
    palette = np.concatenate(parts)
    nearest = _match_entries(colours, palette)
    return palette, nearest[inverse].reshape(alpha.shape).astype(np.uint8)


def _to_shown(colours: Colours) -> NDArray[np.float32]:
    share = colours[:, 3:].astype(np.float32) / 255
    return np.concatenate([colours[:, :3] * share, colours[:, 3:].astype(np.float32)], axis=1)


def _to_straight(shown: NDArray[np.float32]) -> Colours:
    share = np.maximum(shown[:, 3:], 1) / 255
    straight = np.concatenate([shown[:, :3] / share, shown[:, 3:]], axis=1)
    return np.asarray(np.rint(np.clip(straight, 0, 255)), np.uint8)


def _cluster(colours: Colours, often: NDArray[np.int64], count: int) -> Colours:
    """Return so many colours in whose middle these lie, those that are there more often counting more."""
    if len(colours) <= count:
        return colours
    shown = _to_shown(colours)
    # as often as it is there would drown what is rare, and once each the flat parts
    weight = np.sqrt(often.astype(np.float64))
    random = np.random.default_rng(_SEED)
    chosen = random.choice(len(shown), min(_MOST_SAMPLES, 8 * len(shown)), p=weight / weight.sum())
    cv2.setRNGSeed(_SEED)
    stop = (cv2.TERM_CRITERIA_MAX_ITER, _ROUNDS, 0.0)
    _, _, middles = cv2.kmeans(shown[chosen], count, None, stop, 1, cv2.KMEANS_PP_CENTERS)  # type: ignore[call-overload]
    return _to_straight(np.asarray(middles, np.float32))


def _match_entries(colours: Colours, palette: Colours) -> NDArray[np.intp]:
    """Return for each colour the entry that shows most alike; solid ones go to solid ones, clear ones to the clear one."""
    shown, entries = _to_shown(colours), _to_shown(palette)
    nearest = np.empty(len(colours), np.intp)
    kind = np.where(palette[:, 3] == 255, 2, np.where(palette[:, 3] == 0, 0, 1))
    own = np.where(colours[:, 3] == 255, 2, np.where(colours[:, 3] == 0, 0, 1))
    for which in (0, 1, 2):
        rows, cols = np.flatnonzero(own == which), np.flatnonzero(kind == which)
        if not len(cols):
            cols = np.arange(len(palette))
        for start in range(0, len(rows), _CHUNK):
            some = rows[start : start + _CHUNK]
            away = ((shown[some, None] - entries[None, cols]) ** 2).sum(axis=2)
            nearest[some] = cols[away.argmin(axis=1)]
    return nearest
