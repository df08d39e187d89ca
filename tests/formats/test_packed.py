"""Facts as bytes for the cache: what goes in comes out, and damage is told and never read."""

from dataclasses import dataclass

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp

from tidymargin.formats.packed import pack, unpack


@dataclass(frozen=True)
class Leaf:
    name: str
    values: np.ndarray
    at: tuple[int, float] | None = None


@dataclass(frozen=True)
class Branch:
    leaves: tuple[Leaf, ...]
    share: float


arrays_st = hnp.arrays(
    st.sampled_from([np.uint8, np.int32, np.float32, np.float64, np.bool_]),
    hnp.array_shapes(min_dims=1, max_dims=3, min_side=0, max_side=5),
)
leaves_st = st.builds(
    Leaf, st.text(), arrays_st, st.none() | st.tuples(st.integers(), st.floats(allow_nan=False))
)
branches_st = st.builds(
    Branch, st.lists(leaves_st, max_size=4).map(tuple), st.floats(allow_nan=False)
)


def is_same(one, two):
    if isinstance(one, np.ndarray):
        same_kind = one.dtype == two.dtype and one.shape == two.shape
        return same_kind and np.array_equal(one, two, equal_nan=one.dtype.kind == "f")
    if isinstance(one, tuple):
        return len(one) == len(two) and all(map(is_same, one, two))
    if isinstance(one, Leaf | Branch):
        return type(one) is type(two) and all(
            is_same(getattr(one, name), getattr(two, name)) for name in one.__dataclass_fields__
        )
    return one == two


@settings(max_examples=80, deadline=None)
@given(branches_st)
def test_a_tree_of_dataclasses_comes_back_with_arrays_that_may_be_written_into(tree):
    back = unpack(pack(tree), [Leaf, Branch])
    assert is_same(tree, back)
    for leaf in back.leaves:
        assert leaf.values.flags.writeable
        assert leaf.values.flags.c_contiguous


@settings(max_examples=80, deadline=None)
@given(branches_st, st.data())
def test_what_is_cut_off_is_refused(tree, data):
    packed = pack(tree)
    arrays = sum(leaf.values.size > 0 for leaf in tree.leaves)
    length = data.draw(st.integers(0, len(packed) - 1))
    try:
        back = unpack(packed[:length], [Leaf, Branch])
    except ValueError:
        return
    assert arrays == 0 or is_same(tree, back)  # nothing that counts was missing


def test_only_what_is_expected_is_built_and_only_data_is_packed():
    packed = pack(Leaf("a", np.zeros(3)))
    with pytest.raises(ValueError, match="Leaf"):
        unpack(packed, [Branch])
    for odd in (object(), {"a": 1}, print):
        with pytest.raises(TypeError, match="cannot pack"):
            pack(odd)


@pytest.mark.parametrize("data", [b"", b"\0" * 7, b"\0" * 8, b"\xff" * 40, b"\0" * 7 + b"\x02{}"])
def test_bytes_of_anything_else_are_refused_or_empty(data):
    try:
        found = unpack(data, [Leaf])
    except ValueError:
        return
    assert found == {}
