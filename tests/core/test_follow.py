"""Following: carrying, doubt, halts, both ways over a clip."""

import cv2
import numpy as np
import pytest

from cuvrel.core.checks.quality import overlap
from cuvrel.core.follow import plan
from cuvrel.core.follow.carry import Follower
from cuvrel.core.follow.doubt import ADVICE, HALT, DoubtFactors, advice, worst_place
from cuvrel.core.follow.evidence import QUARTERS, ReversePass
from cuvrel.core.follow.plan import FollowPass, Frame, FramesInMemory, far_from, neighbours, refollow
from cuvrel.core.follow.plan import trace_and_follow as follow_clip
from cuvrel.core.follow.run import Settings, joined, new_follower, span
from cuvrel.core.motion.flow import Flow, chain, forward_backward_error, sample
from cuvrel.core.recipe.errors import TraceError
from tests.conftest import Clip
from tests.core.test_trace import MARKS, mark, scene


def sliding(frames: int = 12, speed: float = 3.0) -> tuple[list[np.ndarray], list[np.ndarray]]:
    """The disc of `scene`, textured with itself, sliding over a still ground."""
    rgb, truth = scene(seed=3)
    rng = np.random.default_rng(9)
    coarse = cv2.GaussianBlur(rng.normal(0, 160, rgb.shape), (0, 0), 7)
    still = (np.array([70, 110, 140]) + coarse + rng.normal(0, 4, rgb.shape)).clip(0, 255)
    pictures, truths = [], []
    for n in range(frames):
        by = round(n * speed)
        t = np.roll(truth, by, axis=1)
        s = np.roll(rgb, by, axis=1)
        pictures.append((s * t[..., None] + still * (1 - t[..., None])).astype(np.uint8))
        truths.append(t)
    return pictures, truths


def test_flow_finds_a_shift_and_its_fault_is_small() -> None:
    grey = scene()[0][..., 1].copy()
    there = np.roll(grey, 4, axis=1)
    flow, flow_error = Flow().between(grey, there)
    inner = np.s_[20:-20, 20:-20]
    assert np.abs(flow[inner] - (4, 0)).mean() < 0.5
    assert np.median(flow_error[inner]) < 0.3
    assert np.abs(sample(there, flow)[inner].astype(int) - grey[inner]).mean() < 4


def test_chained_motion_adds_up() -> None:
    one = np.zeros((20, 30, 2), np.float32)
    one[..., 0] = 2
    two = np.zeros((20, 30, 2), np.float32)
    two[..., 1] = -3
    assert np.allclose(chain(one, two), (2, -3))


def test_motion_is_read_between_pixels_and_held_beyond_the_border() -> None:
    y, x = np.mgrid[0:30, 0:40].astype(np.float32)
    # one that grows evenly is read exactly; a pixel at the right border goes where there is none
    forth = np.dstack([0.1 * x + 0.3, -0.05 * y - 0.2]).astype(np.float32)
    back = np.dstack([0.02 * x - 0.04 * y, 0.03 * y + 0.5]).astype(np.float32)
    to_x, to_y = np.clip(x + forth[..., 0], 0, 39), np.clip(y + forth[..., 1], 0, 29)
    there = forth + np.dstack([0.02 * to_x - 0.04 * to_y, 0.03 * to_y + 0.5])
    np.testing.assert_allclose(chain(forth, back), there, atol=1e-5)
    apart = np.linalg.norm(there, axis=2)
    np.testing.assert_allclose(forward_backward_error(forth, back), apart, atol=1e-5)
    box = np.s_[5:20, 12:40]
    np.testing.assert_allclose(forward_backward_error(forth, back, box), apart[box], atol=1e-5)


def test_a_sliding_subject_is_followed() -> None:
    pictures, truths = sliding()
    follower = Follower(pictures[0], truths[0])
    for n in range(1, len(pictures)):
        found = follower.step(pictures[n])
        assert overlap(found.matte, truths[n]) > 0.93, n
        assert 0 <= found.doubt < HALT, n


