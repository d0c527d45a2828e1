"""Tracks against exact motion: warps of one picture, occluders that have no influence, both directions."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import cv2
import numpy as np
import pytest

from cuvrel.core.imaging.homography import moved
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.tracks.align import align, piece
from cuvrel.core.tracks.features import went
from cuvrel.core.tracks.follow import LOST, CanNotTrack, Found, Start, Tracker, bridged, tracked
from cuvrel.core.tracks.geometry import SQUARE, Area, through
from cuvrel.core.tracks.interchange import as_json, read_wanted
from cuvrel.core.tracks.pyramids import Scenes, scene

WIDE, HIGH = 240, 160
BOARD = np.array([[70.0, 40.0], [170.0, 40.0], [170.0, 110.0], [70.0, 110.0]])


def painted(seed: int, size: tuple[int, int] = (400, 320)) -> np.ndarray:
    rng = np.random.default_rng(seed)
    out = np.full((size[1], size[0], 3), 120, np.float32)
    for _ in range(160):
        at = tuple(int(n) for n in rng.integers(0, size))
        cv2.circle(out, at, int(rng.integers(3, 16)), tuple(float(c) for c in rng.uniform(20, 240, 3)), -1, cv2.LINE_AA)
    return cv2.GaussianBlur(out, (0, 0), 0.8)


PICTURE = painted(1)


def matrix(
    angle: float = 0.0, grow: float = 1.0, across: float = 0.0, down: float = 0.0, tilt: float = 0.0
) -> np.ndarray:
    """A motion about the frame's middle, between pixels' middles."""
    c, s = grow * np.cos(angle), grow * np.sin(angle)
    middle = np.array([[1, 0, WIDE / 2], [0, 1, HIGH / 2], [0, 0, 1.0]])
    about = np.array([[c, -s, across], [s, c, down], [0, 0, 1.0]]) @ np.array(
        [[1, 0, 0], [0, 1, 0], [tilt, tilt / 2, 1.0]]
    )
    return middle @ about @ np.linalg.inv(middle)


def frame_of(way: np.ndarray) -> np.ndarray:
    """The picture's middle, moved."""
    cut = np.array([[1, 0, -80.0], [0, 1, -80.0], [0, 0, 1.0]])
    return np.clip(cv2.warpPerspective(PICTURE, way @ cut, (WIDE, HIGH), flags=cv2.INTER_CUBIC), 0, 255).astype(
        np.uint8
    )


def swings(n: int) -> np.ndarray:
    return matrix(0.02 * n, 1 + 0.01 * n, 1.7 * n, 0.8 * n)


def truth(ways: Callable[[int], np.ndarray], start: int, n: int) -> np.ndarray:
    return moved(ways(n) @ np.linalg.inv(ways(start)), BOARD - 0.5) + 0.5


@pytest.mark.parametrize(
    ("freedom", "way"),
    [
        ("position", matrix(across=2.3, down=-1.6)),
        ("size and turn", matrix(0.05, 1.04, 2.3, -1.6)),
        ("stretch and shear", matrix(0.05, 1.04, 1.3) @ np.array([[1, 0.04, 0], [0, 1.03, 0], [0, 0, 1.0]])),
        ("perspective", matrix(0.03, 1.02, 2.0, 1.0, 3e-4)),
    ],
)
def test_alignment_finds_the_exact_warp(freedom: Any, way: np.ndarray) -> None:
    first, second = scene(frame_of(np.eye(3))), scene(frame_of(way))
    part = piece(first, Area(BOARD - 0.5))
    assert part is not None
    fit = align(part, second, part.frame, freedom)
    assert fit is not None
    found = moved(fit.matrix @ np.linalg.inv(part.frame), BOARD - 0.5)
    np.testing.assert_allclose(found, moved(way, BOARD - 0.5), atol=0.15)
    assert fit.alike > 0.97


def test_light_that_changes_across_the_piece_moves_nothing() -> None:
    way = matrix(0.03, 1.02, 2.0, 1.0)
    shade = np.linspace(0.55, 1.25, WIDE)[None, :, None]
    lit = np.clip(frame_of(way) * shade + 8, 0, 255).astype(np.uint8)
    part = piece(scene(frame_of(np.eye(3))), Area(BOARD - 0.5))
    assert part is not None
    fit = align(part, scene(lit), part.frame, "size and turn")
    assert fit is not None
    np.testing.assert_allclose(moved(fit.matrix @ np.linalg.inv(part.frame), BOARD), moved(way, BOARD), atol=0.15)


