import numpy as np
import pytest

from tidymargin.core.base.colour import (
    linear_to_oklab,
    linear_to_srgb,
    oklab_kernel,
    srgb_to_linear,
    srgb_u8_to_oklab,
)

PUBLISHED = {  # the definition's own values for the sRGB primaries and white
    (255, 255, 255): (1.0, 0.0, 0.0),
    (255, 0, 0): (0.62796, 0.22486, 0.12585),
    (0, 255, 0): (0.86644, -0.23389, 0.17950),
    (0, 0, 255): (0.45201, -0.03246, -0.31153),
}


@pytest.mark.parametrize(("rgb", "lab"), PUBLISHED.items())
def test_primaries_have_their_published_oklab_values(rgb, lab):
    np.testing.assert_allclose(srgb_u8_to_oklab(np.array(rgb, np.uint8)), lab, atol=1e-5)


def test_half_grey_has_its_published_linear_value_and_the_curve_is_inverted():
    assert srgb_to_linear(np.array(0.5)) == pytest.approx(0.21404, abs=1e-5)
    values = np.linspace(0, 1, 500)
    np.testing.assert_allclose(linear_to_srgb(srgb_to_linear(values)), values, atol=1e-9)


def test_kernel_agrees_with_its_slow_twin():
    for colour in np.random.default_rng(1).random((200, 3)):
        np.testing.assert_allclose(oklab_kernel(*colour), linear_to_oklab(colour), atol=2e-6)
