"""A frame is touched as long as it has marks of its own, and its matte follows them."""

from cuvrel.core.checks.quality import overlap
from tests.recipes import drawn
from tests.store.conftest import Bench


def test_a_mark_makes_a_touched_frame_with_a_matte(bench: Bench) -> None:
    bench.mark(0)
    row = bench.rows()[0]
    assert (row.origin, row.doubt) == ("touched", 0.0)
    assert overlap(bench.matte(0), bench.clip.truth(0)) > 0.7


def test_undoing_all_marks_takes_the_touch_away_and_redo_brings_it_back(bench: Bench) -> None:
    bench.mark(0, apart=True)
    blob = bench.rows()[0].blob
    count = len(bench.clip.marks())
    for _ in range(count):
        bench.step("undo")
    assert bench.rows() == {}
    for _ in range(count):
        bench.step("redo")
    assert bench.rows()[0].blob == blob


def test_out_marks_alone_touch_without_a_matte(bench: Bench) -> None:
    out = next(m for m in bench.clip.marks() if m.kind == "out")
    bench.edit(drawn([out]))
    assert bench.rows()[0].origin == "touched"
    assert bench.rows()[0].blob is None


def test_changing_how_a_trace_is_solved_solves_its_touched_frames_again(bench: Bench) -> None:
    bench.mark(0)
    blob = bench.rows()[0].blob
    touched = bench.edit([{"op": "add", "path": "/mattes/0/pulls/0/params/detail", "value": 0.0}])
    assert touched == [("t1", 0)]
    assert bench.rows()[0].blob != blob
    bench.step("undo")
    assert bench.rows()[0].blob == blob


def test_edits_that_do_not_concern_marks_touch_nothing(bench: Bench) -> None:
    bench.mark(0)
    assert bench.edit([{"op": "replace", "path": "/name", "value": "x"}]) == []
