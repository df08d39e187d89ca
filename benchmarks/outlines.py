"""How near traced outlines come to the drawings that they were traced from: filled icons, drawn at two sizes and as JPEG."""

import argparse
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

from tidymargin.core.base.picture import Picture
from tidymargin.core.outlines.contours import find_contours
from tidymargin.core.outlines.figures import trace_cut
from tidymargin.core.outlines.plan import OutlinePlan
from tidymargin.formats.recipe import Recipe
from tidymargin.formats.vector_svg import to_path_data
from tidymargin.services.picture.keying import cut_by

ROOT = Path(__file__).parents[1]
FAMILIES = {
    "tabler": "@tabler/icons/icons/filled/*.svg",
    "mdi": "@mdi/svg/svg/*.svg",
    "remix": "remixicon/icons/*/*-fill.svg",
}
CORNER_DEG = 30.0
_VIEW = 24.0
COUNT = 20
"""Drawings of each family."""


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


def _place(point: object) -> complex:
    return complex(float(point.x), float(point.y))  # type: ignore[attr-defined]


def _tangent(piece: object, t: float) -> complex:
    near = _place(piece.point(min(1.0, t + 1e-3)))  # type: ignore[attr-defined]
    return near - _place(piece.point(max(0.0, t - 1e-3)))  # type: ignore[attr-defined]


def list_pieces(path: SvgPath) -> list[list[object]]:
    """Return each ring's lines and curves that are any length, with what closes it."""
    rings = []
    for ring in path.as_subpaths():
        pieces = [p for p in SvgPath(ring) if not isinstance(p, Move)]
        start, end = pieces[0].start, pieces[-1].end
        if abs(_place(start) - _place(end)) > 1e-3:
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
                found.append(_place(other.start))  # type: ignore[attr-defined]
    return found


def _rings_cross(path: SvgPath) -> bool:
    import shapely

    lines = []
    for ring in path.as_subpaths():
        r = SvgPath(ring)
        pts = [
            _place(p.point(t)) for p in r if not isinstance(p, Move) for t in np.linspace(0, 1, 9)
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


@dataclass(frozen=True, slots=True)
class Score:
    """How one drawing came out.

    Parameters
    ----------
    mean_px : float
        Between its edge and the traced one, along the edge.
    times : float
        Lines and curves, by the drawing's own.
    corners, found, false : int
        The drawing's, those found within 1 px, and those that are none within 1.5 px.
    """

    mean_px: float
    times: float
    corners: int
    found: int
    false: int


def _to_picture(data: str, size: int, *, as_jpeg: bool) -> Picture:
    solid = render(data, size)
    grey = Image.fromarray(255 - solid)
    if as_jpeg:
        out = io.BytesIO()
        grey.save(out, "JPEG", quality=80)
        grey = Image.open(out)
    return Picture(np.ascontiguousarray(np.asarray(grey.convert("RGB"))))


def score(drawing: Drawing, size: int, *, as_jpeg: bool, way: str = "ours") -> Score:
    """Draw a drawing black on white, key and trace it, and lay it over the drawing itself at four times the size.

    `way` may be ``polyline``, the contour simplified to half a px (D. H. Douglas and T. K. Peucker, 1973), or ``dense``, all of it.
    """
    cut = cut_by(Recipe(), _to_picture(drawing.data, size, as_jpeg=as_jpeg)).render_whole()
    scale = size / _VIEW
    if way == "ours":
        paths = trace_cut(cut, OutlinePlan()).paths
        data = " ".join(to_path_data(path, 1 / scale * _FINE) for path in paths)
        count = sum(len(path.pieces) for path in paths)
        tips = np.array([p.list_starts()[k] for p in paths for k in p.corners]).reshape(-1, 2)
    else:
        import shapely

        rings = find_contours(np.ascontiguousarray(cut[..., 3]))
        if way == "polyline":
            rings = [np.asarray(shapely.LinearRing(r).simplify(0.5).coords)[:-1] for r in rings if len(r) > 3]  # fmt: skip
        data = " ".join("M" + "L".join(f"{x / scale * _FINE:.4f} {y / scale * _FINE:.4f}" for x, y in r) + "Z" for r in rings)  # fmt: skip
        count, tips = sum(map(len, rings)), np.zeros((0, 2))
    large = 4 * size
    off = np.abs(_draw_large(drawing.data, large, "nonzero", 1.0) - _draw_large(data, large, "evenodd", _FINE))  # fmt: skip
    edge = sum(p.length(error=1e-3) for ring in list_pieces(SvgPath(drawing.data)) for p in ring)  # type: ignore[attr-defined]
    mean = float(off.sum()) / 255 / (edge * large / _VIEW) / 4
    true = drawing.corners * scale
    gaps = np.hypot(*(tips[:, None] - true[None]).transpose(2, 0, 1))
    found = int((gaps.min(axis=0) < 1.0).sum()) if gaps.size else 0
    false = int((gaps.min(axis=1) > 1.5).sum()) if gaps.size else len(tips)
    return Score(mean, count / max(drawing.pieces, 1), len(true), found, false)


_FINE = 100.0  # so that a thousandth of a unit is no loss


def _draw_large(data: str, size: int, rule: str, units: float) -> NDArray[np.float64]:
    view = _VIEW * units
    svg = f'<svg xmlns="http://www.w3.org/2000/svg" width="{size}" height="{size}" viewBox="0 0 {view:g} {view:g}"><path fill-rule="{rule}" d="{data}"/></svg>'
    with Image.open(io.BytesIO(bytes(resvg_py.svg_to_bytes(svg_string=svg)))) as image:
        return np.asarray(image.convert("RGBA"))[..., 3].astype(np.float64)


def score_silhouette(folder: Path) -> tuple[float, float]:
    """Return how far, 0 to 1, the outlines' matte is from the true one on the mean, and what the true contour drawn gives."""
    with Image.open(folder / "true.png") as image:
        true = np.ascontiguousarray(np.asarray(image.convert("RGBA")))
    matte = true[..., 3]
    outlines = trace_cut(true, OutlinePlan())
    height, width = matte.shape

    def draw(data: str) -> float:
        svg = f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height}"><path fill-rule="evenodd" d="{data}"/></svg>'
        with Image.open(io.BytesIO(bytes(resvg_py.svg_to_bytes(svg_string=svg)))) as image:
            drawn = np.asarray(image.convert("RGBA"))[..., 3].astype(np.float64)
        return float(np.abs(drawn - matte).mean()) / 255

    dense = "".join("M" + "L".join(f"{x:.3f} {y:.3f}" for x, y in ring) + "Z" for ring in find_contours(matte))  # fmt: skip
    return draw("".join(map(to_path_data, outlines.paths))), draw(dense)


