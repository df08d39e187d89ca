"""The guide's pictures, as they came and as they are cut with nothing set, side by side: `python -m benchmarks.guide_pictures`."""

import io
from pathlib import Path

import numpy as np
from PIL import Image

from tidymargin.core.output.resizing import lay_on
from tidymargin.demo.guiding import draw_for_guide
from tidymargin.formats.decode import decode_picture
from tidymargin.formats.recipe import Recipe
from tidymargin.services.picture.outlining import take_cut
from tidymargin.web.sentences.guide import JOBS

PLACE = Path(__file__).parents[1] / "src" / "tidymargin" / "web" / "static" / "guide"
_SIDE_PX, _STRIPE_PX = 240, 9
_STRIPES = ((0xC9, 0xCC, 0xD0), (0xE6, 0xE8, 0xEA))


def _blotter() -> Image.Image:
    y, x = np.mgrid[:_SIDE_PX, :_SIDE_PX]
    return Image.fromarray(np.array(_STRIPES, np.uint8)[(x + y) // _STRIPE_PX % 2])


def main() -> None:
    """Write all of them."""
    PLACE.mkdir(exist_ok=True)
    for name in sorted({name for job in JOBS for name in job.pictures}):
        data, _ = draw_for_guide(name)
        decoded = decode_picture(data)
        recipe = Recipe()
        cut = take_cut(decoded, recipe)
        both = Image.new("RGB", (2 * _SIDE_PX, _SIDE_PX), "white")
        before = Image.fromarray(lay_on(np.dstack([decoded.picture.rgb, np.full(cut.shape[:2], 255, np.uint8)]), (255, 255, 255)))  # fmt: skip
        before.thumbnail((_SIDE_PX, _SIDE_PX))
        after = Image.fromarray(cut)
        after.thumbnail((_SIDE_PX, _SIDE_PX))
        both.paste(before, ((_SIDE_PX - before.width) // 2, (_SIDE_PX - before.height) // 2))
        shown = _blotter()
        shown.paste(after, ((_SIDE_PX - after.width) // 2, (_SIDE_PX - after.height) // 2), after)
        both.paste(shown, (_SIDE_PX, 0))
        out = io.BytesIO()
        both.save(out, "WEBP", quality=86)
        (PLACE / f"{name}.webp").write_bytes(out.getvalue())


if __name__ == "__main__":
    main()
