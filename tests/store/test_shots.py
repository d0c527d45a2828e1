"""Edits, history and stale edits, in a real database."""

import threading

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from cuvrel.core.recipe.errors import RecipeError
from cuvrel.store import shots
from cuvrel.store.models import ChangeRow, EditRow
from tests.store.conftest import Bench


def rename(name: str) -> list[dict]:
    return [{"op": "replace", "path": "/name", "value": name}]


def opacity(value: float, plane: int = 0) -> list[dict]:
    return [{"op": "replace", "path": f"/planes/{plane}/opacity", "value": value}]


def test_an_edit_is_there_after_the_connection_is_gone(bench: Bench) -> None:
    bench.edit(rename("Harbour at dusk"))
    bench.database.engine.dispose()
    assert bench.document()["name"] == "Harbour at dusk"


def test_undo_and_redo_without_end(bench: Bench) -> None:
    start = bench.document()
    for n in range(25):
        bench.edit(rename(f"Name {n}"), label=f"rename {n}")
    for _ in range(25):
        bench.step("undo")
    assert bench.document() == start
    with bench.database.session() as session:
        assert shots.undo(session, bench.shot) is None
    for _ in range(25):
        bench.step("redo")
    assert bench.document()["name"] == "Name 24"
    with bench.database.session() as session:
        assert shots.redo(session, bench.shot) is None
        assert shots.history(session, shots.found(session, bench.shot)) == {"undo": "rename 24", "redo": None}


def test_a_new_edit_after_an_undo_takes_the_place_of_what_was_undone(bench: Bench) -> None:
    bench.edit(rename("A"))
    bench.edit(rename("B"))
    bench.step("undo")
    bench.edit(rename("C"))
    with bench.database.session() as session:
        assert shots.redo(session, bench.shot) is None
    bench.step("undo")
    assert bench.document()["name"] == "A"


def test_edits_of_one_gesture_are_one_step(bench: Bench) -> None:
    start = bench.document()
    for n in range(1, 6):
        bench.edit(opacity(n / 10), gesture="drag1")
    bench.edit(opacity(0.9), gesture="drag2")
    bench.step("undo")
    assert bench.document()["planes"][0]["opacity"] == 0.5
    bench.step("undo")
    assert bench.document() == start
    bench.step("redo")
    assert bench.document()["planes"][0]["opacity"] == 0.5


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
def test_undoing_any_sequence_restores_the_document(bench: Bench, steps: list) -> None:
    start = bench.document()
    with bench.database.session() as session:
        cursor = shots.found(session, bench.shot).cursor
    for step in steps:
        with bench.database.session() as session:
            if isinstance(step, str):
                if step == "redo" or shots.found(session, bench.shot).cursor > cursor:
                    getattr(shots, step)(session, bench.shot)
                continue
            try:
                shots.edit(session, bench.shot, shots.found(session, bench.shot).revision, step)
            except RecipeError:
                session.rollback()
    with bench.database.session() as session:
        while shots.found(session, bench.shot).cursor > cursor:
            shots.undo(session, bench.shot)
    assert bench.document() == start


def test_a_refused_edit_changes_nothing(bench: Bench) -> None:
    start = bench.document()
    for ops in (
        [{"op": "remove", "path": "/mattes/0"}],
        opacity(7),
        [{"op": "add", "path": "/planes/99", "value": {}}],
    ):
        with pytest.raises(RecipeError):
            bench.edit(ops)
    assert bench.document() == start
    with bench.database.session() as session:
        assert session.query(EditRow).count() == 0
        assert session.query(ChangeRow).count() == 0


def test_a_stale_edit_elsewhere_is_rebased(bench: Bench) -> None:
    bench.edit(rename("Newer"))
    bench.edit(opacity(0.5), revision=0)
    document = bench.document()
    assert document["name"] == "Newer"
    assert document["planes"][0]["opacity"] == 0.5


def test_a_stale_edit_of_the_same_thing_is_refused_with_the_newer_document(bench: Bench) -> None:
    bench.edit(opacity(0.5))
    with pytest.raises(shots.Stale) as fault:
        bench.edit(opacity(0.1), revision=0)
    assert fault.value.document["planes"][0]["opacity"] == 0.5
    assert bench.document()["planes"][0]["opacity"] == 0.5


def test_an_edit_on_a_stack_that_was_reordered_is_refused(bench: Bench) -> None:
    bench.edit([{"op": "move", "from": "/planes/0", "path": "/planes/2"}])
    with pytest.raises(shots.Stale):
        bench.edit(opacity(0.1), revision=0)


def test_an_undo_counts_as_a_change_to_stale_edits(bench: Bench) -> None:
    bench.edit(opacity(0.5))
    bench.step("undo")
    with pytest.raises(shots.Stale):
        bench.edit(opacity(0.1), revision=1)


@pytest.mark.parametrize("revision", [-1, 99])
def test_revisions_that_never_were_are_refused(bench: Bench, revision: int) -> None:
    with pytest.raises(shots.Stale):
        bench.edit(rename("X"), revision=revision)


def test_a_shot_that_is_not_there(bench: Bench) -> None:
    with bench.database.session() as session:
        for look in (shots.found, shots.locked):
            with pytest.raises(shots.NotFound):
                look(session, 9999)


def test_edits_from_many_threads_are_all_kept(bench: Bench) -> None:
    faults: list[Exception] = []

    def work(number: int) -> None:
        value = {"id": f"p-{number}", "name": f"Plane {number}", "kind": "plate"}
        try:
            bench.edit([{"op": "add", "path": "/planes/-", "value": value}], revision=0)
        except Exception as fault:
            faults.append(fault)

    threads = [threading.Thread(target=work, args=(n,)) for n in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(30)
    assert not faults
    assert {p["id"] for p in bench.document()["planes"]} >= {f"p-{n}" for n in range(8)}
