"""Gauss and Newton's method on a draft's ends, ways and handles, in kernels.

A path is its ends (K, 2), kinds (K,), handles (K, 2, 2), which ends are corners (K,), and of smooth ends the line that says their way
(K,). Numbers are where each unknown stands among all, -1 for none: of ends (K,), turns (K,) and handles (K, 2).
"""

import numpy as np
from numba import njit

from tidymargin.core.outlines.splitting import CURVE, LINE

_ROUNDS = 20
_MOST_MOVE = 1.5  # of an end or a handle in a round, px
_STILL_PX = 0.01  # of all that is moved, when it is done
_COARSE = 16  # places of a piece that are looked at first
_DAMPING, _MORE_CAREFULLY = 1e-3, 30.0
_MOST_USED = 24  # numbers that one piece depends on
_SHORTEST, _LONGEST = 0.05, 1.2  # of a handle, by its curve's chord


@njit(cache=True, nogil=True)
def _way_kernel(ends, handles, line_at, k, ways):  # type: ignore[no-untyped-def]
    """Write which way the path goes at a smooth end: its line's, or halfway between its two handles."""
    count = len(ends)
    if line_at[k] >= 0:
        one, other = line_at[k], (line_at[k] + 1) % count
        x, y = ends[other, 0] - ends[one, 0], ends[other, 1] - ends[one, 1]
    else:
        x, y = handles[k, 0, 0] - handles[k - 1, 1, 0], handles[k, 0, 1] - handles[k - 1, 1, 1]
    length = max(np.hypot(x, y), 1e-9)
    ways[k, 0], ways[k, 1] = x / length, y / length


@njit(cache=True, nogil=True)
def _ways_kernel(path, pieces, ways):  # type: ignore[no-untyped-def]
    ends, _, handles, is_corner, line_at = path
    count = len(ends)
    for k in pieces:
        for j in (k, (k + 1) % count):
            if not is_corner[j]:
                _way_kernel(ends, handles, line_at, j, ways)


@njit(cache=True, nogil=True)
def refine_kernel(places, spans, path, pieces, numbers, size):  # type: ignore[no-untyped-def]
    """Move a path's ends and handles, in their place, to where they lie nearest to the places that its pieces explain, by `spans`."""
    ends, kinds, handles, is_corner, _ = path
    count = len(ends)
    ways = np.zeros((count, 2))
    _ways_kernel(path, pieces, ways)
    for k in pieces:  # handles are laid into the ways of smooth ends, as long as they are
        for side in range(2):
            j = (k + side) % count
            if kinds[k] == CURVE and not is_corner[j]:
                reach = np.hypot(handles[k, side, 0] - ends[j, 0], handles[k, side, 1] - ends[j, 1])
                for axis in range(2):
                    handles[k, side, axis] = ends[j, axis] + (1 - 2 * side) * reach * ways[j, axis]
    best, damping = np.inf, _DAMPING
    kept_ends, kept_handles = ends.copy(), handles.copy()
    total, pull, move = np.empty((size, size)), np.empty(size), np.empty(size)
    off = np.inf
    for number in range(_ROUNDS + 1):
        _ways_kernel(path, pieces, ways)
        off = _measure_path_kernel(places, spans, path, pieces, numbers, ways, total, pull)
        if number == _ROUNDS:
            break
        if off > best:  # back, and more carefully
            ends[:], handles[:] = kept_ends, kept_handles
            damping *= _MORE_CAREFULLY
            _ways_kernel(path, pieces, ways)
            _measure_path_kernel(places, spans, path, pieces, numbers, ways, total, pull)
        else:
            best = off
            kept_ends[:], kept_handles[:] = ends, handles
        for k in range(size):
            total[k, k] += damping * (1 + total[k, k])
        if not _solve_kernel(total, pull, move):
            break
        largest = 0.0
        for k in range(size):
            move[k] = min(_MOST_MOVE, max(-_MOST_MOVE, move[k]))
            largest = max(largest, abs(move[k]))
        if not largest >= _STILL_PX:
            break
        _move_ends_kernel(path, pieces, numbers, ways, move)
    if off > best:
        ends[:], handles[:] = kept_ends, kept_handles