@pytest.mark.parametrize("kind", ["region", "patch", "point"])
def test_it_is_followed_both_ways_from_the_middle_and_never_drifts(kind: Any) -> None:
    start, count = 10, 20
    ways = {n: swings(n - start) for n in range(count)}
    marks = BOARD.mean(axis=0, keepdims=True) if kind == "point" else BOARD
    begin = Start(kind, start, marks, 14.0)
    scenes = Scenes(lambda n: frame_of(ways[n]))
    tracker = Tracker(scenes, begin)
    found = tracked(tracker, 0, count - 1)
    assert [one.frame for one in found] == list(range(count))
    for one in found:
        wanted = moved(ways[one.frame], marks - 0.5) + 0.5
        np.testing.assert_allclose(tracker.points(one), wanted, atol=0.3)
        assert one.doubt < 0.2
    np.testing.assert_array_equal(tracker.points(tracker.first), marks)


def test_both_directions_agree() -> None:
    ways = {n: swings(n) for n in range(13)}
    scenes = Scenes(lambda n: frame_of(ways[n]))
    forth = Tracker(scenes, Start("patch", 0, BOARD))
    end = forth.points(tracked(forth, 0, 12)[-1])
    back = Tracker(scenes, Start("patch", 12, end))
    np.testing.assert_allclose(back.points(tracked(back, 0, 12)[0]), BOARD, atol=0.12)


def with_hand(n: int, seed: int) -> tuple[np.ndarray, np.ndarray]:
    """A frame that something passes before, and where it lies."""
    frame, cover = frame_of(swings(n)), np.zeros((HIGH, WIDE), np.float32)
    cover[:, max(10 * n - 20, 0) : max(10 * n + 20, 0)] = 1
    hand = painted(seed, (WIDE, HIGH))
    return np.where(cover[..., None] > 0, hand, frame).astype(np.uint8), cover


def test_what_is_left_out_has_no_influence_at_all() -> None:
    points = []
    for seed in (5, 6):
        scenes = Scenes(lambda n, seed=seed: with_hand(n, seed)[0], lambda n, seed=seed: with_hand(n, seed)[1])
        start = Start("region", 0, BOARD)
        tracker = Tracker(scenes, start)
        found = tracked(tracker, 0, 10)
        points.append(np.array([tracker.points(one) for one in found]))
        for n, one in enumerate(points[-1]):
            np.testing.assert_allclose(one, truth(swings, 0, n), atol=0.3)
    np.testing.assert_array_equal(points[0], points[1])


def test_a_robust_track_holds_while_a_hand_passes_that_nobody_left_out() -> None:
    scenes = Scenes(lambda n: with_hand(n, 5)[0])
    start = Start("patch", 0, BOARD)
    tracker = Tracker(scenes, start)
    found = tracked(tracker, 0, 12)
    sure = [one for one in found if one.doubt < 0.3]
    apart = np.array([np.hypot(*(tracker.points(one) - truth(swings, 0, one.frame)).T) for one in sure])
    assert np.median(apart) < 0.3
    assert apart.max() < 1
    assert len(sure) > 6
    assert {one.reason for one in found if one.doubt >= 0.3} == {"hidden in part"}


def test_hidden_frames_are_bridged_and_told_and_it_is_found_again() -> None:
    def read(n: int) -> np.ndarray:
        if 5 <= n <= 7:
            return np.full((HIGH, WIDE, 3), 90, np.uint8)
        return frame_of(swings(n))

    scenes = Scenes(read)
    start = Start("region", 0, BOARD)
    tracker = Tracker(scenes, start)
    found = tracked(tracker, 0, 12)
    assert [one.frame for one in found if one.doubt >= LOST] == [5, 6, 7]
    assert all("hidden" in one.reason for one in found if one.doubt >= LOST)
    for one in found:
        np.testing.assert_allclose(
            tracker.points(one), truth(swings, 0, one.frame), atol=1.0 if 4 < one.frame < 8 else 0.2
        )


def test_bridging_leaves_what_was_seen_and_what_lies_at_the_ends() -> None:
    seen = [Found(n, through(SQUARE * 10 + 3 * n, "size and turn"), 0.0) for n in range(3)]
    lost = [Found(n, np.eye(3), 1.0) for n in (3, 4)]
    run = [*seen, *lost, Found(5, through(SQUARE * 10 + 15, "size and turn"), 0.0), Found(6, np.eye(3), 1.0)]
    out = bridged(run, "size and turn")
    for n in range(6):
        np.testing.assert_allclose(moved(out[n].matrix, SQUARE), SQUARE * 10 + 3 * n, atol=1e-6)
    assert out[6] is run[6]


@pytest.mark.parametrize("freedom", ["size and turn", "stretch and shear", "perspective"])
def test_a_matrix_comes_back_from_its_corners(freedom: Any) -> None:
    whole = {"size and turn": matrix(0.3, 1.2, 5), "stretch and shear": np.array([[9, 2, 4], [1, 7, 3], [0, 0, 1.0]]),
             "perspective": np.array([[9, 2, 4], [1, 7, 3], [0.1, 0.05, 1.0]])}[freedom]  # fmt: skip
    np.testing.assert_allclose(through(moved(whole, SQUARE), freedom), whole, atol=1e-4)


