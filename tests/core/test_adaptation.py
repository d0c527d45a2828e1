"""Following learns from touched frames what the network gets wrong on a clip, and nothing else."""

from __future__ import annotations

import pickle

import cv2
import numpy as np
import pytest

from cuvrel.core.arrays import F32
from cuvrel.core.checks.quality import overlap
from cuvrel.core.follow import inference
from cuvrel.core.follow.adaptation import MOST, Lesson, OddsCorrection, lesson, nearest
from cuvrel.core.follow.carry import Follower
from cuvrel.core.follow.evidence import Stack
from cuvrel.core.follow.plan import refollow
from cuvrel.core.follow.run import Settings, examined, new_follower
from cuvrel.core.imaging.network import quarters, whole
from tests.core.test_follow import held, sliding


def disc(x: float, y: float, radius: float, size: tuple[int, int] = (120, 160)) -> F32:
    yy, xx = np.mgrid[: size[0], : size[1]]
    return np.asarray(np.hypot(xx - x, yy - y) < radius, np.float32)


def planes(*full: F32) -> F32:
    """Planes at half size that spread about one, as a last layer could weigh them."""
    return np.stack([3 * cv2.resize(one, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA) for one in full])


def said(matte: F32) -> F32:
    """A network's odds that are sure of a matte, as quarters."""
    return quarters([8 * matte - 4])


def frame(x: float) -> tuple[F32, F32, F32]:
    """A frame whose subject has a head that the network misses: what it weighs, its odds and the true matte."""
    body, head = disc(x, 80, 22), disc(x + 30, 45, 12)
    return planes(body, head, disc(20, 20, 15)), said(body), np.maximum(body, head)


def test_what_is_missed_on_one_frame_is_found_on_others() -> None:
    features, odds, truth = frame(60)
    correction = OddsCorrection([lesson(features, odds, truth)])
    features, odds, truth = frame(90)
    assert overlap(whole(odds) + np.float32(0.5), truth) < 0.85
    assert overlap(whole(odds + correction.odds(features)) + np.float32(0.5), truth) > 0.97


def test_where_nothing_is_wrong_nothing_is_corrected() -> None:
    features, odds, _ = frame(60)
    correction = OddsCorrection([lesson(features, odds, whole(odds) / 8 + np.float32(0.5))])
    assert np.abs(correction.odds(features)).max() < 0.05


@pytest.mark.parametrize(("more", "learns"), [(1, False), (9, True)])
def test_an_outline_a_pixel_off_teaches_nothing(more: int, learns: bool) -> None:
    body = disc(60, 60, 25)
    features, odds = planes(body, disc(60, 60, 25 + more)), said(body)
    correction = OddsCorrection([lesson(features, odds, disc(60, 60, 25 + more))])
    assert bool(np.abs(correction.odds(features)).max() > 2) == learns


def test_a_lesson_is_of_a_bounded_number_of_places_and_survives_its_bytes() -> None:
    rng = np.random.default_rng(1)
    features, body = rng.normal(0, 1, (5, 200, 300)).astype(np.float32), disc(300, 200, 90, (400, 600))
    one = lesson(features, said(body), body)
    assert one.features.shape == (2000, 5)
    assert one.odds.shape == one.truth.shape == (2000, 4)
    again = Lesson.from_bytes(one.to_bytes())
    for name in ("features", "odds", "truth"):
        np.testing.assert_array_equal(getattr(again, name), getattr(one, name))


def test_the_nearest_lessons_are_learned_from() -> None:
    assert nearest([(3, 1), (9, -1), (4, 1), (9, 1)], 8) == [(9, -1), (9, 1), (4, 1), (3, 1)]
    assert nearest([(n, 1) for n in range(40)], 0) == [(n, 1) for n in range(MOST)]


