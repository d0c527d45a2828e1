"""Edits, history and stale edits, in a real database."""

import threading

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from cuvrel.core.recipe.errors import RecipeError
from cuvrel.store import shots
from cuvrel.store.models import ChangeRow, EditRow
from tests.store.conftest import Rig


def rename(name: str) -> list[dict]:
    return [{"op": "replace", "path": "/name", "value": name}]


def opacity(value: float, plane: int = 0) -> list[dict]:
    return [{"op": "replace", "path": f"/planes/{plane}/opacity", "value": value}]


def test_an_edit_is_there_after_the_connection_is_gone(rig: Rig) -> None:
    rig.edit(rename("Harbour at dusk"))
    rig.database.close()
    assert rig.document()["name"] == "Harbour at dusk"


def test_undo_and_redo_without_end(rig: Rig) -> None:
    start = rig.document()
    for n in range(25):
        rig.edit(rename(f"Name {n}"), label=f"rename {n}")
    for _ in range(25):
        rig.step("undo")
    assert rig.document() == start
    with rig.database.session() as session:
        assert shots.undo(session, rig.shot) is None
    for _ in range(25):
        rig.step("redo")
    assert rig.document()["name"] == "Name 24"
    with rig.database.session() as session:
        assert shots.redo(session, rig.shot) is None
        assert shots.history(session, shots.found(session, rig.shot)) == {"undo": "rename 24", "redo": None}


def test_a_new_edit_after_an_undo_takes_the_place_of_what_was_undone(rig: Rig) -> None:
    rig.edit(rename("A"))
    rig.edit(rename("B"))
    rig.step("undo")
    rig.edit(rename("C"))
    with rig.database.session() as session:
        assert shots.redo(session, rig.shot) is None
    rig.step("undo")
    assert rig.document()["name"] == "A"


def test_edits_of_one_gesture_are_one_step(rig: Rig) -> None:
    start = rig.document()
    for n in range(1, 6):
        rig.edit(opacity(n / 10), gesture="drag1")
    rig.edit(opacity(0.9), gesture="drag2")
    rig.step("undo")
    assert rig.document()["planes"][0]["opacity"] == 0.5
    rig.step("undo")
    assert rig.document() == start
    rig.step("redo")
    assert rig.document()["planes"][0]["opacity"] == 0.5


edit_choices = st.one_of(
    st.sampled_from(["undo", "redo"]),
    st.builds(lambda v: rename(f"N{v}"), st.integers(0, 5)),
    st.builds(opacity, st.sampled_from([0.0, 0.25, 1.0]), st.integers(0, 3)),
    st.just([{"op": "move", "from": "/planes/0", "path": "/planes/2"}]),
    st.just([{"op": "remove", "path": "/planes/3"}]),
    st.just([{"op": "add", "path": "/planes/-", "value": {"id": "px", "name": "New", "kind": "plate"}}]),
)


@given(st.lists(edit_choices, max_size=10))
@settings(max_examples=15, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_undoing_any_sequence_restores_the_document(rig: Rig, steps: list) -> None:
    start = rig.document()
    with rig.database.session() as session:
        cursor = shots.found(session, rig.shot).cursor
    for step in steps:
        with rig.database.session() as session:
            if isinstance(step, str):
                if step == "redo" or shots.found(session, rig.shot).cursor > cursor:
                    getattr(shots, step)(session, rig.shot)
                continue
            try:
                shots.edit(session, rig.shot, shots.found(session, rig.shot).revision, step)
            except RecipeError:
                session.rollback()
    with rig.database.session() as session:
        while shots.found(session, rig.shot).cursor > cursor:
            shots.undo(session, rig.shot)
    assert rig.document() == start


def test_a_refused_edit_changes_nothing(rig: Rig) -> None:
    start = rig.document()
    for ops in (
        [{"op": "remove", "path": "/mattes/0"}],
        opacity(7),
        [{"op": "add", "path": "/planes/99", "value": {}}],
    ):
        with pytest.raises(RecipeError):
            rig.edit(ops)
    assert rig.document() == start
    with rig.database.session() as session:
        assert session.query(EditRow).count() == 0
        assert session.query(ChangeRow).count() == 0


def test_a_stale_edit_elsewhere_is_rebased(rig: Rig) -> None:
    rig.edit(rename("Newer"))
    rig.edit(opacity(0.5), revision=0)
    document = rig.document()
    assert document["name"] == "Newer"
    assert document["planes"][0]["opacity"] == 0.5


def test_a_stale_edit_of_the_same_thing_is_refused_with_the_newer_document(rig: Rig) -> None:
    rig.edit(opacity(0.5))
    with pytest.raises(shots.Stale) as fault:
        rig.edit(opacity(0.1), revision=0)
    assert fault.value.document["planes"][0]["opacity"] == 0.5
    assert rig.document()["planes"][0]["opacity"] == 0.5


def test_an_edit_on_a_stack_that_was_reordered_is_refused(rig: Rig) -> None:
    rig.edit([{"op": "move", "from": "/planes/0", "path": "/planes/2"}])
    with pytest.raises(shots.Stale):
        rig.edit(opacity(0.1), revision=0)


def test_an_undo_counts_as_a_change_to_stale_edits(rig: Rig) -> None:
    rig.edit(opacity(0.5))
    rig.step("undo")
    with pytest.raises(shots.Stale):
        rig.edit(opacity(0.1), revision=1)


@pytest.mark.parametrize("revision", [-1, 99])
def test_revisions_that_never_were_are_refused(rig: Rig, revision: int) -> None:
    with pytest.raises(shots.Stale):
        rig.edit(rename("X"), revision=revision)


def test_a_shot_that_is_not_there(rig: Rig) -> None:
    with rig.database.session() as session:
        for look in (shots.found, shots.locked):
            with pytest.raises(shots.NotFound):
                look(session, 9999)


def test_edits_from_many_threads_are_all_kept(rig: Rig) -> None:
    faults: list[Exception] = []

    def work(number: int) -> None:
        value = {"id": f"p-{number}", "name": f"Plane {number}", "kind": "plate"}
        try:
            rig.edit([{"op": "add", "path": "/planes/-", "value": value}], revision=0)
        except Exception as fault:
            faults.append(fault)

    threads = [threading.Thread(target=work, args=(n,)) for n in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(30)
    assert not faults
    assert {p["id"] for p in rig.document()["planes"]} >= {f"p-{n}" for n in range(8)}
