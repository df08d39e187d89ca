"""A packed mask is what was packed, over any region."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import array_shapes, arrays

from tidymargin.core.base.mask import PackedMask
from tidymargin.core.base.picture import Region

masks = arrays(np.bool_, array_shapes(min_dims=2, max_dims=2, max_side=40))


@given(mask=masks, data=st.data())
def test_a_packed_mask_is_the_same_over_any_region(mask, data):
    top, left = (data.draw(st.integers(0, side - 1)) for side in mask.shape)
    bottom = data.draw(st.integers(top + 1, mask.shape[0]))
    right = data.draw(st.integers(left + 1, mask.shape[1]))
    region = Region(top, left, bottom, right)
    packed = PackedMask.of(mask)
    found = packed.over(region)
    assert found.dtype == np.bool_
    assert found.flags["C_CONTIGUOUS"]
    np.testing.assert_array_equal(found, mask[region.slices])
    assert packed.size_bytes <= mask.shape[0] * (mask.shape[1] / 8 + 1)
