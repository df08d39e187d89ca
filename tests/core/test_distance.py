import cv2
import numpy as np
import pytest

from tidymargin.core.base.distance import REACH_PX, distance_px


@pytest.mark.parametrize("share", [0.0, 0.0005, 0.01, 0.3, 0.99])
def test_distances_are_exact_as_far_as_they_reach_and_larger_beyond(share):
    random = np.random.default_rng(round(1000 * share))
    mask = random.random((90, 130)) > share
    mask[40:60, 30:90] = share > 0.2
    expected = cv2.distanceTransform(mask.view(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    found = distance_px(mask)
    near = expected <= REACH_PX
    if mask.all():
        assert (found > REACH_PX).all()
        return
    np.testing.assert_allclose(found[near], expected[near], rtol=1e-6)
    assert (found[~near] > REACH_PX).all()
