"""A picture file keyed in one call, as benchmarks and tests want it."""

from tidymargin.formats.decode import decode_picture
from tidymargin.formats.recipe import Recipe
from tidymargin.services.picture.keying import key_picture


def key_file(data: bytes, recipe: Recipe) -> bytes:
    """Return the PNG of a picture file's cut, of its own size and framed as the recipe says."""
    one = recipe.model_copy(update={"export": recipe.export.as_one_png()})
    return key_picture(decode_picture(data), one, "cut")[0].data
