"""The follower's evidence and the networks that weigh it."""

from __future__ import annotations

import numpy as np
import pytest

from cuvrel.core.checks.quality import overlap
from cuvrel.core.follow import inference
from cuvrel.core.follow.carry import Follower
from cuvrel.core.follow.evidence import HALF, QUARTERS, VEILS, Expected, ReversePass, area_of_interest
from cuvrel.core.follow.inference import network
from cuvrel.core.follow.run import Settings, new_follower, span
from cuvrel.core.imaging.network import SURELY, quarters
from cuvrel.core.trace.colour_model import to_lab
from tests.core.test_follow import sliding

AGE = QUARTERS + 14  # the plane of the touched frame's age
ONWARD = slice(QUARTERS + 11, QUARTERS + 14)  # the planes of the frame that comes next


def test_quarters_hold_every_pixel_once() -> None:
    plane = np.arange(24, dtype=np.float32).reshape(4, 6)
    four = quarters([plane])
    assert four.shape == (4, 2, 3)
    assert sorted(four.ravel()) == sorted(plane.ravel())
    assert np.array_equal(four[1], plane[0::2, 1::2])


def test_the_network_looks_about_the_subject_and_everywhere_when_it_is_gone() -> None:
    shape = np.zeros((180, 320), np.float32)
    shape[60:90, 100:130] = 1
    rows, cols = area_of_interest(shape, shape)
    assert rows.start < 45 < 105 < rows.stop
    assert cols.start < 85 < 145 < cols.stop
    assert (rows.stop - rows.start) % 32 == 0
    empty = np.zeros_like(shape)
    assert area_of_interest(empty, empty) == (slice(0, 180), slice(0, 320))
    hidden = np.zeros_like(shape)
    hidden[60:90, 200:230] = 0.5
    assert area_of_interest(shape, hidden)[1].stop > 240, "what is hidden is looked for, too"
    assert area_of_interest(shape, empty, hidden)[1].stop > 240, "what was found from beyond, too"


def test_what_is_hidden_is_expected_to_move_on_with_the_subject_and_fades() -> None:
    matte = np.zeros((60, 80), np.float32)
    matte[20:40, 20:40] = 1
    expected = Expected(matte)
    flow = np.full((60, 80, 2), (-3.0, 0.0), np.float32)  # here to there: the subject came from the left
    seen = expected.plane.copy()
    expected.move(flow, np.ones((60, 80), np.float32), seen)
    assert np.abs(expected.plane - np.roll(seen, 3, axis=1)).max() < 0.1
    expected.update(np.zeros_like(matte))
    assert 0.5 < expected.plane.max() < 1


def test_the_follower_s_stack_is_of_moderate_numbers_and_fits_its_network() -> None:
    pictures, truths = sliding(4)
    follower = Follower(pictures[0], truths[0])
    for picture in pictures[1:]:
        follower.step(picture)
    planes = follower.stack.planes
    assert planes.shape[0] == QUARTERS + HALF
    assert np.isfinite(planes).all()
    assert np.abs(planes).max() <= 1.5
    for network_, read in ((network(several=True), planes), (network(), np.delete(planes, VEILS, 0))):
        odds = network_.odds(read)
        assert odds.shape == (2 * planes.shape[1], 2 * planes.shape[2])
        assert np.abs(odds).max() <= SURELY
        assert np.array_equal(odds, network_.odds(read))


def test_a_clip_of_several_touched_frames_is_followed_by_a_network_of_its_own(monkeypatch: pytest.MonkeyPatch) -> None:
    pictures, truths = sliding(4)
    asked: list[bool] = []
    monkeypatch.setattr(inference, "network", lambda several=False: (asked.append(several), network(several))[1])
    alone, one_of_two = (Follower(pictures[0], truths[0]) for _ in range(2))
    one_of_two.remember(pictures[3], truths[3])
    for follower in (alone, one_of_two):
        assert overlap(follower.step(pictures[1]).matte, truths[1]) > 0.9
    assert asked == [False, True]


def test_the_stack_knows_the_earlier_frames_pictures_brought_here_and_how_long_ago_the_touched_one_was() -> None:
    pictures, truths = sliding(4, speed=5.0)
    follower = Follower(pictures[0], truths[0])
    for frame in (1, 2):
        follower.step(pictures[frame])
        planes, (rows, cols) = follower.stack.planes, follower.stack.inside
        inside = truths[frame][rows, cols][::2, ::2] > 0.99
        now, before, first = planes[0], planes[48], planes[52]
        still = quarters([to_lab(pictures[frame - 1])[rows, cols, 0] / np.float32(128) - 1])[0]
        for brought in (before, first):
            assert np.abs(brought - now)[inside].mean() < 0.5 * np.abs(still - now)[inside].mean()
        age = planes[AGE]
        assert np.ptp(age) == 0
        assert age[0, 0] == pytest.approx(2 / frame - 1)
    follower.restart(pictures[2], truths[2])
    follower.step(pictures[3])
    assert follower.stack.planes[AGE, 0, 0] < -0.7, "a followed frame is not a touched one"


