"""A mask of a whole picture that is kept while the sheet is open."""

from dataclasses import dataclass
from typing import Self

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.picture import Region


@dataclass(frozen=True, slots=True, eq=False)
class PackedMask:
    """A mask with eight places in a byte, so that large sheets fit into memory.

    Parameters
    ----------
    bits : (H, W / 8) ndarray of uint8
        Each row's places, the first in the highest bit.
    """

    bits: NDArray[np.uint8]

    @classmethod
    def of(cls, mask: NDArray[np.bool_]) -> Self:
        """Pack a mask, (H, W) bool."""
        return cls(np.packbits(mask, axis=1))

    @property
    def size_bytes(self) -> int:
        """Memory that it takes."""
        return self.bits.nbytes

    def over(self, region: Region) -> NDArray[np.bool_]:
        """Return it over a region, (h, w) bool, a copy."""
        first = region.left // 8
        held = self.bits[region.top : region.bottom, first : -(-region.right // 8)]
        places = np.unpackbits(held, axis=1)[:, region.left - 8 * first : region.right - 8 * first]
        return np.ascontiguousarray(places).view(np.bool_)
