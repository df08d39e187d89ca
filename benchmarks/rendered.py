"""Things rendered with their true cuts, for fitting and nothing else: what photographed things on paper look like.

A small ray marcher over distance fields: balls, boxes, rings, cups with handles, folded paper, coins with relief; a key
light with soft shadows, contact shadows, highlights, metal. The ground is a plane, of which only its share of light is
returned: what it is made of comes from elsewhere.
"""

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

SHAPES = ("balls", "boxes", "rings", "cups", "papers", "coins")

_BALL, _BOX, _RING, _DISC, _CUP = range(5)
_COLUMNS = (
    16  # kind, x, y, z, four sizes, cos and sin of its turn, colour (3), shine, metal, relief
)
_FARTHEST, _STEPS, _NEAR = 12.0, 90, 5e-4
_SAMPLES = 2  # along each side of a pixel


@dataclass(frozen=True, slots=True, eq=False)
class Rendered:
    """Figure colour with its matte, (h, w, 4), 0 to 255, and the share of light that is left to the ground, (h, w), 0 to 1."""

    rgba: NDArray[np.float32]
    light: NDArray[np.float32]


@njit(cache=True, nogil=True)
def _away(part, x, y, z):  # type: ignore[no-untyped-def]
    """Return how far a place is from one part."""
    px, py, pz = x - part[1], y - part[2], z - part[3]
    px, pz = part[8] * px + part[9] * pz, -part[9] * px + part[8] * pz
    a, b, c, r = part[4], part[5], part[6], part[7]
    kind = int(part[0])
    if kind == _BALL:
        return np.sqrt((px / a) ** 2 + (py / b) ** 2 + (pz / c) ** 2) * min(a, b, c) - min(a, b, c)
    if kind == _BOX:
        qx, qy, qz = abs(px) - a + r, abs(py) - b + r, abs(pz) - c + r
        out = np.sqrt(max(qx, 0.0) ** 2 + max(qy, 0.0) ** 2 + max(qz, 0.0) ** 2)
        return out + min(max(qx, qy, qz), 0.0) - r
    if kind == _RING:  # lies flat where c is 0, stands else
        ring = np.sqrt(px * px + pz * pz) - a if c == 0.0 else np.sqrt(px * px + py * py) - a
        other = py if c == 0.0 else pz
        return np.sqrt(ring * ring + other * other) - b
    side = np.sqrt(px * px + pz * pz)
    if kind == _DISC:
        qx, qy = side - a + r, abs(py) - b + r
        return min(max(qx, qy), 0.0) + np.sqrt(max(qx, 0.0) ** 2 + max(qy, 0.0) ** 2) - r
    wall = max(abs(side - a) - r, abs(py) - b)  # a cup: a wall and a floor
    return min(wall, max(side - a, abs(py + b - r) - r))


@njit(cache=True, nogil=True)
def _nearest(parts, x, y, z):  # type: ignore[no-untyped-def]
    """Return how far a place is from the nearest part, and which that is."""
    least, which = 1e9, -1
    for number in range(parts.shape[0]):
        away = _away(parts[number], x, y, z)
        if away < least:
            least, which = away, number
    return least, which


@njit(cache=True, nogil=True)
def _slope(parts, x, y, z):  # type: ignore[no-untyped-def]
    e = 1e-3
    nx = _nearest(parts, x + e, y, z)[0] - _nearest(parts, x - e, y, z)[0]
    ny = _nearest(parts, x, y + e, z)[0] - _nearest(parts, x, y - e, z)[0]
    nz = _nearest(parts, x, y, z + e)[0] - _nearest(parts, x, y, z - e)[0]
    size = np.sqrt(nx * nx + ny * ny + nz * nz) + 1e-9
    return nx / size, ny / size, nz / size


@njit(cache=True, nogil=True)
def _lit(parts, x, y, z, light, hard):  # type: ignore[no-untyped-def]
    """Return the share of the key light that gets to a place, softer the lower `hard` is."""
    share, at = 1.0, 0.02
    for _ in range(40):
        away = _nearest(parts, x + at * light[0], y + at * light[1], z + at * light[2])[0]
        share = min(share, hard * away / at)
        if share < 0.01:
            return 0.0
        at += min(max(away, 0.02), 0.25)
        if at > 4.0:
            break
    share = min(1.0, max(0.0, share))
    return share * share * (3.0 - 2.0 * share)


@njit(cache=True, nogil=True)
def _open(parts, x, y, z, nx, ny, nz):  # type: ignore[no-untyped-def]
    """Return how open to the sky a place is, 0 to 1: less in corners and beside what stands on the ground."""
    hidden, weight = 0.0, 1.0
    for number in range(1, 6):
        far = 0.06 * number
        hidden += weight * max(
            0.0, far - _nearest(parts, x + far * nx, y + far * ny, z + far * nz)[0]
        )
        weight *= 0.75
    return min(1.0, max(0.0, 1.0 - 1.3 * hidden))


