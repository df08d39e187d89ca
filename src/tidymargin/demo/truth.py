"""Pictures with their true cuts, in memory and as truth folders."""

import json
from dataclasses import dataclass, field
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.errors import BadImageError


@dataclass(frozen=True, slots=True, eq=False)
class TrueCase:
    """A made picture and what its perfect cut is.

    Parameters
    ----------
    name : str
        Also the folder's name.
    encoded : bytes
        The picture file.
    suffix : str
        ``png`` or ``jpg``.
    true_rgba : (H, W, 4) ndarray of uint8
        Straight RGBA.
    ground, nature : str
        As in the recipe.
    picks : list of (x, y)
        One place in each see-through pocket.
    """

    name: str
    encoded: bytes
    suffix: str
    true_rgba: NDArray[np.uint8]
    ground: str = "flat"
    nature: str = "opaque"
    picks: list[tuple[int, int]] = field(default_factory=list)


def find_pocket_picks(alpha: NDArray[np.uint8], least_px: int = 6) -> list[tuple[int, int]]:
    """Return the x, y of the deepest point of every see-through area that the figure closes in."""
    clear = (alpha == 0).astype(np.uint8)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(clear, connectivity=4)
    depth = cv2.distanceTransform(np.pad(clear, 1), cv2.DIST_L2, 5)[1:-1, 1:-1]
    height, width = alpha.shape
    picks = []
    for piece in range(1, count):
        left, top, wide, tall, area = (int(v) for v in stats[piece])
        if left == 0 or top == 0 or left + wide == width or top + tall == height or area < least_px:
            continue
        box = (slice(top, top + tall), slice(left, left + wide))
        inside = np.where(labels[box] == piece, depth[box], 0)
        row, col = np.unravel_index(int(inside.argmax()), inside.shape)
        picks.append((left + int(col), top + int(row)))
    return picks


def write_case(case: TrueCase, folder: Path) -> None:
    """Write a truth folder: picture, true.png and case.json."""
    place = folder / case.name
    place.mkdir(parents=True, exist_ok=True)
    (place / f"picture.{case.suffix}").write_bytes(case.encoded)
    bgra = cv2.cvtColor(case.true_rgba, cv2.COLOR_RGBA2BGRA)
    (place / "true.png").write_bytes(cv2.imencode(".png", bgra)[1].tobytes())
    facts = {"ground": case.ground, "nature": case.nature, "picks": [list(p) for p in case.picks]}
    (place / "case.json").write_text(json.dumps(facts, indent=1) + "\n")


def read_case(place: Path) -> TrueCase:
    """Read a truth folder back; the inverse of `write_case`.

    Raises
    ------
    FileNotFoundError
        It has no picture, true.png or case.json.
    """
    facts = json.loads((place / "case.json").read_text())
    found = next((p for p in sorted(place.iterdir()) if p.stem == "picture"), place / "picture.png")
    true = cv2.imdecode(np.fromfile(place / "true.png", np.uint8), cv2.IMREAD_UNCHANGED)
    if true is None or true.ndim != 3 or true.shape[2] != 4:
        raise BadImageError(f"Expected an RGBA PNG at {place / 'true.png'}.")
    return TrueCase(
        place.name,
        found.read_bytes(),
        found.suffix[1:],
        np.asarray(cv2.cvtColor(true, cv2.COLOR_BGRA2RGBA), np.uint8),
        facts["ground"],
        facts["nature"],
        [(int(x), int(y)) for x, y in facts["picks"]],
    )


def encode_picture(rgb: NDArray[np.uint8], suffix: str, quality: int = 85) -> bytes:
    """Encode a picture as PNG, or as JPEG with halved chroma."""
    bgr = cv2.cvtColor(rgb, cv2.COLOR_RGB2BGR)
    options = [cv2.IMWRITE_JPEG_QUALITY, quality] if suffix == "jpg" else []
    return cv2.imencode(f".{suffix}", bgr, options)[1].tobytes()
