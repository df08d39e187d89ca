"""The flat colours of a cut, and how much of each place is of which."""

import numpy as np
from numpy.typing import NDArray

Field = NDArray[np.uint8]


def find_layers(
    rgba: NDArray[np.uint8], count: object
) -> list[tuple[tuple[int, int, int], str, Field]]:
    raise NotImplementedError