def print_outlines(modules: Path, truth: Path | None, count: int) -> None:
    """Print how near outlines come to drawings of each family, and to true cuts."""
    for family in FAMILIES:
        drawings = load_drawings(modules, family, count)
        if not drawings:
            print(f"{family}: its drawings are not there; npm ci brings them")
            continue
        for size, as_jpeg in ((300, False), (120, False), (300, True), (120, True)):
            for way in ("ours", "polyline", "dense"):
                scores = [score(d, size, as_jpeg=as_jpeg, way=way) for d in drawings]
                means, times = [s.mean_px for s in scores], [s.times for s in scores]
                corners, found = sum(s.corners for s in scores), sum(s.found for s in scores)
                false = sum(s.false for s in scores)
                said = f"; corners {found} of {corners}, {false} false" if way == "ours" else ""
                print(
                    f"{family:8} {size} px {'JPEG' if as_jpeg else 'PNG ':4} {way:8} mean {np.mean(means):.3f} px, worst {max(means):.3f}; "
                    f"pieces {np.median(times):.2f} times, at most {max(times):.2f}{said}",
                    flush=True,
                )
    for folder in sorted(truth.iterdir()) if truth is not None else []:
        if (folder / "true.png").exists():
            ours, dense = score_silhouette(folder)
            limit = 1.25 * dense + 0.3 / 255
            print(f"{folder.name:32} {255 * ours:.3f} of 255, true contour {255 * dense:.3f}{'' if ours <= limit else '  OVER'}", flush=True)  # fmt: skip


def main() -> None:
    """Run from the command line."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--modules", type=Path, default=ROOT / "node_modules")
    parser.add_argument("--truth", type=Path)
    parser.add_argument("--count", type=int, default=COUNT)
    said = parser.parse_args()
    print_outlines(said.modules, said.truth, said.count)


if __name__ == "__main__":
    main()
