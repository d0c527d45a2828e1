"""A frame is touched as long as it has marks of its own, and its matte follows them."""

from cuvrel.core.checks.quality import overlap
from tests.recipes import drawn
from tests.store.conftest import Rig


def test_a_mark_makes_a_touched_frame_with_a_matte(rig: Rig) -> None:
    rig.mark(0)
    row = rig.rows()[0]
    assert (row.origin, row.doubt) == ("touched", 0.0)
    assert overlap(rig.matte(0), rig.clip.truth(0)) > 0.7


def test_undoing_all_marks_takes_the_touch_away_and_redo_brings_it_back(rig: Rig) -> None:
    rig.mark(0, apart=True)
    blob = rig.rows()[0].blob
    count = len(rig.clip.marks())
    for _ in range(count):
        rig.step("undo")
    assert rig.rows() == {}
    for _ in range(count):
        rig.step("redo")
    assert rig.rows()[0].blob == blob


def test_out_marks_alone_touch_without_a_matte(rig: Rig) -> None:
    out = next(m for m in rig.clip.marks() if m.kind == "out")
    rig.edit(drawn([out]))
    assert rig.rows()[0].origin == "touched"
    assert rig.rows()[0].blob is None


def test_changing_how_a_trace_is_solved_solves_its_touched_frames_again(rig: Rig) -> None:
    rig.mark(0)
    blob = rig.rows()[0].blob
    touched = rig.edit([{"op": "add", "path": "/mattes/0/pulls/0/params/detail", "value": 0.0}])
    assert touched == [("t1", 0)]
    assert rig.rows()[0].blob != blob
    rig.step("undo")
    assert rig.rows()[0].blob == blob


def test_edits_that_do_not_concern_marks_touch_nothing(rig: Rig) -> None:
    rig.mark(0)
    assert rig.edit([{"op": "replace", "path": "/name", "value": "x"}]) == []