class Blind:
    """Stands for a network that takes whatever is carried, but for what is light."""

    def __init__(self, several: bool = False) -> None:
        assert not several

    def reasoned(self, stack: F32) -> tuple[F32, F32]:
        light, carried = stack[:4], stack[12:16]
        odds = np.where((carried > 0) & (light < 0.4), 4, -4).astype(np.float32)
        return 2 * np.stack([light.mean(0), carried.mean(0), np.maximum(light.mean(0), 0)]), odds


def test_a_follower_that_has_learned_keeps_what_the_network_drops(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(inference, "network", Blind)
    pictures, truths = sliding(5)
    for n, picture in enumerate(pictures):  # a light patch on the subject alone
        picture[np.roll(disc(150, 110, 14, picture.shape[:2]), 3 * n, axis=1) * truths[n] > 0.5] = 250
    first = Follower(pictures[0], truths[0])
    assert overlap(first.step(pictures[1]).matte, truths[1]) < 0.97
    taught = examined(pictures.__getitem__, 5, Follower(pictures[0], truths[0]), (1, 1), truths[1])
    correction = new_follower((pictures[1], truths[1]), Settings(), lessons=[taught])
    plain = new_follower((pictures[1], truths[1]), Settings())
    for n in (2, 3):
        kept, dropped = (overlap(one.step(pictures[n]).matte, truths[n]) for one in (correction, plain))
        assert kept > dropped + 0.02
        assert kept > 0.97


def test_the_network_alone_is_examined_whatever_was_learned_before(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(inference, "network", Blind)
    pictures, truths = sliding(3)
    follower = Follower(pictures[0], truths[0])
    follower.learn([examined(pictures.__getitem__, 3, Follower(pictures[0], truths[0]), (1, 1), 1 - truths[1])])
    again = examined(pictures.__getitem__, 3, follower, (1, 1), truths[1])
    assert set(np.unique(again.odds)) <= {-4, 4}


def test_what_was_known_of_the_place_stays_so_when_a_frame_is_examined() -> None:
    pictures, truths = sliding(4)
    follower = Follower(pictures[0], truths[0])
    follower.step(pictures[1])
    known = follower.backgrounds()
    before = pickle.dumps(known)
    panned = {n: np.roll(picture, 4, axis=1) for n, picture in enumerate(pictures)}
    examined(panned.__getitem__, 4, follower, (2, 1), truths[2])
    assert pickle.dumps(known) == before, "it is lent to the way back, under the view of the frame that it is of"


def test_the_ends_of_a_span_teach_and_the_next_spans_learn(monkeypatch: pytest.MonkeyPatch) -> None:
    pictures, truths = sliding(9)
    known: list[int] = []
    learn = Follower.learn
    monkeypatch.setattr(Follower, "learn", lambda self, lessons: (known.append(len(lessons)), learn(self, lessons))[1])
    frames = held({0: truths[0], 8: truths[8]})
    list(refollow(pictures.__getitem__, 9, frames, 8, Settings()))
    assert set(frames.taught) == {(8, 1), (0, -1)}
    assert known == [0, 1]
    known.clear()
    frames.touch(4, truths[4])
    list(refollow(pictures.__getitem__, 9, frames, 4, Settings()))
    assert set(frames.taught) == {(8, 1), (0, -1), (4, 1), (4, -1)}
    assert known == [2, 3, 3, 3]
    known.clear()
    frames.touch(8, truths[8])  # drawn anew: what it taught is not true any more
    list(refollow(pictures.__getitem__, 9, frames, 4, Settings()))
    assert known[0] == 3


def test_evidence_is_read_as_the_stack_has_it() -> None:
    pictures, truths = sliding(2)
    follower = Follower(pictures[0], truths[0])
    follower.step(pictures[1])
    stack: Stack = follower.stack
    features, odds = inference.network(several=True).reasoned(stack.planes)
    assert features.shape[1:] == odds.shape[1:] == stack.planes.shape[1:]
    np.testing.assert_array_equal(whole(odds), inference.network(several=True).odds(stack.planes))
    assert 0.2 < features.std() < 3, "planes of about the same spread"