def test_the_demo_figure_is_followed_for_a_while(clip: Clip) -> None:
    follower = Follower(clip.frame(0), clip.truth(0))
    js = [overlap(follower.step(clip.frame(n)).matte, clip.truth(n)) for n in range(1, 7)]
    assert np.mean(js) > 0.8


def test_a_large_subject_on_a_larger_plate_is_decided_at_a_smaller_size() -> None:
    pictures, truths = sliding(3)

    def size(by: int, matte: np.ndarray) -> tuple[int, int]:
        plate = pictures[0].shape[1] * by, pictures[0].shape[0] * by
        return Follower(cv2.resize(pictures[0], plate), cv2.resize(matte, plate)).size

    small = np.zeros_like(truths[0])
    small[100:130, 150:200] = 1
    assert size(3, truths[0]) == (384, 512)
    assert size(3, small) == size(3, np.zeros_like(small)) == (480, 640)
    assert size(2, truths[0]) == (480, 640)
    big = [(cv2.resize(p, (960, 720)), cv2.resize(t, (960, 720))) for p, t in zip(pictures, truths, strict=True)]
    follower = Follower(*big[0])
    for picture, truth in big[1:]:
        assert overlap(follower.step(picture).matte, truth) > 0.97


def test_a_subject_that_vanishes_is_doubted_and_halts_with_a_reason() -> None:
    pictures, truths = sliding(3)
    follower = Follower(pictures[0], truths[0])
    follower.step(pictures[1])
    found = follower.step(np.full_like(pictures[0], 90))
    assert found.doubt > HALT
    assert found.halt is not None
    assert found.halt.reason
    assert found.halt.advice
    h, w = pictures[0].shape[:2]
    assert 0 <= found.halt.x <= w
    assert 0 <= found.halt.y <= h
    assert found.halt.radius > 0


def test_a_cut_is_doubted_more_than_a_slide(clip: Clip) -> None:
    pictures, truths = sliding(4)
    calm = Follower(pictures[0], truths[0]).step(pictures[1]).doubt
    elsewhere = cv2.resize(clip.frame(0), (320, 240), interpolation=cv2.INTER_AREA)
    jump = Follower(pictures[0], truths[0]).step(elsewhere).doubt
    assert jump > calm + 0.2


def test_the_same_frames_give_the_same_mattes() -> None:
    pictures, truths = sliding(4)

    def run() -> list[np.ndarray]:
        follower = Follower(pictures[0], truths[0])
        return [follower.step(p).matte for p in pictures[1:]]

    assert all(np.array_equal(a, b) for a, b in zip(run(), run(), strict=True))


def test_an_empty_matte_stays_empty() -> None:
    pictures, truths = sliding(2)
    found = Follower(pictures[0], np.zeros_like(truths[0])).step(pictures[1])
    assert found.matte.max() < 0.5
    assert found.doubt == 1.0


def test_taking_up_from_a_followed_frame_remembers_the_touched_one() -> None:
    pictures, truths = sliding(8)
    read = pictures.__getitem__
    resumed = dict(
        span(read, range(5, 8), new_follower((pictures[4], truths[4]), Settings(), (pictures[0], truths[0])))
    )
    assert all(overlap(resumed[n].matte, truths[n]) > 0.92 for n in (5, 6, 7))


def held(touched: dict[int, np.ndarray], followed: dict[int, np.ndarray] | None = None) -> FramesInMemory:
    """Frames in memory, touched and followed ones."""
    frames = FramesInMemory()
    for number, matte in touched.items():
        frames.touch(number, matte)
    for number, matte in (followed or {}).items():
        frames.keep(Frame(number, matte, "followed", 0.1))
    return frames


