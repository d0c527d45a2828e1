"""Who names whom: the list that checks, copies and unpacking all read."""

import copy
from typing import Any

import pytest

from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.references import references, renamed, renamed_footage, rests_on
from cuvrel.core.stand.settle import settling_key
from tests.recipes import document, footage


def full() -> dict[str, Any]:
    """A document with a reference of every kind."""
    raw = document(footage=[footage(), footage(fid="2"), footage(fid="3")])
    raw["mattes"] += [
        {"id": "m2", "name": "Key", "pulls": [
            {"id": "d", "kind": "difference_key", "params": {"plate": "2"}, "region": "m1"},
            {"id": "f", "kind": "footage", "params": {"plane": "spray"}}]},
    ]  # fmt: skip
    raw["mattes"][0]["settled"] = "ab12"
    raw["planes"] += [
        {"id": "g", "name": "Group", "kind": "group"},
        {"id": "spray", "name": "Spray", "kind": "element", "params": {"footage": "3"}, "group": "g"},
        {"id": "back", "name": "Back", "kind": "fill", "params": {"footage": "2"},
         "gate": {"matte": "m1", "excluded": ["m2"]}},
    ]  # fmt: skip
    return raw


def test_every_place_that_names_something_is_listed_with_its_pointer() -> None:
    found = {(one.path, one.kind, one.id, one.owner) for one in references(read_shot(full()))}
    assert found == {
        ("/plate", "footage", "1", "shot"),
        ("/mattes/0/settled", "frames", "ab12", "matte:m1"),
        ("/mattes/1/pulls/0/region", "matte", "m1", "matte:m2"),
        ("/mattes/1/pulls/0/params/plate", "footage", "2", "matte:m2"),
        ("/mattes/1/pulls/1/params/plane", "plane", "spray", "matte:m2"),
        ("/planes/0/matte", "matte", "m1", "plane:p1"),
        ("/planes/1/gate/matte", "matte", "m1", "plane:p2"),
        ("/planes/2/matte", "matte", "m1", "plane:p3"),
        ("/planes/5/group", "group", "g", "plane:spray"),
        ("/planes/5/params/footage", "footage", "3", "plane:spray"),
        ("/planes/6/gate/matte", "matte", "m1", "plane:back"),
        ("/planes/6/gate/excluded/0", "matte", "m2", "plane:back"),
        ("/planes/6/params/footage", "footage", "2", "plane:back"),
    }


@pytest.mark.parametrize("number", range(13))
def test_whatever_names_what_is_not_there_is_refused_with_both_ends(number: int) -> None:
    shot = read_shot(full())
    one = list(references(shot))[number]
    if one.kind == "frames":
        return  # stored frames lie beside the document
    raw = renamed(shot.model_dump(mode="json"), [one], {one.kind: {one.id: "gone"}})
    with pytest.raises(RecipeError, match="gone") as fault:
        read_shot(raw)
    assert one.named.split("'")[1] in str(fault.value)


def test_renaming_reaches_every_place_and_no_other() -> None:
    shot = read_shot(full())
    raw = renamed(shot.model_dump(mode="json"), references(shot), {"footage": {"1": "11", "2": "12", "3": "13"}})
    raw["footage"] = [{**entry, "id": f"1{entry['id']}"} for entry in raw["footage"]]
    again = read_shot(raw)
    assert [one.id for one in references(again) if one.kind == "footage"] == ["11", "12", "13", "12"]
    assert raw["planes"][0]["id"] == "p1"


def test_operations_are_renamed_wherever_they_hold_footage_and_nowhere_else() -> None:
    names = {"1": "11", "2": "12"}
    ops = [
        {"op": "replace", "path": "/plate", "value": "1"},
        {"op": "replace", "path": "/name", "value": "1"},
        {"op": "add", "path": "/footage/-", "value": {"id": "2", "name": "1"}},
        {"op": "replace", "path": "/planes/3/params/footage", "value": "2"},
        {"op": "add", "path": "/planes/3", "value": {"id": "2", "kind": "element", "params": {"footage": "2"}}},
        {"op": "add", "path": "/mattes/0/pulls/1/params", "value": {"plate": "1", "blur": 1}},
        {"op": "add", "path": "/mattes/-", "value": {"pulls": [{"params": {"footage": "1", "channel": "1"}}]}},
        {"op": "remove", "path": "/planes/2"},
    ]
    kept = copy.deepcopy(ops)
    found = [op.get("value") for op in renamed_footage(ops, names)]
    assert found == [
        "11", "1", {"id": "12", "name": "1"}, "12", {"id": "2", "kind": "element", "params": {"footage": "12"}},
        {"plate": "11", "blur": 1}, {"pulls": [{"params": {"footage": "11", "channel": "1"}}]}, None,
    ]  # fmt: skip
    assert ops == kept


def test_what_a_matte_rests_on() -> None:
    shot = read_shot(full())
    assert rests_on(shot, "matte:m1") == {"matte:m1"}
    assert rests_on(shot, "matte:m2") == {"matte:m2", "matte:m1", "plane:spray", "footage:2", "footage:3"}
    assert rests_on(shot, "plane:g") == {"plane:g", "plane:spray", "footage:3"}


def test_a_settled_matte_is_out_of_date_when_a_plane_or_footage_that_it_rests_on_changes() -> None:
    def key(change: str = "", value: Any = None) -> str:
        raw = full()
        if change == "plane":
            raw["planes"][5]["placement"] = {"x": value}
        if change == "footage":
            raw["footage"][1]["hash"] = value
        if change == "other":
            raw["planes"][0]["opacity"] = value
        return settling_key(read_shot(raw), "m2", [])

    assert key("plane", 4) != key()
    assert key("footage", "1" * 40) != key()
    assert key("other", 0.5) == key()
