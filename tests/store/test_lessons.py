"""What touched frames teach is kept with their mattes, and forgotten with them."""

from __future__ import annotations

import pytest

from cuvrel.core.follow.adaptation import Lesson
from cuvrel.core.follow.carry import Follower
from cuvrel.core.follow.inference import network
from cuvrel.store.lessons import lessons_about
from tests.store.conftest import Rig, used


def lessons(rig: Rig, frame: int) -> list[Lesson]:
    with rig.database.session() as session:
        return lessons_about(session, rig.blobs, rig.shot, "t1", frame)


@pytest.fixture
def between(rig: Rig) -> Rig:
    """A clip that was followed between two touched frames, 0 and 4."""
    rig.mark(0)
    rig.quiet()
    rig.mark(4)
    rig.finish(rig.start_follow(0))
    return rig


def test_both_ends_of_what_was_followed_teach(between: Rig) -> None:
    ends = between.rows()
    assert [sorted(ends[n].lessons or {}) for n in (0, 2, 4)] == [["-1", "by", "of"], [], ["1", "by", "of"]]
    for end, step in ((0, "-1"), (4, "1")):
        found = ends[end].lessons
        assert found is not None
        assert found["of"] == ends[end].blob
        assert found[step] in used(between.database, between.blobs)
    one, other = lessons(between, 0), lessons(between, 4)
    assert len(one) == len(other) == 2
    assert one[0].to_bytes() == other[1].to_bytes(), "the nearest one comes first"


def test_the_next_following_learns_from_them(between: Rig, monkeypatch: pytest.MonkeyPatch) -> None:
    learned: list[int] = []
    learn = Follower.learn
    monkeypatch.setattr(Follower, "learn", lambda self, kept: (learned.append(len(kept)), learn(self, kept))[1])
    between.finish(between.start_follow(0))
    assert learned == [2, 2], "on the way there and on the way back"
    between.finish(between.start_follow(4))
    assert learned[2:] == [2]
    monkeypatch.setattr(network(several=True), "key", "another")
    assert lessons(between, 0) == [], "what another network got wrong"
    between.finish(between.start_follow(0))
    assert len(lessons(between, 0)) == 2


def test_a_matte_that_was_changed_or_undone_teaches_nothing_until_following_comes_there_again(between: Rig) -> None:
    out = {"id": "m9", "frame": 4, "kind": "out", "radius": 6, "points": [[4, 4], [40, 4]]}
    was = between.rows()[4].blob
    between.edit([{"op": "add", "path": "/mattes/0/pulls/0/marks/-", "value": out}])
    assert between.rows()[4].blob != was
    assert len(lessons(between, 4)) == 1
    between.step("undo")
    assert between.rows()[4].blob == was
    assert len(lessons(between, 4)) == 2
    between.step("redo")
    between.finish(between.start_follow(4, -1))
    assert len(lessons(between, 4)) == 2
    between.step("undo")
    between.step("undo")
    assert 4 not in between.rows()
    assert len(lessons(between, 4)) == 1