EVEN = {"jump": 0.05, "unsure": 0.02, "alike": 0.2, "torn": 0.1, "change": 0.0, "drift": 0.0, "lost": False}


def test_doubt_grows_with_what_speaks_against_a_frame() -> None:
    calm = DoubtFactors(**EVEN).doubt()
    assert 0 <= calm < 0.1
    steps = [DoubtFactors(**{**EVEN, "unsure": u}).doubt() for u in (0.02, 0.1, 0.15, 0.2, 0.4)]
    assert steps == sorted(steps)
    assert steps[1] < 0.5 < steps[3]
    assert DoubtFactors(**{**EVEN, "drift": 1.2}).doubt() > 0.5
    assert (
        DoubtFactors(**{**EVEN, "unsure": 0.12, "drift": 0.5}).doubt()
        > DoubtFactors(**{**EVEN, "unsure": 0.12}).doubt()
    )
    assert calm > DoubtFactors(**{**EVEN, "alike": 0.1}).doubt(), "where colours differ, a soft edge is no mistake"
    assert DoubtFactors(**{**EVEN, "lost": True}).doubt() == 1.0


@pytest.mark.parametrize(
    ("worse", "words"),
    [
        ({"jump": 0.9}, "the outline jumped"),
        ({"unsure": 0.3, "alike": 0.8}, "alike"),
        ({"unsure": 0.3, "alike": 0.2}, "can't be told"),
        ({"torn": 1.0, "jump": 0.0}, "fast"),
        ({"change": 0.27}, "grew by a quarter|grew by a third"),
        ({"change": 0.36}, "grew by a third|grew by a half"),
        ({"change": -0.3}, "shrank"),
        ({"change": 0.8}, "doubled"),
        ({"change": -0.9}, "vanished"),
        ({"lost": True}, "gone"),
    ],
)
def test_reasons_say_what_happened(worse: dict[str, float], words: str) -> None:
    reason = DoubtFactors(**{**EVEN, **worse}).reason()
    assert any(word in reason for word in words.split("|")), reason
    assert advice(reason).endswith(".")


def test_every_reason_with_advice_of_its_own_is_one_that_is_given() -> None:
    given = {
        DoubtFactors(**{**EVEN, **w}).reason()
        for w in ({"jump": 9}, {"alike": 1}, {"unsure": 9}, {"torn": 9}, {"drift": 9}, {"lost": True})
    }
    assert given == set(ADVICE)


def test_the_worst_place_is_where_the_fault_is_gathered() -> None:
    flow_error = np.zeros((90, 160), np.float32)
    flow_error[60:66, 30:36] = 1
    flow_error[5, 150] = 3  # a lone pixel does not outweigh a patch
    x, y, radius = worst_place(flow_error, (360, 640))
    assert abs(x - 33 * 4) < 12
    assert abs(y - 63 * 4) < 12
    assert radius == 40


# a whole clip


def marks_on(*frames: int) -> list:
    return [m.model_copy(update={"frame": f, "id": f"{m.id}f{f}"}) for f in frames for m in MARKS]


def test_a_clip_is_followed_both_ways_and_up_to_half_way_between_touches() -> None:
    pictures, truths = sliding(13, speed=1.0)
    # a frame may come again once its neighbourhood was touched: the last one counts
    found = {f.number: f for f in follow_clip(pictures.__getitem__, 13, marks_on(2, 8), Settings(), halting=False)}
    assert sorted(found) == list(range(13))
    assert {n for n, f in found.items() if f.origin == "touched"} == {2, 8}
    assert all(overlap(f.matte, truths[n]) > 0.9 for n, f in found.items())
    assert all(f.ms > 0 for f in found.values())


