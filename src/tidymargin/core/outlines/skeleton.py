"""The middle of lines: pixels that are left when lines are thinned from both sides, as chains between ends and junctions.

Thinning as in T. Y. Zhang and C. Y. Suen, "A fast parallel algorithm for thinning digital patterns", CACM 27, 1984.
"""

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

_ROWS = np.array([-1, -1, 0, 1, 1, 1, 0, -1])
_COLS = np.array([0, 1, 1, 1, 0, -1, -1, -1])


@dataclass(frozen=True, slots=True, eq=False)
class Chain:
    """Pixels of a middle, one beside the other.

    Parameters
    ----------
    places : (N, 2) ndarray of int64
        Row and column.
    is_closed : bool
        Whether the last is beside the first.
    first_joins, last_joins : int
        The junction that it begins and ends at; -1 for a free end.
    """

    places: NDArray[np.int64]
    is_closed: bool
    first_joins: int = -1
    last_joins: int = -1


@njit(cache=True, nogil=True)
def _thin_kernel(mask, rows, cols):  # type: ignore[no-untyped-def]
    """Take pixels off both sides of what a mask holds, in turns, until nothing but middles is left. Its border is empty."""
    height, width = mask.shape
    border = np.empty(height * width // 2 + 16, np.int64)
    around = np.empty(8, np.uint8)
    while True:
        gone = 0
        for side in range(2):
            count = 0
            for row in range(1, height - 1):
                for col in range(1, width - 1):
                    if not mask[row, col]:
                        continue
                    total, turns = 0, 0
                    for k in range(8):
                        around[k] = mask[row + rows[k], col + cols[k]]
                        total += around[k]
                    if total < 2 or total > 6:
                        continue
                    for k in range(8):
                        if not around[k] and around[(k + 1) % 8]:
                            turns += 1
                    if turns != 1:
                        continue
                    if side == 0:
                        goes = (
                            around[0] * around[2] * around[4] == 0
                            and around[2] * around[4] * around[6] == 0
                        )
                    else:
                        goes = (
                            around[0] * around[2] * around[6] == 0
                            and around[0] * around[4] * around[6] == 0
                        )
                    if goes and count < len(border):
                        border[count] = row * width + col
                        count += 1
            for k in range(count):
                mask[border[k] // width, border[k] % width] = 0
            gone += count
        if gone == 0:
            return


def thin(mask: NDArray[np.bool_]) -> NDArray[np.uint8]:
    """Return the middles of a mask, 1 where they are; corners of stairs are taken off as well."""
    padded = np.pad(mask.astype(np.uint8), 1)
    _thin_kernel(padded, _ROWS, _COLS)
    _take_stairs_kernel(padded, _ROWS, _COLS)
    return padded[1:-1, 1:-1]


@njit(cache=True, nogil=True)
def _take_stairs_kernel(mask, rows, cols):  # type: ignore[no-untyped-def]
    """Take off pixels whose neighbours hang together without them, so that a chain goes on in one way only."""
    height, width = mask.shape
    for row in range(1, height - 1):
        for col in range(1, width - 1):
            if not mask[row, col]:
                continue
            for k in range(0, 8, 2):  # two beside each other straight on, and nothing behind
                behind = 0
                for j in range(3, 8):
                    behind += mask[row + rows[(k + j) % 8], col + cols[(k + j) % 8]]
                one = mask[row + rows[k], col + cols[k]]
                other = mask[row + rows[(k + 2) % 8], col + cols[(k + 2) % 8]]
                # the place across from both may go on: what is beside it joins it still
                across = mask[row + rows[(k + 5) % 8], col + cols[(k + 5) % 8]]
                if one and other and behind == 0 and not across:
                    mask[row, col] = 0
                    break


def find_chains(skeleton: NDArray[np.uint8]) -> tuple[list[Chain], list[NDArray[np.float64]]]:
    """Return the chains of a skeleton, and each junction's middle, row and column."""
    padded = np.pad(skeleton, 1)
    places = np.argwhere(padded)
    counts = np.zeros(len(places), np.int64)
    for row, col in zip(_ROWS, _COLS, strict=True):
        counts += padded[places[:, 0] + row, places[:, 1] + col]
    index = {(int(r), int(c)): k for k, (r, c) in enumerate(places)}
    # as often as it changes from clear to middle around a pixel, so many lines meet there
    ring = [padded[places[:, 0] + r, places[:, 1] + c] for r, c in zip(_ROWS, _COLS, strict=True)]
    turns = sum((ring[k] == 0) & (ring[(k + 1) % 8] > 0) for k in range(8))
    is_node = (turns >= 3) | (counts >= 4)
    junction = np.full(len(places), -1)
    middles: list[NDArray[np.float64]] = []
    for k in np.flatnonzero(is_node).tolist():
        if junction[k] >= 0:
            continue
        group, stack = [], [k]
        junction[k] = len(middles)
        while stack:
            j = stack.pop()
            group.append(j)
            for other in _list_beside(places[j], index):
                if is_node[other] and junction[other] < 0:
                    junction[other] = len(middles)
                    stack.append(other)
        middles.append(places[group].mean(axis=0) - 1)
    used = is_node.copy()
    chains = [
        _go_along(k, places, index, is_node, junction, used)
        for k in np.flatnonzero((counts <= 1) & ~is_node).tolist()
        if not used[k]
    ]
    for k in np.flatnonzero(is_node).tolist():
        for other in _list_beside(places[k], index):
            if not used[other]:
                chains.append(_go_along(other, places, index, is_node, junction, used, begun_at=int(junction[k])))  # fmt: skip
    for k in range(len(places)):
        if not used[k]:
            chain = _go_along(k, places, index, is_node, junction, used)
            is_closed = len(chain.places) > 3
            chains.append(Chain(chain.places, is_closed))
    return chains, middles


def _list_beside(place: NDArray[np.int64], index: dict[tuple[int, int], int]) -> list[int]:
    row, col = int(place[0]), int(place[1])
    # straight ones first: a chain goes on over these
    found = []
    for k in (0, 2, 4, 6, 1, 3, 5, 7):
        other = index.get((row + int(_ROWS[k]), col + int(_COLS[k])))
        if other is not None:
            found.append(other)
    return found


def _go_along(
    begin: int, places: NDArray[np.int64], index: dict[tuple[int, int], int], is_node: NDArray[np.bool_],
    junction: NDArray[np.int64], used: NDArray[np.bool_], begun_at: int = -1,
) -> Chain:  # fmt: skip
    """Return the chain that goes on from a pixel to an end or a junction."""
    order = [begin]
    used[begin] = True
    ends_at = -1
    while True:
        beside = _list_beside(places[order[-1]], index)
        onward = [k for k in beside if not used[k]]
        nodes = [int(junction[k]) for k in beside if is_node[k]]
        if nodes and (len(order) > 1 or nodes[0] != begun_at) and (len(order) > 2 or not onward):
            ends_at = nodes[0]
            break
        if not onward:
            break
        used[onward[0]] = True
        order.append(onward[0])
    return Chain(places[order] - 1, False, begun_at, ends_at)
