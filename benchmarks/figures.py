"""The benchmark's own figures: other shapes and seeds than the demo's and the tests'."""

from collections.abc import Callable

import numpy as np

from tidymargin.demo.drawing import Drawing, Points

Random = np.random.Generator
SCALE = 8

_DARK = ("#14213D", "#6A040F", "#1B4332", "#3C096C", "#7F4F24", "#0B4F6C")
_MIDDLE = ("#C1121F", "#E07A00", "#386FA4", "#7B2CBF", "#588157", "#B5179E")
_PASTEL = ("#F6BD60", "#F7A9A8", "#A9C5F5", "#CDB4DB", "#BFD8A0", "#FFD6A5")


def _colours(drawing: Drawing, random: Random) -> tuple[int, int, int, int]:
    """Return labels of a dark, a middle and a pastel colour and of white."""
    return (
        drawing.colour(str(random.choice(_DARK))),
        drawing.colour(str(random.choice(_MIDDLE))),
        drawing.colour(str(random.choice(_PASTEL))),
        drawing.colour("#FFFFFF"),
    )


def _around(count: int, radius: float, x: float, y: float, turn: float = 0.0) -> Points:
    angles = turn + np.arange(count) * 2 * np.pi / count
    return [(x + radius * np.cos(t), y + radius * np.sin(t)) for t in angles]


def fan(d: Drawing, random: Random) -> None:
    """Draw straight strokes of 1.5 to 6 px at all angles."""
    dark, middle, *_ = _colours(d, random)
    size = d.width
    for number, (x, y) in enumerate(
        _around(18, size * 0.42, size / 2, size / 2, random.uniform(0, 1))
    ):
        width = (1.5, 2.0, 2.5, 3.0, 4.0, 6.0)[number % 6]
        near = (size / 2 + (x - size / 2) * 0.25, size / 2 + (y - size / 2) * 0.25)
        d.stroke([near, (x, y)], width, dark if number % 2 else middle)


def badge(d: Drawing, random: Random) -> None:
    """Draw a disc with a pastel rim and a white inside with a dark star."""
    dark, middle, pastel, white = _colours(d, random)
    c, r = d.width / 2, d.width * 0.38
    d.ellipse(c, c, r, pastel)
    d.ellipse(c, c, r - 3, middle)
    d.ellipse(c, c, r * 0.8, white)
    outer, inner = _around(7, r * 0.6, c, c), _around(7, r * 0.3, c, c, np.pi / 7)
    d.polygon([p for pair in zip(outer, inner, strict=True) for p in pair], dark)


def ring(d: Drawing, random: Random) -> None:
    """Draw rings one in another, see-through between them."""
    dark, middle, pastel, _ = _colours(d, random)
    c = d.width / 2 + random.uniform(0, 1)
    d.ring(c, c, d.width * 0.40, d.width * 0.05, dark)
    d.ring(c, c, d.width * 0.30, 3.0, middle)
    d.ring(c, c, d.width * 0.18, d.width * 0.08, pastel)


def star(d: Drawing, random: Random) -> None:
    """Draw a star with needle points and a pastel outline."""
    dark, _, pastel, white = _colours(d, random)
    c, turn = d.width / 2, random.uniform(0, 1)
    for radius, label in ((0.46, pastel), (0.44, dark), (0.20, white)):
        outer = _around(9, radius * d.width, c, c, turn)
        inner = _around(9, radius * d.width * 0.5, c, c, turn + np.pi / 9)
        d.polygon([p for pair in zip(outer, inner, strict=True) for p in pair], label)


def card(d: Drawing, random: Random) -> None:
    """Draw a sharp-cornered card laid over a round one, white inside, with ruled lines."""
    dark, middle, pastel, white = _colours(d, random)
    s = d.width
    d.rounded(s * 0.10, s * 0.15, s * 0.70, s * 0.65, s * 0.06, dark)
    d.rounded(s * 0.115, s * 0.165, s * 0.685, s * 0.635, s * 0.05, white)
    d.rounded(s * 0.35 + 0.3, s * 0.40 + 0.6, s * 0.90, s * 0.85, 0, middle)
    d.rounded(s * 0.37, s * 0.42, s * 0.88, s * 0.83, 0, white)
    for row in range(5):
        d.stroke([(s * 0.42, s * (0.5 + row * 0.06)), (s * 0.8, s * (0.5 + row * 0.06))], 2, pastel)


def words(d: Drawing, random: Random) -> None:
    """Draw capitals with see-through counters, in two weights."""
    dark, middle, *_ = _colours(d, random)
    s = d.width
    d.text("BARQUE", s * 0.08, s * 0.42, s * 0.15, s * 0.022, dark)
    d.text("POD 84", s * 0.08, s * 0.78, s * 0.15, max(1.8, s * 0.006), middle)


def pebble(d: Drawing, random: Random) -> None:
    """Draw a smooth organic outline with coloured patches up to the rim."""
    dark, middle, pastel, white = _colours(d, random)
    c = d.width / 2
    angles = np.linspace(0, 2 * np.pi, 400, endpoint=False)
    waves = sum(
        random.uniform(0.02, 0.05) * np.cos(k * angles + random.uniform(0, 6)) for k in range(2, 7)
    )
    radius = d.width * (0.33 + np.asarray(waves))
    outline = [(c + r * np.cos(t), c + r * np.sin(t)) for r, t in zip(radius, angles, strict=True)]
    d.polygon(outline, dark)
    for start, label in ((0, middle), (130, pastel), (260, dark)):
        d.polygon([(c, c), *outline[start : start + 131]], label)
    d.ellipse(c, c, d.width * 0.12, white)


