"""An edit of a checked document is what checking the whole of it gives, and leaves the rest alone."""

import json
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cuvrel.core.recipe import edits
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.revise import Checked, revised
from cuvrel.core.recipe.upgrades import second_operations, upgraded_operations
from cuvrel.core.recipe.values import START
from tests.recipes import document

MARK = {"frame": 1, "kind": "in", "radius": 3, "points": [[1, 2], [4, 5]]}


def start() -> Checked:
    raw = document()
    raw["mattes"][0]["pulls"][0]["marks"] = [{**MARK, "id": f"k{n}"} for n in range(6)]
    raw["mattes"].append({"id": "m2", "name": "Box", "pulls": [{"id": "u", "kind": "shape", "shapes": [
        {"id": "h", "name": "Box", "kind": "ellipse", "keys": [{"frame": 0, "width": 9, "height": 9}]}]}]})  # fmt: skip
    return Checked.of(raw)


def put(path: str, value: Any, op: str = "replace") -> dict[str, Any]:
    return {"op": op, "path": path, "value": value}


CHOICES = st.sampled_from([
    [put("/name", "Other")],
    [put("/planes/1/opacity", 0.25)],
    [put("/planes/1/opacity", {"keys": [{"frame": 2, "value": 1}]})],
    [put("/planes/1/treatments/0/params/exposure", 1, "add")],
    [put("/planes/-", {"id": "new", "name": "New", "kind": "plate"}, "add")],
    [put("/planes/0", {"id": "new2", "name": "Front", "kind": "fill"}, "add"), put("/planes/1/opacity", 0.5)],
    [{"op": "move", "from": "/planes/0", "path": "/planes/2"}],
    [{"op": "remove", "path": "/planes/1"}],
    [put("/mattes/0/pulls/0/marks/-", {**MARK, "id": "z"}, "add")],
    [{"op": "remove", "path": "/mattes/0/pulls/0/marks/2"}],
    [put("/mattes/0/pulls/0/marks/1/radius", 9)],
    [put("/mattes/0/edge/grow", 2, "add")],
    [put("/mattes/1/pulls/0/shapes/0/keys/0/width", 20)],
    [put("/mattes/1/pulls/0", {"id": "l", "kind": "luma_key"}, "add")],
    [{"op": "remove", "path": "/planes/0/gate"}],
    [put("/planes/3/gate", {"matte": "m2"})],
    [put("/range", {"first": 1}), put("/format/fps", 25)],
])  # fmt: skip


@given(st.lists(CHOICES, max_size=8))
@settings(max_examples=120, deadline=None)
def test_a_chain_of_edits_is_what_checking_each_whole_gives_and_can_be_walked_back(chain: list[edits.Ops]) -> None:
    here = start()
    back: list[tuple[Checked, edits.Ops]] = []
    for ops in chain:
        try:
            wanted = Checked.of(edits.apply(here.document, ops))
        except RecipeError:
            with pytest.raises(RecipeError):
                revised(here, ops)
            continue
        made = revised(here, ops)
        assert made.after.document == wanted.document
        assert made.after.shot.model_dump() == wanted.shot.model_dump()
        assert made.after.references == wanted.references
        assert edits.apply(here.document, made.ops) == wanted.document, "the operations lead all the way"
        back.append((here, made.inverse))
        here = made.after
    for before, inverse in reversed(back):
        here = revised(here, inverse).after
        assert here.document == before.document


def test_what_an_edit_leaves_alone_is_neither_copied_nor_checked_again() -> None:
    before = start()
    before.shot.planes[1].treatments[0].values()
    after = revised(before, [put("/planes/2/opacity", 0.5)]).after
    assert after.shot.mattes[0] is before.shot.mattes[0]
    assert after.shot.planes[1] is before.shot.planes[1]
    assert after.shot.planes[1].treatments[0].values() is before.shot.planes[1].treatments[0].values()
    assert after.document["mattes"][0]["pulls"][0]["marks"] is before.document["mattes"][0]["pulls"][0]["marks"]
    marked = revised(before, [put("/mattes/0/pulls/0/marks/-", {**MARK, "id": "z"}, "add")]).after
    marks = marked.shot.mattes[0].pulls[0].marks
    assert len(marks) == 7
    assert marks[3] is before.shot.mattes[0].pulls[0].marks[3]


def test_a_copy_with_other_parameters_reads_them_anew() -> None:
    step = start().shot.planes[1].treatments[0]
    step.values()
    other = step.model_copy(update={"params": {"saturation": 55.0}})
    assert other.values().at(START)["saturation"] == 55
    assert step.values().at(START)["saturation"] == 0


def test_an_edit_that_breaks_the_document_is_refused_as_a_whole_document_would_be() -> None:
    before = start()
    kept = json.dumps(before.document)
    for ops in (
        [{"op": "remove", "path": "/mattes/0"}],
        [put("/planes/1/opacity", 7)],
        [put("/planes/-", {"id": "p1", "name": "Twice", "kind": "plate"}, "add")],
        [put("/mattes/0/pulls/0/marks/-", {**MARK, "id": "k0"}, "add")],
        [put("/range", {"first": 5, "last": 2})],
        [put("/mattes", "none")],
    ):
        with pytest.raises(RecipeError):
            revised(before, ops)
    assert json.dumps(before.document) == kept


def test_documents_and_operations_of_the_first_version_are_brought_to_the_second() -> None:
    old = start().document | {"version": 1}
    old = edits.apply(old, [put("/mattes/0/edge", {"clean_black": 0.2, "clean_white": 0.9, "grow": 1})])
    new = Checked.of(old)
    assert new.document["version"] == 2
    assert new.document["mattes"][0]["edge"] == {"black_point": 0.2, "white_point": 0.9, "grow": 1}
    ops = [put("/mattes/0/edge/clean_black", 0.4), put("/mattes/0/edge", {"clean_white": 0.8}, "add")]
    assert upgraded_operations(ops, 1) == second_operations(ops)
    done = revised(new, upgraded_operations(ops, 1)).after.document["mattes"][0]["edge"]
    assert done == {"white_point": 0.8}
    assert upgraded_operations(ops, 2) is ops
