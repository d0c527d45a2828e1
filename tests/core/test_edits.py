"""Edits: any sequence can be undone to the letter; what clashes and what does not."""

import copy
import itertools
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cuvrel.core.recipe import edits
from cuvrel.core.recipe.errors import RecipeError

plain = st.recursive(
    st.none() | st.booleans() | st.integers(-9, 9) | st.text("ab/~", max_size=3),
    lambda inner: (
        st.lists(inner, max_size=3) | st.dictionaries(st.text("ab/~", min_size=1, max_size=2), inner, max_size=3)
    ),
    max_leaves=8,
)
docs = st.dictionaries(st.text("abc", min_size=1, max_size=2), plain, max_size=4)


@given(docs, docs)
@settings(max_examples=200)
def test_the_inverse_restores_any_document(before: dict[str, Any], after: dict[str, Any]) -> None:
    kept = copy.deepcopy(after)
    assert edits.apply(after, edits.inverse(before, after)) == before
    assert after == kept  # applying never changes what it is given


@given(st.lists(docs, min_size=2, max_size=6))
def test_a_chain_of_edits_can_be_walked_back(chain: list[dict[str, Any]]) -> None:
    inverses = [edits.inverse(a, b) for a, b in itertools.pairwise(chain)]
    here = chain[-1]
    for step, was in zip(reversed(inverses), reversed(chain[:-1]), strict=True):
        here = edits.apply(here, step)
        assert here == was


@pytest.mark.parametrize(
    "ops",
    [
        [{"op": "remove", "path": "/nowhere"}],
        [{"op": "add", "path": "/list/99", "value": 1}],
        [{"op": "dance", "path": "/a"}],
        [{"path": "/a"}],
        [{"op": "replace", "path": "", "value": 3}],
        [{"op": "test", "path": "/a", "value": 2}],
    ],
)
def test_operations_that_can_not_apply_are_refused(ops: list[dict[str, Any]]) -> None:
    with pytest.raises(RecipeError):
        edits.apply({"a": 1, "list": []}, ops)


BASE = {"name": "x", "planes": [{"opacity": 1, "name": "a"}, {"opacity": 1}], "mattes": [{"marks": [1, 2]}]}


def put(path: str, op: str = "replace") -> list[dict[str, Any]]:
    return [{"op": op, "path": path, "value": 0}]


@pytest.mark.parametrize(
    ("ours", "theirs", "clash"),
    [
        (put("/planes/0/opacity"), put("/planes/0/opacity"), True),
        (put("/planes/0/opacity"), put("/planes/0/name"), False),
        (put("/planes/0/opacity"), put("/planes/1/opacity"), False),
        (put("/planes/0/opacity"), put("/planes/0"), True),
        (put("/planes/0"), put("/planes/0/opacity"), True),
        (put("/planes/0", "add"), put("/planes/1/opacity"), True),  # an insert moves what follows
        (put("/mattes/0/marks/-", "add"), put("/mattes/0/marks/-", "add"), False),
        (put("/mattes/0/marks/-", "add"), put("/planes/0/opacity"), False),
        ([{"op": "move", "from": "/planes/0", "path": "/planes/1"}], put("/planes/0/opacity"), True),
        ([{"op": "remove", "path": "/planes/1"}], put("/name"), False),
    ],
)
def test_what_clashes(ours: edits.Ops, theirs: edits.Ops, clash: bool) -> None:
    assert edits.overlap(ours, theirs, BASE) is clash