def test_a_single_mark_mends_a_followed_frame_and_the_frames_about_it() -> None:
    pictures, truths = sliding(12, speed=1.0)
    whole = {f.number: f for f in follow_clip(pictures.__getitem__, 12, marks_on(0), Settings(), halting=False)}
    # one in mark alone says little of a subject's extent: what was followed there must be kept
    one = next(m for m in MARKS if m.kind == "in").model_copy(update={"frame": 6, "id": "one"})
    mended = {
        f.number: f
        for f in follow_clip(pictures.__getitem__, 12, [*marks_on(0), one], Settings(), halting=False)
    }  # fmt: skip
    assert mended[6].origin == "touched"
    for n in (5, 6, 7):
        assert overlap(mended[n].matte, truths[n]) > overlap(whole[n].matte, truths[n]) - 0.02


def test_marks_elsewhere_trace_anew_what_following_had_lost() -> None:
    pictures, truths = sliding(6, speed=1.0)
    lost = [p.copy() for p in pictures]
    shift = np.array([[1, 0, 0], [0, 1, 0]], np.float32)
    lost[5] = cv2.warpAffine(pictures[5][:, ::-1], shift, (pictures[5].shape[1], pictures[5].shape[0]))
    flipped = [
        m.model_copy(
            update={"frame": 5, "id": f"{m.id}x", "points": [(pictures[5].shape[1] - x, y) for x, y in m.points]}
        )
        for m in MARKS
    ]
    found = {f.number: f for f in follow_clip(lost.__getitem__, 6, [*marks_on(0), *flipped], Settings(), halting=False)}
    # the last picture is mirrored about the middle, and its marks (drawn on frame 0's place) lie on the subject
    assert overlap(found[5].matte, truths[5][:, ::-1]) > 0.5


def test_a_halt_ends_its_span_only() -> None:
    pictures, _ = sliding(10, speed=1.0)
    pictures[6] = np.full_like(pictures[6], 90)
    found = {f.number: f for f in follow_clip(pictures.__getitem__, 10, marks_on(3), Settings())}
    assert found[6].halt is not None
    assert set(found) == {0, 1, 2, 3, 4, 5, 6}


def test_marks_that_can_not_be_used_are_refused() -> None:
    pictures, _ = sliding(3)
    with pytest.raises(TraceError, match="no in mark"):
        list(follow_clip(pictures.__getitem__, 3, [], Settings()))
    with pytest.raises(TraceError, match="frame 9"):
        list(follow_clip(pictures.__getitem__, 3, [mark("in", (5, 5), frame=9)], Settings()))


def test_two_ways_are_joined_by_nearness_and_doubt() -> None:
    one, other = np.zeros((4, 4), np.float32), np.ones((4, 4), np.float32)
    matte, doubt = joined((one, 0.1), (other, 0.1), 0.5)
    assert np.allclose(matte, 0.5)
    assert doubt == pytest.approx(0.1)
    assert joined((one, 0.1), (other, 0.1), 0.2)[0].max() < 0.05, "the nearer one decides where they contradict"
    assert joined((one, 0.9), (other, 0.05), 0.2)[0].min() > 0.95, "a doubtful one gives way"
    same, _ = joined((other, 0.3), (other, 0.6), 0.3)
    assert np.array_equal(same, other)


def test_both_directions_agree_on_a_static_shot() -> None:
    rgb, truth = scene()
    pictures = [rgb] * 9
    on = dict(span(lambda n: pictures[n], range(1, 5), new_follower((rgb, truth), Settings())))
    back = dict(span(lambda n: pictures[n], range(7, 3, -1), new_follower((rgb, truth), Settings())))
    assert np.array_equal(on[4].matte, back[4].matte)
    assert overlap(on[4].matte, truth) > 0.97


def test_doubt_rises_on_an_injected_jump() -> None:
    pictures, truths = sliding(10)
    pictures[6] = np.roll(pictures[6], 70, axis=1)
    follower = Follower(pictures[0], truths[0])
    found = [follower.step(pictures[n]) for n in range(1, 7)]
    doubts = [one.doubt for one in found]
    # the subject is found again, so the frame needs no halt; but it is trusted much less than the others
    assert overlap(found[-1].matte, np.roll(truths[6], 70, axis=1)) > 0.85
    assert doubts[-1] > 3 * max(doubts[:-1])
    assert follower.factors.jump > 1