@njit(cache=True, nogil=True)
def _solve_kernel(total, pull, move):  # type: ignore[no-untyped-def]
    """Solve symmetric equations in their place, none of a row before its first number looked at; False if they are not definite.

    A. George and J. W. Liu, "Computer solution of large sparse positive definite systems", 1981: the envelope method.
    """
    size = len(pull)
    begins = np.empty(size, np.int64)
    for i in range(size):
        first = 0
        while first < i and total[i, first] == 0.0:
            first += 1
        begins[i] = first
    for i in range(size):
        for j in range(begins[i], i):
            value = total[i, j]
            for k in range(max(begins[i], begins[j]), j):
                value -= total[i, k] * total[j, k]
            total[i, j] = value / total[j, j]
        value = total[i, i]
        for k in range(begins[i], i):
            value -= total[i, k] * total[i, k]
        if not value > 0.0:
            return False
        total[i, i] = np.sqrt(value)
    for i in range(size):
        value = pull[i]
        for k in range(begins[i], i):
            value -= total[i, k] * move[k]
        move[i] = value / total[i, i]
    for i in range(size - 1, -1, -1):
        move[i] /= total[i, i]
        for k in range(begins[i], i):
            move[k] -= total[i, k] * move[i]
    return True


@njit(cache=True, nogil=True)
def _measure_path_kernel(places, spans, path, pieces, numbers, ways, total, pull):  # type: ignore[no-untyped-def]
    """Write how all distances depend on the unknowns, as normal equations; return the sum of their squares."""
    ends, kinds, handles, _, _ = path
    total[:], pull[:] = 0.0, 0.0
    share, used, c = np.empty((8, _MOST_USED)), np.empty(_MOST_USED, np.int64), np.empty((4, 2))
    way_to, wanted = np.empty((8, 8)), np.empty(8)
    off = 0.0
    for k in pieces:
        _controls_kernel(ends, kinds, handles, k, c)
        off += _measure_piece_kernel(
            c, kinds[k] == LINE, places, spans[k, 0], spans[k, 1], way_to, wanted
        )
        count = _find_shares_kernel(k, path, numbers, ways, share, used)
        for a in range(count):
            for row in range(8):
                if share[row, a] == 0.0:
                    continue
                pull[used[a]] += share[row, a] * wanted[row]
                for b in range(count):
                    value = 0.0
                    for col in range(8):
                        value += way_to[row, col] * share[col, b]
                    total[used[a], used[b]] += share[row, a] * value
    return off


@njit(cache=True, nogil=True)
def _controls_kernel(ends, kinds, handles, k, c):  # type: ignore[no-untyped-def]
    following = (k + 1) % len(ends)
    for axis in range(2):
        a, b = ends[k, axis], ends[following, axis]
        c[0, axis], c[3, axis] = a, b
        if kinds[k] == LINE:
            c[1, axis], c[2, axis] = a + (b - a) / 3, b - (b - a) / 3
        else:
            c[1, axis], c[2, axis] = handles[k, 0, axis], handles[k, 1, axis]


@njit(cache=True, nogil=True)
def _measure_piece_kernel(c, is_line, places, first, last, total, pull):  # type: ignore[no-untyped-def]
    """Write how a piece's distances across depend on its control points, (8, 8) and (8,); return the sum of their squares."""
    n = len(places)
    total[:], pull[:] = 0.0, 0.0
    depends = np.empty(8)
    squares, t = 0.0, -1.0
    for i in range(first, last + 1):
        x, y = places[i % n, 0], places[i % n, 1]
        t = _project_kernel(c, x, y) if is_line else nearest_kernel(c, x, y, t)
        r = 1 - t
        shares = (r * r * r, 3 * r * r * t, 3 * r * t * t, t * t * t)
        gx = (
            r * r * (c[1, 0] - c[0, 0])
            + 2 * r * t * (c[2, 0] - c[1, 0])
            + t * t * (c[3, 0] - c[2, 0])
        )
        gy = (
            r * r * (c[1, 1] - c[0, 1])
            + 2 * r * t * (c[2, 1] - c[1, 1])
            + t * t * (c[3, 1] - c[2, 1])
        )
        speed = max(np.hypot(gx, gy), 1e-9)
        nx, ny = -gy / speed, gx / speed
        off = x * nx + y * ny
        for k in range(4):
            off -= shares[k] * (c[k, 0] * nx + c[k, 1] * ny)
            depends[2 * k], depends[2 * k + 1] = shares[k] * nx, shares[k] * ny
        for a in range(8):
            pull[a] += depends[a] * off
            for b in range(a + 1):
                total[a, b] += depends[a] * depends[b]
        ex, ey = -x, -y  # beyond an end, a place is off along as well
        for k in range(4):
            ex += shares[k] * c[k, 0]
            ey += shares[k] * c[k, 1]
        squares += ex * ex + ey * ey
    for a in range(8):
        for b in range(a):
            total[b, a] = total[a, b]
    return squares


