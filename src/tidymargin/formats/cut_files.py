"""Reading the lines of a cutting file back, by other readers than the writers: SVG and DXF, in mm."""

import io
import math

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.errors import BadImageError
from tidymargin.core.base.limits import MM_PER_INCH

_APART_MM = 0.01
_PX_MM = MM_PER_INCH / 96  # of CSS
_DXF_UNITS_MM = {0: 1.0, 1: 25.4, 2: 304.8, 4: 1.0, 5: 10.0, 6: 1000.0}

Lines = list[NDArray[np.float64]]


def read_cut_file(data: bytes, name: str) -> Lines:
    """Return a file's lines, mm, y downwards from the upper left.

    Raises
    ------
    BadImageError
        It is neither SVG nor DXF, or holds no line.
    """
    from ezdxf.lldxf.const import DXFError  # takes a while, and is seldom needed

    is_svg = b"<svg" in data[:4096]
    try:
        found = read_svg(data) if is_svg else _turn_up(read_dxf(data))
    except (
        DXFError,
        ValueError,
        TypeError,
        KeyError,
        IndexError,
        AttributeError,
        SyntaxError,
        OSError,
    ) as error:
        raise BadImageError(
            f"{name} cannot be read as an SVG or DXF file of lines.",
            hint="Write the cutting line again.",
        ) from error
    found = [line for line in found if len(line) > 1 and np.isfinite(line).all()]
    if not found:
        raise BadImageError(f"{name} holds no lines to cut along.")
    return found


def read_svg(data: bytes) -> Lines:
    """Return an SVG file's lines, mm."""
    from svgelements import SVG, Move, Shape
    from svgelements import Path as SvgPath

    # sizes in px of CSS, 96 to the inch, whatever its own units are
    parsed = SVG.parse(io.BytesIO(data), reify=True, ppi=96.0)
    found: Lines = []
    for element in parsed.elements():
        if not isinstance(element, Shape) or str(element.values.get("visibility")) == "hidden":
            continue
        for ring in SvgPath(element).as_subpaths():
            places: list[tuple[float, float]] = []
            for piece in SvgPath(ring):
                if isinstance(piece, Move):
                    places.append((float(piece.end.x), float(piece.end.y)))
                    continue
                length = piece.length(error=1e-3) * _PX_MM
                straight = (
                    math.dist((piece.start.x, piece.start.y), (piece.end.x, piece.end.y)) * _PX_MM
                )
                is_line = abs(length - straight) < 1e-6
                count = 1 if is_line else max(8, math.ceil(length / _APART_MM / 10))
                points = [piece.point(k / count) for k in range(1, count + 1)]
                places += [(float(p.x), float(p.y)) for p in points]
            if len(places) > 1:
                found.append(np.array(places) * _PX_MM)
    return found


def read_dxf(data: bytes) -> Lines:
    """Return a DXF file's lines, mm, y upwards as it has them."""
    return _join([line for lines in read_dxf_layers(data).values() for line in lines])


def read_dxf_layers(data: bytes) -> dict[str, Lines]:
    """Return a DXF file's lines by the name of their layer, mm, y upwards as it has them."""
    from ezdxf import path as dxf_path
    from ezdxf import recover

    document, _ = recover.read(io.BytesIO(data))
    mm = _DXF_UNITS_MM.get(int(document.header.get("$INSUNITS", 4)), 1.0)
    found: dict[str, Lines] = {}
    kinds = "LWPOLYLINE POLYLINE LINE ARC CIRCLE ELLIPSE SPLINE"
    for entity in document.modelspace().query(kinds):
        made = dxf_path.make_path(entity)
        places = np.array([(v.x, v.y) for v in made.flattening(_APART_MM / mm, segments=16)])
        if len(places) > 1:
            found.setdefault(str(entity.dxf.layer), []).append(places * mm)
    return found


def _turn_up(lines: Lines) -> Lines:
    """Return lines with y downwards, from the highest of all."""
    top = max((float(line[:, 1].max()) for line in lines), default=0.0)
    return [np.column_stack([line[:, 0], top - line[:, 1]]) for line in lines]


def _join(lines: Lines) -> Lines:
    """Return lines with those joined that go on where another ends."""
    closed = [line for line in lines if np.hypot(*(line[0] - line[-1])) < _APART_MM]
    left = [line for line in lines if np.hypot(*(line[0] - line[-1])) >= _APART_MM]
    while left:
        line = left.pop()
        grown = True
        while grown and np.hypot(*(line[0] - line[-1])) >= _APART_MM:
            grown = False
            for k, other in enumerate(left):
                for turned in (other, other[::-1]):
                    if np.hypot(*(turned[0] - line[-1])) < _APART_MM:
                        line, grown = np.vstack([line, turned[1:]]), True
                        break
                if grown:
                    left.pop(k)
                    break
        closed.append(line)
    return closed