def test_a_kept_shape_goes_where_motion_carries_it_whatever_the_picture_says() -> None:
    pictures, truths = sliding(4)
    # the subject takes on the ground's colours on one frame, and moves on
    dull = (0.15 * pictures[1] + 0.85 * np.median(pictures[1], axis=(0, 1))).astype(np.uint8)
    found = dict(
        span(
            lambda n: dull if n == 1 else pictures[n],
            [1],
            new_follower((pictures[0], truths[0]), Settings()),
            keep=True,
        )
    )
    assert (found[1].matte > 0.5).sum() == pytest.approx((truths[0] > 0.5).sum(), rel=0.1)


def test_frames_between_two_touches_use_both() -> None:
    pictures, truths = sliding(11)
    kept = held({0: truths[0], 10: truths[10]})
    frames = {
        f.number: f for f in refollow(lambda n: pictures[n], 11, kept, 0, Settings()) if kept.frames[f.number] is f
    }
    assert sorted(frames) == list(range(1, 10))
    assert all(overlap(f.matte, truths[n]) > 0.92 for n, f in frames.items())


def test_what_another_touched_frame_shows_of_the_subject_is_remembered() -> None:
    pictures, truths = sliding(9)
    patch = np.s_[100:130, 60:90]

    def painted(n: int) -> np.ndarray:
        picture = pictures[n].copy()
        picture[patch] = (230, 40, 200)
        return picture

    of_it, not_of_it = truths[8].copy(), truths[8].copy()
    of_it[patch], not_of_it[patch] = 1, 0
    told = []
    for matte in (None, of_it, not_of_it):
        follower = Follower(pictures[0], truths[0])
        if matte is not None:
            follower.remember(painted(8), matte)
        follower.step(painted(1))
        colours, box = follower.stack.planes[QUARTERS + 1 : QUARTERS + 3], follower.stack.box
        told.append(colours[:, 57 - box[0].start, 37 - box[1].start])
    assert (told[1] > told[0] + 0.3).all(), "near that place and anywhere"
    assert (told[2] < told[1] - 0.5).all(), "what was beside the subject is not of it"


def hidden(follower: Follower, truth: np.ndarray, plane: int) -> np.ndarray:
    """A plane at half size, there where a matte's inside is; -1 to 1."""
    box = follower.stack.box
    size = follower.size[1] // 2, follower.size[0] // 2
    inside = cv2.erode(cv2.resize(truth, size, interpolation=cv2.INTER_AREA), np.ones((5, 5), np.uint8)) > 0.95
    return np.asarray(follower.stack.planes[plane][inside[box]])


def test_what_a_frame_further_off_shows_of_the_place_is_taken_where_the_subject_hides_it() -> None:
    pictures, truths = sliding(41)
    sure = QUARTERS + 17  # how far the place is known

    def stepped(*far: tuple[np.ndarray, np.ndarray]) -> Follower:
        follower = Follower(pictures[0], truths[0])
        for one in far:
            follower.survey(*one)
        follower.step(pictures[1])
        return follower

    assert (hidden(stepped(), truths[1], sure) < -0.9).all(), "nothing tells"
    there = stepped((pictures[40], truths[40]))
    assert (hidden(there, truths[1], sure) > 0.9).mean() > 0.75, "but for what looks like it there"
    assert np.median(hidden(there, truths[1], sure - 1)) > 0.5, "and the subject differs from it"
    # a matte that misses the subject where it stands would make it a part of the place
    forward_backward_error = np.zeros_like(truths[0])
    assert (hidden(stepped((pictures[0], forward_backward_error)), truths[1], sure) < -0.9).all()
    # another place is none that this frame's could be
    elsewhere = np.ascontiguousarray(pictures[40][::-1, ::-1])
    assert (hidden(stepped((elsewhere, np.zeros_like(truths[0]))), truths[1], sure) > -0.9).mean() < 0.1


