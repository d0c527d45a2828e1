"""Edits: any sequence can be undone to the letter; what clashes and what does not."""

import copy
from collections.abc import Iterator
from typing import Any

import jsonpatch
import jsonpointer
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


@st.composite
def operations(draw: st.DrawFn, document: dict[str, Any]) -> edits.Ops:
    """Operations that apply to a document one after another, of every kind and at every depth."""
    here, ops = document, []
    for _ in range(draw(st.integers(1, 4))):
        places = list(_places(here))
        at = draw(st.sampled_from(places))
        op = draw(st.sampled_from(["add", "replace", "remove", "move", "copy", "test", "append"]))
        one: dict[str, Any] = {"op": op, "path": at, "value": draw(plain)}
        if op in ("move", "copy"):
            one = {"op": op, "from": draw(st.sampled_from(places)), "path": at}
        elif op == "append":
            one = {"op": "add", "path": f"{at}/-", "value": draw(plain)}
        elif op == "test":
            one = {"op": "test", "path": at, "value": jsonpointer.resolve_pointer(here, at)}
        try:
            here = jsonpatch.apply_patch(here, [one])
        except (jsonpatch.JsonPatchException, jsonpointer.JsonPointerException, TypeError):
            continue
        if not isinstance(here, dict):
            break
        ops.append(one)
    return ops


def _places(part: Any, path: str = "") -> Iterator[str]:
    yield path
    pairs = part.items() if isinstance(part, dict) else enumerate(part) if isinstance(part, list) else []
    for name, inner in pairs:
        yield from _places(inner, f"{path}/{str(name).replace('~', '~0').replace('/', '~1')}")


@given(st.data(), docs)
@settings(max_examples=300, deadline=None)
def test_operations_do_what_the_standard_says_and_are_taken_back_by_their_inverse(
    data: st.DataObject, before: dict[str, Any]
) -> None:
    ops, kept = data.draw(operations(before)), copy.deepcopy(before)
    after, inverse = edits.done(before, ops)
    assert after == jsonpatch.apply_patch(before, ops)
    assert before == kept, "applying never changes what it is given"
    assert edits.apply(after, inverse) == before


def test_what_no_operation_touches_is_shared() -> None:
    before = {"planes": [{"name": "a"}, {"name": "b", "params": {"x": 1}}], "mattes": [{"marks": [1, 2]}]}
    after = edits.apply(before, [{"op": "replace", "path": "/planes/1/name", "value": "c"}])
    assert after["mattes"] is before["mattes"]
    assert after["planes"][0] is before["planes"][0]
    assert after["planes"][1]["params"] is before["planes"][1]["params"]
    assert before["planes"][1]["name"] == "b"


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