def test_the_next_frame_tells_what_moves_with_the_subject() -> None:
    pictures, truths = sliding(4, speed=6.0)
    follower = Follower(pictures[0], truths[0])
    observed = follower.observe(pictures[1], follower.at)
    follower.decide(observed, follower.observe(pictures[2], observed))
    sides, away, flow_error = follower.stack.planes[ONWARD]
    rows, cols = follower.stack.inside
    inside = truths[1][rows, cols][::2, ::2] > 0.9
    outside = truths[1][rows, cols][::2, ::2] < 0.1
    trusted = flow_error < -0.8
    assert sides[inside & trusted].mean() > 0.5
    assert sides[outside & trusted].mean() < -0.1
    assert away[inside & trusted].mean() > away[outside & trusted].mean() + 0.3


def test_without_a_next_frame_nothing_is_said_of_it() -> None:
    pictures, truths = sliding(2)
    follower = Follower(pictures[0], truths[0])
    follower.step(pictures[1])
    sides, away, flow_error = follower.stack.planes[ONWARD]
    assert not sides.any()
    assert (away == -1).all()
    assert (flow_error == 1).all()


def test_a_span_looks_one_frame_ahead_in_its_own_order() -> None:
    pictures, truths = sliding(6)
    read: list[int] = []

    def picture(number: int) -> np.ndarray:
        read.append(number)
        return pictures[number]

    by_span = dict(span(picture, [4, 3, 2], new_follower((pictures[5], truths[5]), Settings())))
    assert read == [4, 3, 2]
    follower = Follower(pictures[5], truths[5], Settings().hold, Settings().detail)
    observed = follower.observe(pictures[4], follower.at)
    for number in (4, 3, 2):
        after = follower.observe(pictures[number - 1], observed) if number > 2 else None
        found = follower.finish(follower.decide(observed, after))
        assert np.array_equal(found.matte, by_span[number].matte)
        observed = after


def test_what_came_as_another_thing_does_not_become_the_subject() -> None:
    pictures, truths = sliding(9, speed=0.0)
    rng = np.random.default_rng(5)
    body = (np.array([170, 70, 60]) + rng.normal(0, 14, (60, 40, 3))).clip(0, 255).astype(np.uint8)
    frames = [one.copy() for one in pictures]
    for n, frame in enumerate(frames):  # in the subject's own colours, from the left until it touches
        frame[90:150, 6 * n : 6 * n + 40] = body
    found = dict(span(frames.__getitem__, range(1, 9), new_follower((frames[0], truths[0]), Settings())))
    touching = found[8].matte
    assert touching[95:145, 50:80].mean() < 0.2
    assert overlap(touching, truths[8]) > 0.85


def test_what_comes_out_from_behind_another_thing_is_the_subject_again() -> None:
    pictures, truths = sliding(25, speed=0.0)
    rng = np.random.default_rng(5)
    post = (np.array([190, 110, 100]) + rng.normal(0, 14, (240, 36, 3))).clip(0, 255).astype(np.uint8)
    frames, shown = [one.copy() for one in pictures], [one.copy() for one in truths]
    for n, (frame, truth) in enumerate(zip(frames, shown, strict=True)):  # in colours like its own, across and away
        here = np.s_[:, 12 * n : 12 * n + 36]
        frame[here], truth[here] = post[: len(frame), : frame[here].shape[1]], 0
    found = dict(span(frames.__getitem__, range(1, 25), new_follower((frames[0], truths[0]), Settings())))
    behind = [n for n in found if (truths[n] - shown[n]).sum() > 0]
    assert behind
    assert max(behind) < 24, "the post has passed"
    assert min(overlap(found[n].matte, shown[n]) for n in behind) > 0.93
    assert overlap(found[24].matte, truths[24]) > 0.95


def test_the_stack_knows_what_the_way_from_beyond_found_and_whether_there_was_one() -> None:
    pictures, truths = sliding(4)
    alone, both = (Follower(pictures[0], truths[0]) for _ in range(2))
    observed = alone.observe(pictures[1], alone.at)
    alone.decide(observed)
    both.decide(observed, reverse=ReversePass(truths[1], 4, 0.25))
    assert not alone.stack.planes[44:48].any()
    assert np.array_equal(alone.stack.planes[-2:, 0, 0], [-1, -1])
    part = truths[1][both.stack.inside]
    assert np.allclose(both.stack.planes[44:48], 2 * quarters([part]) - 1, atol=1e-6)
    assert np.allclose(both.stack.planes[-2:, 0, 0], [2 / 4 - 1, 0.5])