@njit(cache=True, nogil=True)
def _slot_kernel(used, count, at):  # type: ignore[no-untyped-def]
    for k in range(count):
        if used[k] == at:
            return k
    return count


@njit(cache=True, nogil=True)
def _take_kernel(used, count, share, at):  # type: ignore[no-untyped-def]
    """Return where a number stands among those that a piece depends on, and how many these are with it."""
    slot = _slot_kernel(used, count, at)
    if slot < count:
        return slot, count
    used[slot] = at
    share[:, slot] = 0.0
    return slot, count + 1


@njit(cache=True, nogil=True)
def _find_shares_kernel(k, path, numbers, ways, share, used):  # type: ignore[no-untyped-def]
    """Write how a piece's control points depend on the unknowns that matter to it, (8, n), and which these are; return n."""
    ends, kinds, handles, is_corner, line_at = path
    end_at, turn_at, handle_at = numbers
    all_ends, count = len(ends), 0
    for side in range(2):
        j = (k + side) % all_ends
        for axis in range(2):
            if end_at[j] >= 0:
                slot, count = _take_kernel(used, count, share, end_at[j] + axis)
                share[6 * side + axis, slot] += 1.0
    if kinds[k] == LINE:
        for slot in range(count):
            for axis in range(2):
                a, b = share[axis, slot], share[6 + axis, slot]
                share[2 + axis, slot], share[4 + axis, slot] = (2 * a + b) / 3, (a + 2 * b) / 3
        return count
    for side in range(2):
        j, inner, outer = (k + side) % all_ends, 2 + 2 * side, 6 * side
        at = handle_at[k, side]
        if is_corner[j]:  # where it is, whatever its end does
            for axis in range(2):
                slot, count = _take_kernel(used, count, share, at + axis)
                share[inner + axis, slot] += 1.0
            continue
        for axis in range(2):
            for slot in range(count):
                share[inner + axis, slot] += share[outer + axis, slot]
        wx, wy = ways[j, 0], ways[j, 1]
        slot, count = _take_kernel(used, count, share, at)
        share[inner, slot] += (1 - 2 * side) * wx
        share[inner + 1, slot] += (1 - 2 * side) * wy
        reach = (handles[k, side, 0] - ends[j, 0]) * wx + (handles[k, side, 1] - ends[j, 1]) * wy
        if turn_at[j] >= 0:
            slot, count = _take_kernel(used, count, share, turn_at[j])
            share[inner, slot] -= reach * wy
            share[inner + 1, slot] += reach * wx
        elif line_at[j] >= 0:
            p = line_at[j]
            q = (p + 1) % all_ends
            part = reach / max(np.hypot(ends[q, 0] - ends[p, 0], ends[q, 1] - ends[p, 1]), 1e-6)
            for e, sign in ((p, -part), (q, part)):
                if end_at[e] < 0:
                    continue
                slot, count = _take_kernel(used, count, share, end_at[e])
                share[inner, slot] += sign * wy * wy
                share[inner + 1, slot] -= sign * wx * wy
                slot, count = _take_kernel(used, count, share, end_at[e] + 1)
                share[inner, slot] -= sign * wx * wy
                share[inner + 1, slot] += sign * wx * wx
    return count