def pie(d: Drawing, random: Random) -> None:
    """Draw wedges of eight colours."""
    c, r, start = d.width / 2, d.width * 0.4, random.uniform(0, 6)
    for number, code in enumerate((*_DARK[:3], *_MIDDLE[:3], *_PASTEL[:2])):
        angles = start + np.linspace(number * np.pi / 4, (number + 1) * np.pi / 4, 60)
        d.polygon(
            [(c, c), *((c + r * np.cos(t), c + r * np.sin(t)) for t in angles)], d.colour(code)
        )


def gear(d: Drawing, random: Random) -> None:
    """Draw square teeth and a see-through hub."""
    dark, middle, *_ = _colours(d, random)
    c, turn = d.width / 2, random.uniform(0, 1)
    for t in turn + np.arange(14) * np.pi / 7:
        along, across = np.array([np.cos(t), np.sin(t)]), np.array([-np.sin(t), np.cos(t)])
        corners = [
            c + along * d.width * reach + across * d.width * side
            for reach, side in ((0.3, -0.04), (0.44, -0.03), (0.44, 0.03), (0.3, 0.04))
        ]
        d.polygon([(float(p[0]), float(p[1])) for p in corners], dark)
    d.ellipse(c, c, d.width * 0.36, dark)
    d.ellipse(c, c, d.width * 0.26, middle)
    d.ellipse(c, c, d.width * 0.13, 0)


def leaf(d: Drawing, random: Random) -> None:
    """Draw a pointed leaf with a stem of 1.5 px and veins."""
    dark, middle, pastel, _ = _colours(d, random)
    s, bend = d.width, random.uniform(0.2, 0.3)
    t = np.linspace(0, 1, 120)
    x = s * (0.15 + 0.7 * t)
    for width, label in ((bend, middle), (bend - 0.02, pastel)):
        half = s * width * np.sin(np.pi * t) ** 1.3
        upper = list(zip(x, s * 0.5 - half, strict=True))
        lower = list(zip(x, s * 0.5 + half, strict=True))
        d.polygon([(float(a), float(b)) for a, b in upper + lower[::-1]], label)
    d.stroke([(s * 0.02, s * 0.58), (s * 0.15, s * 0.5), (s * 0.85, s * 0.5)], 1.5, dark)
    for share in (0.3, 0.5, 0.7):
        for side in (-1, 1):
            d.stroke(
                [(s * share, s * 0.5), (s * (share + 0.1), s * (0.5 + side * bend * 0.5))],
                1.5,
                dark,
            )


def net(d: Drawing, random: Random) -> None:
    """Draw crossing lines of 1.5 to 3 px around see-through meshes."""
    dark, middle, *_ = _colours(d, random)
    s, slant = d.width, random.uniform(0.02, 0.12)
    for number in range(5):
        at = s * (0.15 + 0.175 * number)
        d.stroke([(at, s * 0.1), (at + s * slant, s * 0.9)], 1.5 + 0.4 * number, dark)
        d.stroke([(s * 0.08, at), (s * 0.94, at + s * slant * 0.3)], 1.5 + 0.4 * number, middle)


def spiral(d: Drawing, random: Random) -> None:
    """Draw one line of 2.5 px that turns through every angle."""
    dark, *_ = _colours(d, random)
    t = np.linspace(1.5, 7 * np.pi, 500)
    r = d.width * 0.02 * t
    turn, c = random.uniform(0, 6), d.width / 2
    d.stroke(
        [(float(c + a * np.cos(b + turn)), float(c + a * np.sin(b + turn))) for a, b in zip(r, t, strict=True)],
        2.5,
        dark,
    )  # fmt: skip


def face(d: Drawing, random: Random) -> None:
    """Draw a pastel face with white eyes and no outline."""
    dark, middle, pastel, white = _colours(d, random)
    s = d.width
    d.ellipse(s / 2, s / 2, s * 0.4, pastel)
    for x in (0.36, 0.64):
        d.ellipse(s * x, s * 0.42, s * 0.09, white, s * 0.12)
        d.ellipse(s * x, s * 0.44, s * 0.035, dark)
    d.stroke([(s * 0.36, s * 0.66), (s * 0.5, s * 0.72), (s * 0.64, s * 0.66)], 4, middle)


def seeds(d: Drawing, random: Random) -> None:
    """Draw discs from 3 px across upwards, apart from one another."""
    labels = _colours(d, random)[:3]
    for row in range(6):
        for col in range(6):
            d.ellipse(
                d.width * (0.12 + 0.15 * col) + random.uniform(-2, 2),
                d.width * (0.12 + 0.15 * row) + random.uniform(-2, 2),
                1.5 + (row * 6 + col) * d.width * 0.0014,
                labels[(row + col) % 3],
            )


FIGURES: tuple[Callable[[Drawing, Random], None], ...] = (
    fan, badge, ring, star, card, words, pebble, pie, gear, leaf, net, spiral, face, seeds,
)  # fmt: skip