def test_the_place_is_taken_from_under_a_camera_that_moves() -> None:
    pictures, truths = sliding(41)
    panned, gone = (np.roll(one[40], (6, 10), axis=(0, 1)) for one in (pictures, truths))
    follower = Follower(pictures[0], truths[0])
    follower.survey(panned, gone)
    follower.step(pictures[1])
    assert (hidden(follower, truths[1], QUARTERS + 17) > 0.5).mean() > 0.8


def test_frames_further_off_are_sought_on_either_side() -> None:
    assert far_from(range(100), 50) == [44, 56, 38, 62, 32, 68]
    assert far_from([0, 47, 53, 60, 99], 50) == [60, 99, 0]
    assert far_from([49, 50, 51], 50) == []


def test_the_way_back_knows_the_place_as_the_way_there_did(monkeypatch: pytest.MonkeyPatch) -> None:
    pictures, truths = sliding(11)
    lent, surveyed = [], []
    frames = held({0: truths[0], 6: truths[6]}, {5: truths[5], 10: truths[10]})
    borrow, survey = Follower.borrow, Follower.survey
    monkeypatch.setattr(Follower, "borrow", lambda self, known: (lent.append(known.grey), borrow(self, known))[1])
    monkeypatch.setattr(Follower, "survey", lambda self, rgb, m: (surveyed.append(rgb), survey(self, rgb, m))[1])
    list(FollowPass(pictures.__getitem__, 11, frames, 0, 1, Settings()))
    last = cv2.cvtColor(pictures[5], cv2.COLOR_RGB2GRAY)
    assert any(np.array_equal(one, last) for one in lent), "as of the frame next to where it sets out from"
    assert [next(n for n in (0, 5, 6, 10) if pictures[n] is one) for one in surveyed] == [6, 0]


def test_the_touched_frames_beside_one_are_its_neighbours() -> None:
    assert neighbours([40, 3, 9, 21], 9) == [3, 21]
    assert neighbours([40, 3, 9, 21], 3) == [9]
    assert neighbours([40, 3, 9, 21], 30) == [21, 40]
    assert neighbours([9], 9) == []


def test_the_way_back_takes_up_what_the_way_there_has_found() -> None:
    pictures, truths = sliding(7)
    less = truths[6] * (np.arange(truths[6].shape[1]) > 140)
    start = pictures[6], less.astype(np.float32)
    alone = dict(span(pictures.__getitem__, [5, 4, 3, 2, 1], new_follower(start, Settings())))

    def there(number: int) -> ReversePass:
        return ReversePass(truths[number], number, 0.05)

    both = dict(span(pictures.__getitem__, [5, 4, 3, 2, 1], new_follower(start, Settings()), reverse=there))
    js = {n: (overlap(alone[n].matte, truths[n]), overlap(both[n].matte, truths[n])) for n in both}
    assert all(js[n][1] > js[n][0] + 0.02 for n in (4, 3, 2, 1))
    assert js[1][1] > 0.95


def test_only_the_middle_of_a_long_span_is_held_from_both_sides(monkeypatch: pytest.MonkeyPatch) -> None:
    pictures, truths = sliding(15, 1.0)
    monkeypatch.setattr(plan, "BOTH", 4)
    progress = list(FollowPass(pictures.__getitem__, 15, held({0: truths[0], 14: truths[14]}), 0, 1, Settings()))
    assert [one.frame.number for one in progress if not one.back] == list(range(1, 10))
    assert [one.frame.number for one in progress if one.back] == list(range(13, 4, -1))
    assert [one.done for one in progress] == list(range(1, 19))
    assert {one.total for one in progress} == {18}