@njit(cache=True, nogil=True)
def _move_ends_kernel(path, pieces, numbers, ways, move):  # type: ignore[no-untyped-def]
    """Move ends and handles; handles keep their ends' new ways, and are neither turned round nor longer than makes sense."""
    ends, kinds, handles, is_corner, line_at = path
    end_at, turn_at, handle_at = numbers
    count = len(ends)
    reaches = np.zeros((len(pieces), 2))
    for number, k in enumerate(pieces):
        for side in range(2):
            j = (k + side) % count
            if kinds[k] == CURVE and not is_corner[j]:
                along = (handles[k, side, 0] - ends[j, 0]) * ways[j, 0] + (
                    handles[k, side, 1] - ends[j, 1]
                ) * ways[j, 1]
                reaches[number, side] = (1 - 2 * side) * along
    for j in range(count):
        if end_at[j] >= 0:
            ends[j, 0] += move[end_at[j]]
            ends[j, 1] += move[end_at[j] + 1]
        if turn_at[j] >= 0:
            c, s = np.cos(move[turn_at[j]]), np.sin(move[turn_at[j]])
            ways[j, 0], ways[j, 1] = (
                c * ways[j, 0] - s * ways[j, 1],
                s * ways[j, 0] + c * ways[j, 1],
            )
    for k in pieces:
        for j in (k, (k + 1) % count):
            if not is_corner[j] and line_at[j] >= 0:
                _way_kernel(ends, handles, line_at, j, ways)
    for number, k in enumerate(pieces):
        if kinds[k] != CURVE:
            continue
        following = (k + 1) % count
        chord = max(
            np.hypot(ends[following, 0] - ends[k, 0], ends[following, 1] - ends[k, 1]), 1e-6
        )
        for side in range(2):
            j, at = (k + side) % count, handle_at[k, side]
            if is_corner[j]:
                handles[k, side, 0] += move[at]
                handles[k, side, 1] += move[at + 1]
                continue
            reach = min(_LONGEST * chord, max(_SHORTEST * chord, reaches[number, side] + move[at]))
            for axis in range(2):
                handles[k, side, axis] = ends[j, axis] + (1 - 2 * side) * reach * ways[j, axis]


@njit(cache=True, nogil=True)
def _project_kernel(c, x, y):  # type: ignore[no-untyped-def]
    dx, dy = c[3, 0] - c[0, 0], c[3, 1] - c[0, 1]
    under = dx * dx + dy * dy
    if under < 1e-12:
        return 0.0
    return min(1.0, max(0.0, ((x - c[0, 0]) * dx + (y - c[0, 1]) * dy) / under))


@njit(cache=True, nogil=True)
def nearest_kernel(c, x, y, near):  # type: ignore[no-untyped-def]
    """Where along a curve a place is nearest: the nearest of some, or where the one before it was, then Newton's method."""
    best, t = np.inf, near
    for k in range(_COARSE + 1 if near < 0 else 0):
        s = k / _COARSE
        r = 1 - s
        b0, b1, b2, b3 = r * r * r, 3 * r * r * s, 3 * r * s * s, s * s * s
        ex = b0 * c[0, 0] + b1 * c[1, 0] + b2 * c[2, 0] + b3 * c[3, 0] - x
        ey = b0 * c[0, 1] + b1 * c[1, 1] + b2 * c[2, 1] + b3 * c[3, 1] - y
        far = ex * ex + ey * ey
        if far < best:
            best, t = far, s
    for _ in range(3):
        r = 1 - t
        b0, b1, b2, b3 = r * r * r, 3 * r * r * t, 3 * r * t * t, t * t * t
        ex = b0 * c[0, 0] + b1 * c[1, 0] + b2 * c[2, 0] + b3 * c[3, 0] - x
        ey = b0 * c[0, 1] + b1 * c[1, 1] + b2 * c[2, 1] + b3 * c[3, 1] - y
        p0x, p1x, p2x = c[1, 0] - c[0, 0], c[2, 0] - c[1, 0], c[3, 0] - c[2, 0]
        p0y, p1y, p2y = c[1, 1] - c[0, 1], c[2, 1] - c[1, 1], c[3, 1] - c[2, 1]
        gx = 3 * (r * r * p0x + 2 * r * t * p1x + t * t * p2x)
        gy = 3 * (r * r * p0y + 2 * r * t * p1y + t * t * p2y)
        hx = 6 * (r * (p1x - p0x) + t * (p2x - p1x))
        hy = 6 * (r * (p1y - p0y) + t * (p2y - p1y))
        under = gx * gx + gy * gy + ex * hx + ey * hy
        if abs(under) < 1e-9:
            break
        move = (ex * gx + ey * gy) / under
        t = min(1.0, max(0.0, t - min(0.06, max(-0.06, move))))
    return t