@njit(cache=True, nogil=True)
def _render_kernel(parts, side, samples, scale, rise, light, hard, sky, rgba, ground):  # type: ignore[no-untyped-def]
    """Fill colour, premultiplied, with its matte, and the ground's share of light; `rise` is cos and sin of the camera's."""
    forward = (0.0, -rise[1], rise[0])
    up = (0.0, rise[0], rise[1])
    flat = sky + (1.0 - sky) * max(0.0, light[1])  # what an open ground gets
    for row in range(side):
        for col in range(side):
            for sample in range(samples * samples):
                u = ((col + (sample % samples + 0.5) / samples) / side - 0.5) * scale
                v = (0.5 - (row + (sample // samples + 0.5) / samples) / side) * scale
                x, y, z = u, v * up[1] - 6.0 * forward[1], v * up[2] - 6.0 * forward[2]
                y += 0.25 * up[1]
                z += 0.25 * up[2]
                at, which = 0.0, -1
                to_ground = -y / forward[1]
                for _ in range(_STEPS):
                    away, near = _nearest(
                        parts, x + at * forward[0], y + at * forward[1], z + at * forward[2]
                    )
                    if away < _NEAR:
                        which = near
                        break
                    at += away
                    if at > min(to_ground, _FARTHEST):
                        break
                if which < 0:
                    gx, gz = x + to_ground * forward[0], z + to_ground * forward[2]
                    got = sky * _open(parts, gx, 0.0, gz, 0.0, 1.0, 0.0)
                    got += (1.0 - sky) * max(0.0, light[1]) * _lit(parts, gx, 0.0, gz, light, hard)
                    ground[row, col] += got / flat
                    continue
                x, y, z = x + at * forward[0], y + at * forward[1], z + at * forward[2]
                nx, ny, nz = _slope(parts, x, y, z)
                part = parts[which]
                if part[15] > 0.0 and ny > 0.5:  # relief on top
                    wave = np.sin(23.0 * (x - part[1])) * np.sin(
                        19.0 * (z - part[3]) + 2.0 * np.sin(7.0 * x)
                    )
                    nx += part[15] * wave
                    nz += part[15] * np.sin(17.0 * (x - part[1]) + 3.0 * wave)
                    size = np.sqrt(nx * nx + ny * ny + nz * nz)
                    nx, ny, nz = nx / size, ny / size, nz / size
                facing = max(0.0, nx * light[0] + ny * light[1] + nz * light[2])
                got = sky * _open(parts, x, y, z, nx, ny, nz) * (0.6 + 0.4 * ny)
                got += (
                    (1.0 - sky)
                    * facing
                    * _lit(parts, x + 0.01 * nx, y + 0.01 * ny, z + 0.01 * nz, light, hard)
                )
                along = 2.0 * (forward[0] * nx + forward[1] * ny + forward[2] * nz)
                rx, ry, rz = (
                    forward[0] - along * nx,
                    forward[1] - along * ny,
                    forward[2] - along * nz,
                )
                glint = max(0.0, rx * light[0] + ry * light[1] + rz * light[2]) ** 24
                mirror = 0.35 + 0.65 * min(
                    1.0, max(0.0, 0.5 + 0.9 * ry)
                )  # a bright sky, a darker floor
                for channel in range(3):
                    own = part[10 + channel]
                    matte = own * min(1.15, got / flat)
                    shown = (1.0 - part[14]) * matte + part[14] * own * mirror * (
                        0.55 + 0.45 * got / flat
                    )
                    rgba[row, col, channel] += min(255.0, shown + 255.0 * part[13] * glint)
                rgba[row, col, 3] += 1.0


def _part(random: np.random.Generator, kind: int, at: tuple[float, float, float], sizes: tuple[float, ...], look: NDArray[np.float64], turn: float | None = None, relief: float = 0.0) -> NDArray[np.float64]:  # fmt: skip
    way = random.uniform(0, 2 * np.pi) if turn is None else turn
    return np.array(
        [kind, *at, *(*sizes, 0.0, 0.0, 0.0, 0.0)[:4], np.cos(way), np.sin(way), *look, relief]
    )


def _look(random: np.random.Generator, ground: NDArray[np.floating]) -> NDArray[np.float64]:
    """Return colour, shine and metal: of any colour, grey, pale, or nearly the ground's own."""
    which = random.random()
    if which < 0.4:
        colour = random.uniform(25, 240, 3)
    elif which < 0.65:
        colour = np.full(3, random.uniform(40, 225)) + random.normal(0, 5, 3)
    else:
        colour = np.asarray(ground, np.float64) * random.uniform(0.72, 1.02) + random.normal(
            0, 4, 3
        )
    metal = random.uniform(0.5, 1.0) if random.random() < 0.25 else 0.0
    shine = random.choice((0.0, 0.15, 0.5, 0.9))
    return np.array([*np.clip(colour, 5, 252), shine, metal])


def _spots(random: np.random.Generator, most: int) -> list[tuple[float, float]]:
    count = int(random.integers(1, most + 1))
    if count == 1:
        return [(0.0, 0.0)]
    step = 2.2 / np.ceil(np.sqrt(count))
    places = [
        (x, z)
        for z in np.arange(-1.1 + step / 2, 1.1, step)
        for x in np.arange(-1.1 + step / 2, 1.1, step)
    ]
    return [places[n] for n in random.permutation(len(places))[:count]]


def _place_parts(
    random: np.random.Generator, shape: str, ground: NDArray[np.floating]
) -> NDArray[np.float64]:
    """Return the parts of a scene within 1.2 of the middle, (n, _COLUMNS)."""
    parts = []
    spots = _spots(random, int(random.choice((1, 1, 2, 4, 6))))
    big = 1.0 / np.ceil(np.sqrt(len(spots)))
    for x, z in spots:
        look, size = _look(random, ground), big * random.uniform(0.62, 0.85)
        if shape == "balls":
            flat = random.uniform(0.55, 1.2)
            sizes = size * np.array((random.uniform(0.7, 1), flat * 0.8, random.uniform(0.7, 1)))
            parts.append(_part(random, _BALL, (x, float(sizes[1]), z), tuple(sizes), look))
        elif shape == "boxes":
            half = size * random.uniform((0.35, 0.1, 0.35), (0.75, 0.6, 0.75))
            parts.append(
                _part(
                    random,
                    _BOX,
                    (x, float(half[1]), z),
                    (*half, float(min(half) * random.uniform(0.02, 0.8))),
                    look,
                )
            )
        elif shape == "rings":
            thick = size * random.uniform(0.06, 0.28)
            stands = random.random() < 0.3
            parts.append(
                _part(
                    random,
                    _RING,
                    (x, size * 0.7 + thick if stands else thick, z),
                    (size * 0.7, thick, float(stands)),
                    look,
                )
            )
        elif shape == "cups":
            tall, wide, wall = (
                size * random.uniform(0.4, 0.75),
                size * random.uniform(0.4, 0.6),
                size * 0.04,
            )
            turn = random.uniform(0, 2 * np.pi)
            parts.append(_part(random, _CUP, (x, tall, z), (wide, tall, 0.0, wall), look, 0.0))
            grip = (x + np.cos(turn) * wide, tall, z + np.sin(turn) * wide)
            parts.append(
                _part(
                    random,
                    _RING,
                    grip,
                    (tall * 0.55, wall * random.uniform(1.2, 2.6), 1.0),
                    look,
                    -turn,
                )
            )
        elif shape == "papers":
            half = size * random.uniform((0.35, 0.004, 0.4), (0.6, 0.02, 0.8))
            turn = random.uniform(0, 2 * np.pi)
            parts.append(
                _part(
                    random,
                    _BOX,
                    (x, float(half[1]) + random.uniform(0, 0.05), z),
                    (*half, 0.002),
                    look,
                    turn,
                )
            )
            lean = (x + np.cos(turn) * half[0], float(half[0] * 0.4), z + np.sin(turn) * half[0])
            parts.append(
                _part(
                    random,
                    _BOX,
                    lean,
                    (0.012, float(half[0] * 0.4), float(half[2]), 0.002),
                    look,
                    turn,
                )
            )
        else:
            thick = size * random.uniform(0.03, 0.12)
            parts.append(
                _part(
                    random,
                    _DISC,
                    (x, thick, z),
                    (size * 0.75, thick, 0.0, thick * 0.4),
                    look,
                    0.0,
                    random.uniform(0, 0.5),
                )
            )
            parts.append(
                _part(random, _RING, (x, 2 * thick, z), (size * 0.68, size * 0.03, 0.0), look, 0.0)
            )
    return np.array(parts)


def render_thing(
    random: np.random.Generator, shape: str, side: int, ground: NDArray[np.floating]
) -> Rendered:
    """Render things of one of `SHAPES`, some of them of nearly the colour `ground`, a triple of 0 to 255."""
    parts = _place_parts(random, shape, ground)
    rise = np.deg2rad(random.uniform(38, 88))
    high, way = np.deg2rad(random.uniform(35, 75)), random.uniform(0, 2 * np.pi)
    light = (np.cos(high) * np.cos(way), np.sin(high), np.cos(high) * np.sin(way))
    rgba, shade = np.zeros((side, side, 4)), np.zeros((side, side))
    _render_kernel(
        parts, side, _SAMPLES, random.uniform(2.3, 3.0), (np.cos(rise), np.sin(rise)), light,
        random.choice((2.5, 5.0, 12.0, 30.0)), random.uniform(0.35, 0.75), rgba, shade,
    )  # fmt: skip
    seen = rgba[..., 3:]
    colour = np.clip(rgba[..., :3] / np.maximum(seen, 1e-6), 0, 255)
    under = _SAMPLES**2 - seen[..., 0]
    light_left = np.where(under > 0, shade / np.maximum(under, 1e-6), 1.0)
    return Rendered(
        np.dstack([colour, 255 * seen / _SAMPLES**2]).astype(np.float32),
        light_left.astype(np.float32),
    )
