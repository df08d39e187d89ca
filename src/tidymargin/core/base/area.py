"""The work area: four corners in the picture that become an upright rectangle of their own."""

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.errors import BadImageError, BadParameterError
from tidymargin.core.base.limits import MAX_PIXELS
from tidymargin.core.base.picture import Picture

Corner = tuple[float, float]
"""x, y at pixel edges: the picture's own corners are (0, 0) and (width, height)."""
Corners = tuple[Corner, Corner, Corner, Corner]

SHORTEST_SIDE_PX = 8  # under which a work area is a slip of the hand; typed
_LONGEST_WARPED_PX = 32_000  # the warp counts in 16 bits
_MOST_KEPT = 4096  # of areas whose figures are remembered, since every request asks for them
_FLAT = 1e-4  # how nearly parallel sides are taken for parallel
# of the diagonal, squared: lenses from 17 mm to 430 mm of 35 mm film; typed
_LEAST_FOCAL, _MOST_FOCAL = 0.15, 100


def _homography(source: NDArray[np.float64], target: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the (3, 3) matrix that takes four points to four others."""
    rows = []
    for (x, y), (u, v) in zip(source, target, strict=True):
        rows.append([x, y, 1, 0, 0, 0, -u * x, -u * y])
        rows.append([0, 0, 0, x, y, 1, -v * x, -v * y])
    found = np.linalg.solve(np.array(rows), target.ravel())
    return np.append(found, 1).reshape(3, 3)


def _apply(matrix: NDArray[np.float64], x: float, y: float) -> Corner:
    u, v, w = matrix @ (x, y, 1.0)
    return float(u / w), float(v / w)


def _measure_proportion(corners: NDArray[np.float64], middle: NDArray[np.float64]) -> float | None:
    """Return width over height of the rectangle whose photograph has these corners.

    For square pixels and a lens that looks through the picture's middle [1]_; None where the corners
    are a parallelogram's or fit no lens, so that the lengths of the sides say all that is known.

    .. [1] Z. Zhang and L.-W. He, "Whiteboard scanning and image enhancement", Digital Signal
       Processing 17 (2007), section 3.
    """
    m1, m2, m4, m3 = (np.append(corner - middle, 1.0) for corner in corners)
    k2 = np.dot(np.cross(m1, m4), m3) / np.dot(np.cross(m2, m4), m3)
    k3 = np.dot(np.cross(m1, m4), m2) / np.dot(np.cross(m3, m4), m2)
    n2, n3 = k2 * m2 - m1, k3 * m3 - m1
    if abs(n2[2]) < _FLAT or abs(n3[2]) < _FLAT:
        return None
    focal_squared = -(n2[0] * n3[0] + n2[1] * n3[1]) / (n2[2] * n3[2])
    diagonal_squared = 4 * float(middle @ middle)
    if not _LEAST_FOCAL < focal_squared / diagonal_squared < _MOST_FOCAL:
        return None
    lens = np.array([1 / focal_squared, 1 / focal_squared, 1.0])
    return float(np.sqrt((n2**2 @ lens) / (n3**2 @ lens)))


@dataclass(frozen=True, slots=True)
class Area:
    """A work area in a picture.

    Parameters
    ----------
    corners : tuple of 4 (x, y)
        At pixel edges, in the order in which they become upper left, upper right, lower right and lower
        left. They may lie beyond the picture; what does is as transparent as if it had come in so.
    picture_height, picture_width : int
        Of the whole picture.

    Raises
    ------
    BadParameterError
        The corners are no convex shape of at least 8 px a side, in that order, or the area is larger
        than any picture may be. `field` is ``"area"``.
    """

    corners: Corners
    picture_height: int
    picture_width: int

    def __post_init__(self) -> None:
        points = self._points
        sides = np.roll(points, -1, axis=0) - points
        following = np.roll(sides, -1, axis=0)
        turns = sides[:, 0] * following[:, 1] - sides[:, 1] * following[:, 0]
        if not (np.isfinite(points).all() and (turns > 0).all()):
            raise BadParameterError(
                "The four corners do not go clockwise around an area without dents.",
                hint="Place them upper left, upper right, lower right and lower left.",
                field="area",
            )
        if np.hypot(*sides.T).min() < SHORTEST_SIDE_PX:
            raise BadParameterError(
                f"A side of this area is shorter than {SHORTEST_SIDE_PX} px.",
                hint="Move the corners apart.",
                field="area",
            )
        if self.height * self.width > MAX_PIXELS or (
            not self.is_upright and max(self.height, self.width, *self._around) > _LONGEST_WARPED_PX
        ):
            raise BadParameterError(
                f"An area of {self.width} × {self.height} px is too large.", field="area"
            )

    @property
    def _points(self) -> NDArray[np.float64]:
        return np.array(self.corners, np.float64)

    @property
    def _around(self) -> tuple[int, int]:
        return self.picture_height, self.picture_width

    @property
    def _size(self) -> tuple[int, int]:
        return _measure_size(self.corners, *self._around)

    @property
    def height(self) -> int:
        """Rows of the area once it is upright."""
        return self._size[0]

    @property
    def width(self) -> int:
        """Columns of the area once it is upright."""
        return self._size[1]

    @property
    def is_upright(self) -> bool:
        """Whether it is a box of whole pixels, perhaps turned by quarters, so that no pixel changes."""
        return _are_upright(self.corners)

    @property
    def is_whole(self) -> bool:
        """Whether it is the whole picture as it came."""
        return self.corners == whole_corners(*self._around)

    @property
    def _inward(self) -> NDArray[np.float64]:
        height, width = self._size
        upright = np.array([(0, 0), (width, 0), (width, height), (0, height)], np.float64)
        return _homography(self._points, upright)

    def to_area(self, x: float, y: float) -> Corner:
        """Return where a pixel of the picture, by its index, lies in the area; it may lie beyond."""
        if self.is_whole:
            return x, y
        u, v = _apply(self._inward, x + 0.5, y + 0.5)
        return u - 0.5, v - 0.5

    def to_area_all(self, places: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return where places (N, 2) of the picture lie in the area, both measured from their upper left corners."""
        if self.is_whole:
            return np.asarray(places, np.float64)
        mapped = np.column_stack([places, np.ones(len(places))]) @ self._inward.T
        return np.asarray(mapped[:, :2] / mapped[:, 2:], np.float64)

    def to_picture_all(self, places: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return where places (N, 2) of the area lie in the picture, both measured from their upper left corners."""
        if self.is_whole:
            return np.asarray(places, np.float64)
        mapped = np.column_stack([places, np.ones(len(places))]) @ np.linalg.inv(self._inward).T
        return np.asarray(mapped[:, :2] / mapped[:, 2:], np.float64)

    def to_picture(self, x: float, y: float) -> Corner:
        """Return where a pixel of the area, by its index, lies in the picture."""
        if self.is_whole:
            return x, y
        u, v = _apply(np.linalg.inv(self._inward).astype(np.float64), x + 0.5, y + 0.5)
        return u - 0.5, v - 0.5

    def holds(self, x: float, y: float) -> bool:
        """Whether a place of the area, by its index, lies in it."""
        return -0.5 <= x < self.width - 0.5 and -0.5 <= y < self.height - 0.5

    def turned(self, quarters: int) -> "Area":
        """Return the same area turned clockwise by quarters."""
        by = -quarters % 4
        turned: Corners = (*self.corners[by:], *self.corners[:by])  # type: ignore[assignment]
        return Area(turned, *self._around)

    def tilted(self, degrees: float) -> "Area":
        """Return the same area tilted about its middle, so that what it holds turns clockwise."""
        points = self._points
        middle = points.mean(axis=0)
        angle = np.deg2rad(-degrees)
        turn = np.array([(np.cos(angle), -np.sin(angle)), (np.sin(angle), np.cos(angle))])
        return Area(to_corners((points - middle) @ turn.T + middle), *self._around)


def to_corners(points: NDArray[np.float64]) -> Corners:
    """Return (4, 2) points as corners, to a hundredth of a pixel."""
    first, second, third, fourth = (
        (round(float(x), 2), round(float(y), 2)) for x, y in points.reshape(4, 2)
    )
    return first, second, third, fourth


def whole_corners(height: int, width: int) -> Corners:
    """Return the corners of a whole picture."""
    return (0.0, 0.0), (float(width), 0.0), (float(width), float(height)), (0.0, float(height))


@lru_cache(maxsize=_MOST_KEPT)
def whole_area(height: int, width: int) -> Area:
    """Return the area that is the whole picture.

    Raises
    ------
    BadImageError
        A side is shorter than that of any area may be.
    """
    if min(height, width) < SHORTEST_SIDE_PX:
        raise BadImageError(
            f"This picture has {width} × {height} px; at least {SHORTEST_SIDE_PX} × {SHORTEST_SIDE_PX} px are needed.",
            hint="Add it at a larger size.",
        )
    return Area(whole_corners(height, width), height, width)


@lru_cache(maxsize=_MOST_KEPT)
def _are_upright(corners: Corners) -> bool:
    points = np.array(corners, np.float64)
    steps = np.roll(points, -1, axis=0) - points
    return bool((points == np.round(points)).all() and ((steps == 0).sum(axis=1) == 1).all())


@lru_cache(maxsize=_MOST_KEPT)
def _measure_size(corners: Corners, picture_height: int, picture_width: int) -> tuple[int, int]:
    """Return the height and width of an area once it is upright."""
    points = np.array(corners, np.float64)
    lengths = np.hypot(*(np.roll(points, -1, axis=0) - points).T)
    width, height = max(lengths[0], lengths[2]), max(lengths[1], lengths[3])
    if not _are_upright(corners):
        middle = np.array([picture_width, picture_height]) / 2
        proportion = _measure_proportion(points, middle)
        if proportion is not None:  # nothing that was photographed is made smaller
            width, height = max(width, height * proportion), max(height, width / proportion)
    return max(1, round(height)), max(1, round(width))


def take_area(picture: Picture, area: Area) -> Picture:
    """Return what an area holds as a picture of its own.

    The picture itself where the area is all of it; its own pixels where the area is an upright box;
    otherwise resampled by cubic interpolation, and transparent beyond the picture.
    """
    if area.is_whole:
        return picture
    points = np.array(area.corners)
    low, high = points.min(axis=0), points.max(axis=0)
    is_inside = bool((low >= 0).all() and (high <= (picture.width, picture.height)).all())
    if area.is_upright and is_inside:
        left, top, right, bottom = (int(v) for v in (*low, *high))
        first = [tuple(corner) for corner in ((left, top), (right, top), (right, bottom), (left, bottom))]  # fmt: skip
        quarters = first.index((int(points[0, 0]), int(points[0, 1])))

        def turn(channel: NDArray[np.uint8]) -> NDArray[np.uint8]:
            return np.ascontiguousarray(np.rot90(channel[top:bottom, left:right], quarters))

        return Picture(turn(picture.rgb), None if picture.alpha is None else turn(picture.alpha))
    shift = np.array([(1, 0, 0.5), (0, 1, 0.5), (0, 0, 1)])
    outward = np.linalg.inv(shift) @ np.linalg.inv(area._inward) @ shift
    size = (area.width, area.height)
    rgb = cv2.warpPerspective(
        picture.rgb, outward, size, flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE
    )  # fmt: skip
    alpha = None
    if picture.alpha is not None or not is_inside:
        came = picture.alpha
        solid = np.full(picture.rgb.shape[:2], 255, np.uint8) if came is None else came
        warped = cv2.warpPerspective(
            solid, outward, size, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_CONSTANT
        )  # fmt: skip
        alpha = np.asarray(warped, np.uint8)
    return Picture(np.asarray(rgb, np.uint8), alpha)