def test_features_agree_on_the_motion_and_tell_which_do_not() -> None:
    way = matrix(0.02, 1.01, 3.0, 1.0)
    found = went(scene(frame_of(np.eye(3))), scene(frame_of(way)), Area(BOARD), "size and turn")
    assert found is not None
    np.testing.assert_allclose(moved(found.matrix, BOARD), moved(way, BOARD), atol=0.3)
    assert found.share > 0.6
    assert found.agree.mean() > 0.8


def test_what_can_not_be_told_from_anything_is_refused() -> None:
    flat = Scenes(lambda n: np.full((HIGH, WIDE, 3), 90, np.uint8))
    with pytest.raises(CanNotTrack, match="too little"):
        Tracker(flat, Start("patch", 0, BOARD))
    with pytest.raises(CanNotTrack):
        Tracker(Scenes(lambda n: frame_of(np.eye(3))), Start("region", 0, BOARD + 5000))


# the open files


@pytest.mark.parametrize(
    ("raw", "said"),
    [
        ([], "must be an object"),
        ({"tracks": []}, "must be an object"),
        ({"tracks": [{"id": "a", "kind": "point", "frame": 0}]}, "a point needs 'at'"),
        ({"tracks": [{"id": "a", "kind": "patch", "frame": 0, "corners": [[0, 0]]}]}, "Track 0 is wrong at corners"),
        ({"tracks": [{"id": "a", "kind": "sphere", "frame": 0}]}, "Track 0 is wrong at kind"),
        ({"tracks": [{"id": "a", "kind": "point", "frame": -1, "at": [0, 0]}]}, "frame"),
        ({"tracks": 2 * [{"id": "a", "kind": "point", "frame": 0, "at": [0, 0]}]}, "the same id"),
        ({"tracks": [{"id": "a", "kind": "point", "frame": 0, "at": [float("nan"), 0]}]}, "Track 0"),
    ],
)
def test_what_is_no_list_of_tracks_is_refused_with_a_sentence(raw: Any, said: str) -> None:
    with pytest.raises(RecipeError, match=said):
        read_wanted(raw)


def test_a_track_is_told_on_every_frame_of_the_clip() -> None:
    (wanted,) = read_wanted({"tracks": [{"id": "b", "kind": "region", "frame": 3, "outline": BOARD.tolist()}]})
    scenes = Scenes(lambda n: frame_of(swings(n)))
    tracker = Tracker(scenes, wanted.start)
    told = as_json(wanted, tracker, tracked(tracker, 2, 5), 8)
    assert [row["frame"] for row in told["frames"]] == list(range(8))
    assert told["frames"][3]["points"] == BOARD.tolist()
    assert told["frames"][0]["points"] == told["frames"][2]["points"]
    assert told["frames"][7]["doubt"] == 1.0


def wall(n: int, there: bool) -> np.ndarray:
    """A row of boards that look alike, passed by; a post hides the second of them, which is then gone or there."""
    rng = np.random.default_rng(3)
    board = cv2.resize(rng.integers(30, 220, (7, 9, 3)).astype(np.uint8), (54, 42), interpolation=cv2.INTER_NEAREST)
    long = np.clip(painted(9, (700, HIGH)), 0, 255).astype(np.uint8) // 3 + 70
    for k in range(6):
        if k != 1 or there or n < 14:
            long[60:102, 40 + 100 * k : 94 + 100 * k] = np.clip(board.astype(int) + (0 if k == 1 else 6 * k), 0, 255)
    at = min(3 * n, 90)
    out = np.ascontiguousarray(long[:, at : at + WIDE])
    if 8 <= n <= 20:
        cv2.rectangle(out, (140 - at - 14, 30), (194 - at + 14, 130), (20, 30, 25), -1)
    return out


@pytest.mark.parametrize("there", [True, False])
@pytest.mark.parametrize("kind", ["region", "patch", "point"])
def test_after_something_hid_it_another_that_looks_alike_is_not_taken_for_it(kind: Any, there: bool) -> None:
    corners = np.array([[138.0, 58], [196, 58], [196, 104], [138, 104]])
    marks = corners.mean(axis=0, keepdims=True) if kind == "point" else corners
    tracker = Tracker(Scenes(lambda n: wall(n, there)), Start(kind, 0, marks, 20.0))
    found = list(tracker.follow(range(1, 32)))
    for one in found:
        off = float(np.abs(tracker.points(one) - (marks - (min(3 * one.frame, 90), 0))).max())
        if one.frame < 8 or (there and one.frame > 26):
            assert (off < 1, one.doubt < 0.5) == (True, True), (one.frame, off, one.doubt)
        if off > 3 or (not there and one.frame > 20):
            assert one.doubt > 0.5, (one.frame, off, one.doubt, one.reason)
