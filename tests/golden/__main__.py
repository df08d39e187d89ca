"""Write the pinned crops anew: `python -m tests.golden`, after a look at what changed and with a new engine version."""

import cv2
import numpy as np

from tests.golden.pictures import cut_all
from tests.golden.test_golden import FOLDER, VERSION
from tidymargin import ENGINE_VERSION

CROP_PX = 72


def _find_busiest(alpha: np.ndarray) -> tuple[int, int]:
    """Return the corner of the crop that has the most rim in it."""
    rim = ((alpha > 8) & (alpha < 247)).astype(np.float32)
    sums = np.asarray(cv2.boxFilter(rim, -1, (CROP_PX, CROP_PX), anchor=(0, 0), normalize=False))
    inside = sums[: alpha.shape[0] - CROP_PX + 1, : alpha.shape[1] - CROP_PX + 1]
    top, left = np.unravel_index(int(inside.argmax()), inside.shape)
    return int(top), int(left)


def main() -> None:
    """Write all crops, in place of those that are there."""
    for old in FOLDER.glob("*.png"):
        old.unlink()
    for name, cut in cut_all():
        top, left = _find_busiest(cut[..., 3])
        crop = cut[top : top + CROP_PX, left : left + CROP_PX]
        crop = crop[..., [2, 1, 0, 3]]
        cv2.imwrite(
            str(FOLDER / f"{name}.{top}.{left}.png"), crop, [cv2.IMWRITE_PNG_COMPRESSION, 9]
        )
    VERSION.write_text(f"{ENGINE_VERSION}\n")


if __name__ == "__main__":
    main()
