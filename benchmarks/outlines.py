"""How near traced outlines come to the drawings that they were traced from: filled icons, drawn at two sizes and as JPEG."""

import io
import math
import random
import re
from dataclasses import dataclass
from pathlib import Path
from xml.etree import ElementTree

import numpy as np
import resvg_py
from numpy.typing import NDArray
from PIL import Image
from svgelements import Line, Move
from svgelements import Path as SvgPath

ROOT = Path(__file__).parents[1]
FAMILIES = {
    "tabler": "@tabler/icons/icons/filled/*.svg",
    "mdi": "@mdi/svg/svg/*.svg",
    "remix": "remixicon/icons/*/*-fill.svg",
}
CORNER_DEG = 30.0
_VIEW = 24.0


@dataclass(frozen=True, slots=True)
class Drawing:
    """A filled drawing: its paths' data in a square of 24, how many lines and curves it takes, and its corners."""

    name: str
    data: str
    pieces: int
    corners: NDArray[np.float64]


def render(data: str, size: int) -> NDArray[np.uint8]:
    """Return how solid a drawing is, (size, size) uint8."""
    svg = f'<svg xmlns="http://www.w3.org/2000/svg" width="{size}" height="{size}" viewBox="0 0 {_VIEW:g} {_VIEW:g}"><path d="{data}"/></svg>'
    png = bytes(resvg_py.svg_to_bytes(svg_string=svg))
    return np.ascontiguousarray(np.asarray(Image.open(io.BytesIO(png)).convert("RGBA"))[..., 3])


def _tangent(piece: object, t: float) -> complex:
    near = complex(piece.point(min(1.0, t + 1e-3)))  # type: ignore[attr-defined]
    return near - complex(piece.point(max(0.0, t - 1e-3)))  # type: ignore[attr-defined]


def list_pieces(path: SvgPath) -> list[list[object]]:
    """Return each ring's lines and curves that are any length, with what closes it."""
    rings = []
    for ring in path.as_subpaths():
        pieces = [p for p in SvgPath(ring) if not isinstance(p, Move)]
        start, end = pieces[0].start, pieces[-1].end
        if abs(complex(start) - complex(end)) > 1e-3:
            pieces.append(Line(end, start))
        rings.append([p for p in pieces if p.length(error=1e-3) > 1e-2])
    return rings


def list_corners(path: SvgPath) -> list[complex]:
    """Return where a path's pieces meet at an angle."""
    found = []
    for pieces in list_pieces(path):
        for one, other in zip(pieces, pieces[1:] + pieces[:1], strict=True):
            a, b = _tangent(one, 1.0), _tangent(other, 0.0)
            if a and b and abs(math.degrees(np.angle(b / a))) >= CORNER_DEG:
                found.append(complex(other.start))  # type: ignore[attr-defined]
    return found


def _rings_cross(path: SvgPath) -> bool:
    import shapely

    lines = []
    for ring in path.as_subpaths():
        r = SvgPath(ring)
        pts = [
            complex(p.point(t)) for p in r if not isinstance(p, Move) for t in np.linspace(0, 1, 9)
        ]
        if len(pts) > 2:
            lines.append(shapely.LinearRing([(z.real, z.imag) for z in pts]))
    return any(a.intersects(b) for k, a in enumerate(lines) for b in lines[k + 1 :]) or any(
        not a.is_simple for a in lines
    )


def load_drawing(file: Path) -> Drawing | None:
    """Return a drawing, or None where its rings cross and so its own pieces are not those of its outline."""
    tree = ElementTree.parse(file)
    datas = [
        e.get("d", "")
        for e in tree.iter()
        if e.tag.endswith("path") and e.get("fill") != "none" and e.get("d")
    ]
    if any(e.tag.rsplit("}")[-1] in ("circle", "rect", "ellipse", "polygon") for e in tree.iter()):
        return None
    data = " ".join(datas)
    path = SvgPath(re.sub(r"\s+", " ", data))
    if not len(path) or _rings_cross(path):
        return None
    corners = np.array([(z.real, z.imag) for z in list_corners(path)]).reshape(-1, 2)
    return Drawing(file.stem, data, sum(map(len, list_pieces(path))), corners)


def load_drawings(modules: Path, family: str, count: int, seed: int = 5) -> list[Drawing]:
    """Return drawings of a family, chosen by chance."""
    files = sorted(modules.glob(FAMILIES[family]))
    random.Random(seed).shuffle(files)
    found: list[Drawing] = []
    for file in files:
        drawing = load_drawing(file)
        if drawing is not None:
            found.append(drawing)
        if len(found) == count:
            break
    return found
