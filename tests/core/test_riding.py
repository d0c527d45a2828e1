"""Where tracks are on every frame, following them by plan, and what rides on them."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
import pytest

from cuvrel.core import catalogue
from cuvrel.core.checks.halt import Halt
from cuvrel.core.imaging.homography import moved
from cuvrel.core.looks.capture import look_of_planes
from cuvrel.core.pulls.outline import held
from cuvrel.core.pulls.shape import shaped
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.edits import apply
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.models import Footage
from cuvrel.core.recipe.plate_swap import swapped
from cuvrel.core.recipe.references import references, rests_on, riders
from cuvrel.core.recipe.shapes import Shape
from cuvrel.core.recipe.tracks import Track
from cuvrel.core.recipe.values import Env, Ride, Riding, at
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, work_out
from cuvrel.core.stand.placement import matrix
from cuvrel.core.stand.riding import baked, track_of, without_track
from cuvrel.core.tracks.path import Measured, Path, reduced
from cuvrel.core.tracks.plan import FramesInMemory, TrackPass, way_from, ways
from cuvrel.core.tracks.pyramids import Scenes
from tests.core.test_tracks import BOARD, frame_of, swings
from tests.recipes import FakeSources, document, footage

catalogue.load()
ABOVE = Env(0.0)


def track(**more: Any) -> Track:
    return Track.model_validate(
        {"id": "t", "name": "Board", "kind": "patch", "frame": 4, "points": BOARD.tolist(), **more}
    )


def swung(n: int) -> np.ndarray:
    """From plate pixels on frame 4 to those on another one."""
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    return np.asarray(half @ swings(n) @ np.linalg.inv(swings(4)) @ np.linalg.inv(half))


def measured(board: Track, frames: range, drift: float = 0.0) -> dict[int, Measured]:
    """What is right, but for a drift to the right by so many pixels a frame."""
    own = Path(board, {}).own
    out = {}
    for n in frames:
        to = np.array([[1, 0, drift * (n - 4)], [0, 1, 0], [0, 0, 1.0]]) @ swung(n) @ own
        out[n] = Measured(to, to)
    return out


class Kept(FramesInMemory):
    """A track's frames in memory, as they are once they were stored."""

    def keep(self, frame: int, measured: Measured, halt: Halt | None) -> None:
        super().keep(frame, Measured.unpacked(measured.packed()), halt)


def test_what_is_stored_is_read_as_it_was() -> None:
    one = Measured(np.eye(3) * 3, None, 0.25, "hidden in part", np.array([[1.5, 2.25, 0.5]], np.float32))
    again = Measured.unpacked(one.packed())
    assert again.after is None
    np.testing.assert_allclose(again.before, one.before)
    np.testing.assert_allclose(again.features, one.features)
    assert (again.doubt, again.reason) == (0.25, "hidden in part")


def test_a_touch_holds_exactly_and_draws_the_measured_motion_along() -> None:
    right = moved(swung(12), BOARD)
    board = track(touches=[{"frame": 12, "points": right.tolist()}])
    path = Path(board, measured(board, range(13), drift=0.5))
    np.testing.assert_allclose(path.points(12), right, atol=1e-6)
    np.testing.assert_allclose(path.points(4), BOARD, atol=1e-6)
    # what was amiss by 4 px at the touch is spread over the frames between: all of them are right again
    for n in (5, 8, 11):
        np.testing.assert_allclose(path.points(n), moved(swung(n), BOARD), atol=0.25)
    # before the frame of reference nothing was touched: it drifts as it was measured
    np.testing.assert_allclose(path.points(0), moved(swung(0), BOARD) - (2, 0), atol=0.05)


def test_hidden_frames_are_bridged_smoothly_and_the_ends_hold() -> None:
    board = track()
    rows = measured(board, range(13))
    for n in range(6, 9):
        rows[n] = Measured(None, None, 1.0, "it can't be seen")
    path = Path(board, rows)
    assert not path.seen(7)
    np.testing.assert_allclose(path.points(7), moved(swung(7), BOARD), atol=0.3)
    np.testing.assert_allclose(path.points(40), path.points(12))


@pytest.mark.parametrize(
    ("kind", "points", "touch"),
    [("point", [[70, 40]], [[91.5, 52.25]]), ("region", BOARD.tolist(), (BOARD * 1.1 + 3).tolist())],
)
def test_touches_of_other_kinds_hold_exactly(kind: str, points: Any, touch: Any) -> None:
    one = track(kind=kind, points=points, touches=[{"frame": 9, "points": touch}])
    found = Path(one, {}).points(9)
    np.testing.assert_allclose(found, touch, atol=1e-6)
    # nothing was measured: half-way there it is half-way
    np.testing.assert_allclose(Path(one, {}).points(7)[0], (np.array(points)[0] * 2 + np.array(touch)[0] * 3) / 5)


def test_following_by_plan_goes_on_between_touches_and_halts_where_it_cannot_see() -> None:
    def picture(n: int) -> np.ndarray:
        out = frame_of(swings(n))
        return np.full_like(out, 90) if n >= 14 else out

    scenes, kept = Scenes(picture), Kept()
    board = track(params={"patience": 3}, touches=[{"frame": 9, "points": moved(swung(9), BOARD).tolist()}])
    first = TrackPass(scenes, board, kept, 4, 1, 19)
    came = [one.frame for one in first]
    assert (came, first.outcome) == ([5, 6, 7, 8, 9], "touched")
    back = TrackPass(scenes, board, kept, 4, -1, 0)
    assert [one.frame for one in back] == [3, 2, 1, 0]
    on = TrackPass(scenes, board, kept, 9, 1, 19)
    assert [one.frame for one in on] == [10, 11, 12, 13, 14, 15, 16]
    assert on.outcome == "halted"
    assert kept.halts[14].reason == "it can't be seen from here on"
    path = Path(board, kept.frames)
    for n in range(14):
        np.testing.assert_allclose(path.points(n), moved(swung(n), BOARD), atol=0.3)
    assert [path.seen(n) for n in (13, 14)] == [True, False]


def test_a_way_that_was_cut_off_goes_on_and_comes_to_the_same() -> None:
    scenes, board = Scenes(lambda n: frame_of(swings(n))), track()
    whole, parts = Kept(), Kept()
    assert list(TrackPass(scenes, board, whole, 4, 1, 16))
    for came in TrackPass(scenes, board, parts, 4, 1, 16):
        if came.frame == 9:
            break
    assert [one.frame for one in TrackPass(scenes, board, parts, 4, 1, 16, at=9)] == list(range(10, 17))
    for n in (10, 16):
        np.testing.assert_allclose(Path(board, parts.frames).points(n), Path(board, whole.frames).points(n), atol=0.05)


def test_where_a_follow_begins() -> None:
    board = track(touches=[{"frame": 9, "points": BOARD.tolist()}])
    assert way_from(board, [], 4, 1) == (4, 4)
    assert way_from(board, [5, 6], 6, 1) == (4, 6)
    assert way_from(board, [5, 6], 8, 1) == (4, 6)
    assert way_from(board, [], 7, -1) == (9, 9)
    assert way_from(board, [], 0, 1) == (4, 4)
    assert ways(board, None, 0, 0, 20) == [(4, 1, 20), (9, 1, 20), (4, -1, 0)]


def test_what_is_left_out_of_a_region_has_no_points_there() -> None:
    scenes = Scenes(lambda n: frame_of(swings(n)))
    spot = {"x": 120.0, "y": 75.0, "radius": 20.0}
    free, bound = Kept(), Kept()
    list(TrackPass(scenes, track(kind="region"), free, 4, 1, 5))
    list(TrackPass(scenes, track(kind="region", less=[spot]), bound, 4, 1, 5))
    inside = [
        np.hypot(*(one.frames[5].features[:, :2] - moved(swung(5), np.array([[120.0, 75.0]]))).T) < 16
        for one in (free, bound)
    ]
    assert inside[0].any()
    assert not inside[1].any()


# what rides


@pytest.mark.parametrize("how", ["position", "position and size", "position, size and turn", "perspective"])
def test_the_middle_goes_where_it_went_whatever_is_taken_over(how: Any) -> None:
    way, about = swung(12), np.array([120.0, 75.0])
    less = reduced(way, how, about)
    np.testing.assert_allclose(moved(less, about[None]), moved(way, about[None]), atol=1e-9)
    if how == "position":
        np.testing.assert_allclose(less[:2, :2], np.eye(2))
    if how == "position, size and turn":
        assert np.degrees(np.arctan2(less[1, 0], less[0, 0])) == pytest.approx(np.degrees(0.02 * 8), abs=0.2)


def test_smoothing_takes_the_jitter_and_not_the_time() -> None:
    board = track()
    rows = measured(board, range(41))
    rng = np.random.default_rng(3)
    for n in range(41):
        shake = np.eye(3)
        shake[:2, 2] = rng.normal(0, 2, 2)
        there = np.eye(3)
        there[0, 2] = 2.0 * n  # a steady way, shaken
        rows[n] = Measured(shake @ there @ Path(board, {}).own, None)
    rows = {n: Measured(one.before, one.before) for n, one in rows.items() if n != 4}
    path = Path(board, rows)

    def across(n: int, smooth: float) -> float:
        return float(moved(path.at(n, smooth), np.zeros((1, 2)))[0, 0])

    rough = np.std(np.diff([across(n, 0) for n in range(10, 34)]))
    fine = np.diff([across(n, 8) for n in range(10, 34)])
    assert np.std(fine) < 0.2 * rough
    assert fine.mean() == pytest.approx(2.0, abs=0.15)


def test_a_place_rides_with_its_offset_and_comes_back() -> None:
    board = track()
    path = Path(board, measured(board, range(13)))
    env = Env(0.0, 24.0, {"t": path}, (120.0, 80.0))
    ride = Ride(track="t", frame=4, how="perspective", base=(30.0, -10.0))
    assert at(ride, env.moved_to(4)) == pytest.approx((30, -10))
    expected = moved(swung(10), np.array([[150.0, 70.0]]))[0] - (120, 80)
    assert at(ride, env.moved_to(10)) == pytest.approx(tuple(expected))
    # the offset that is set on a frame is what lies there without the ride
    back = np.linalg.inv(env.moved_to(10).about_middle(ride))
    x, y, w = back @ (*at(ride, env.moved_to(10)), 1.0)
    assert (x / w, y / w) == pytest.approx((30, -10))


def shape(kind: str, ride: dict[str, Any], **more: Any) -> Shape:
    key = {"frame": 0, "x": 120, "y": 75, "width": 60, "height": 40, "outer": 4}
    if kind == "polygon":
        key = {"frame": 0, "points": [{"x": x, "y": y} for x, y in BOARD.tolist()]}
    about = {"id": "h", "name": "Face", "kind": kind, "keys": [key], "rides": [{"track": "t", "frame": 4, **ride}]}
    return Shape.model_validate(about | more)


def test_shapes_and_single_points_ride() -> None:
    board = track()
    env = Env(12.0, 24.0, {"t": Path(board, measured(board, range(13)))}, (120.0, 80.0))
    ridden = held(shape("polygon", {"how": "perspective"}), env).keys[0]
    np.testing.assert_allclose([(p.x, p.y) for p in ridden.points], moved(swung(12), BOARD), atol=1e-6)
    one = held(shape("polygon", {"how": "perspective", "only": [2]}), env).keys[0]
    np.testing.assert_allclose([(p.x, p.y) for p in one.points][:2], BOARD[:2])
    assert (one.points[2].x, one.points[2].y) == pytest.approx(tuple(moved(swung(12), BOARD)[2]))
    turned = held(shape("ellipse", {"how": "position, size and turn"}), env)
    assert turned.kind == "ellipse"
    assert turned.keys[0].width == pytest.approx(60 * (1 + 0.01 * 12) / (1 + 0.01 * 4), rel=1e-3)
    assert turned.keys[0].angle == pytest.approx(np.degrees(0.02 * 8), abs=0.1)


def test_an_ellipse_in_perspective_covers_what_it_should() -> None:
    lean = np.array([[1, 0.1, 4], [0.05, 1.1, -3], [0.0008, 0.0004, 1.0]])
    board = track()
    own = Path(board, {}).own
    env = Env(5.0, 24.0, {"t": Path(board, {5: Measured(lean @ own, lean @ own)})}, (120.0, 80.0))
    found = shaped([shape("ellipse", {"how": "perspective"})], env, (160, 240), 1.0)
    flat = shaped([shape("ellipse", {"how": "perspective"}, rides=[])], env, (160, 240), 1.0)
    half = np.array([[1, 0, -0.5], [0, 1, -0.5], [0, 0, 1.0]])
    expected = cv2.warpPerspective(flat, half @ lean @ np.linalg.inv(half), (240, 160))
    assert float(np.abs(found - expected).mean()) < 0.003


def ridden_shot(**parts: Any) -> Any:
    raw = document(footage=[footage(frames=16)])
    raw["tracks"] = [track(frame=0, points=[[20, 12], [44, 12], [44, 36], [20, 36]]).model_dump(mode="json")]
    return raw | parts


class Tracked(FakeSources):
    """The little plate with its track, which goes as the box does: a pixel a frame to the right."""

    def measured(self, name: str) -> dict[int, Measured]:
        own = np.array([[12.0, 0, 32], [0, 12, 24], [0, 0, 1]])
        out = {}
        for n in range(24):
            to = np.array([[1, 0, float(n)], [0, 1, 0], [0, 0, 1]]) @ own
            out[n] = Measured(to, to)
        return out


def test_hold_still_leaves_the_tracked_thing_where_it_was() -> None:
    ride = {"track": "t", "frame": 0, "how": "perspective", "still": True}
    raw = ridden_shot()
    matte = raw["mattes"][0]["id"]
    raw["planes"] = [{"id": "cut", "name": "Cut", "kind": "cutout", "matte": matte, "ride": ride}]
    shot = read_shot(raw)
    stand, cache = Stand(shot, Tracked()), Cache(10_000_000)

    def middle(n: int) -> float:
        alpha = work_out(stand.result(n), cache)[..., 3]
        return float((alpha * (np.arange(alpha.shape[1]) + 0.5)).sum() / alpha.sum())

    assert middle(0) == pytest.approx(22, abs=0.1)
    for n in (5, 11):
        assert middle(n) == pytest.approx(22, abs=0.1)


def test_a_pull_rides_and_the_keys_of_nodes_tell() -> None:
    raw = ridden_shot()
    raw["mattes"][0]["pulls"][0]["ride"] = {"track": "t", "frame": 0}
    raw["mattes"][0]["edge"] = {}
    stand, cache = Stand(read_shot(raw), Tracked()), Cache(10_000_000)
    matte = work_out(stand.matte(raw["mattes"][0]["id"], 6), cache)
    assert float((matte * (np.arange(64) + 0.5)).sum() / matte.sum()) == pytest.approx(22 + 6 + 6, abs=0.3)


def test_riders_are_references_and_a_track_that_is_not_there_is_refused() -> None:
    raw = ridden_shot()
    plane = raw["planes"][0]
    plane["ride"] = {"track": "t", "frame": 0}
    shot = read_shot(raw)
    assert [(one.kind, one.id, one.what) for one in references(shot) if one.kind == "track"] == [
        ("track", "t", "placement")
    ]
    assert "track:t" in rests_on(shot, f"plane:{plane['id']}")
    plane["ride"]["track"] = "gone"
    with pytest.raises(RecipeError, match="names the track 'gone'"):
        read_shot(raw)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"points": [[1, 2]]}, "a patch has 4 points"),
        ({"touches": [{"frame": 2, "points": [[1, 2]]}]}, "a touch of a patch has 4 points"),
        ({"touches": [{"frame": 0, "points": BOARD.tolist()}]}, "none on its own frame"),
        ({"frame": 400}, "marked on frame 400"),
    ],
)
def test_a_track_that_makes_no_sense_is_refused(change: dict[str, Any], says: str) -> None:
    raw = ridden_shot()
    raw["tracks"][0] |= change
    with pytest.raises(RecipeError, match=says):
        read_shot(raw)


def test_what_rides_moves_with_a_still_picture_too() -> None:
    board = track()
    path = Path(board, measured(board, range(13)))
    there = path.moved(Riding(track="t", frame=4, how="perspective"), 9)
    still = path.moved(Riding(track="t", frame=4, how="perspective", still=True), 9)
    np.testing.assert_allclose(there @ still / (there @ still)[2, 2], np.eye(3), atol=1e-9)


# keyframes from rides, and tracks from keyframes


def keyed(document: Any, ops: Any) -> Any:
    return read_shot(apply(document, ops))


def test_a_ride_is_written_as_keyframes_that_say_the_same() -> None:
    raw = ridden_shot()
    plane = raw["planes"][2]
    plane["placement"] = {"x": 4.0, "angle": 10.0, "anchor_x": 3.0}
    plane["ride"] = {"track": "t", "frame": 0, "how": "position, size and turn"}
    raw["planes"][1]["treatments"] = [
        {"id": "v", "kind": "vignette", "params": {"centre": {"track": "t", "frame": 0, "base": [1.0, 2.0]}}}
    ]
    raw["mattes"][0]["pulls"] = [
        {"id": "s", "kind": "shape", "shapes": [shape("ellipse", {"frame": 0}).model_dump(mode="json")]}
    ]
    shot = read_shot(raw)
    stand = Stand(shot, Tracked())
    for path, places in (
        ("/planes/2/ride", ["p3"]),
        ("/planes/1/treatments/0/params/centre", []),
        ("/mattes/0/pulls/0/shapes/0/rides/0", []),
    ):
        after = keyed(shot.model_dump(mode="json"), baked(shot, stand.motions, path))
        assert path not in [one.path for one in riders(after)]
        again = Stand(after, Tracked())
        for n in (0, 5, 11):
            for one in places:
                here = placement_of(stand, one, n)
                np.testing.assert_allclose(placement_of(again, one, n), here, atol=1e-9)
            assert at(centre(after), again.env(n)) == pytest.approx(at(centre(shot), stand.env(n)))
            left, right = (held(of.mattes[0].pulls[0].shapes[0], by.env(n)).keys[0] for of, by in
                           ((shot, stand), (after, again)))  # fmt: skip
            assert (left.x, left.y, left.width) == pytest.approx((right.x, right.y, right.width))


def centre(shot: Any) -> Any:
    return shot.planes[1].treatments[0].values().centre


def placement_of(stand: Stand, plane_id: str, n: int) -> np.ndarray:
    plane, env = stand.shot.plane(plane_id), stand.env(n)
    here = matrix(plane.values("placement").at(env), 64.0)
    way = np.eye(3) if plane.ride is None else env.about_middle(plane.ride)
    return moved(way @ here, np.array([[0.0, 0.0], [10.0, 5.0]]))


def test_keyframes_become_a_track_that_moves_alike() -> None:
    raw = ridden_shot()
    keys = [
        {"frame": 2, "x": 20, "y": 24, "width": 12, "height": 8},
        {"frame": 10, "x": 40, "y": 30, "width": 24, "height": 16, "angle": 40, "ease": "smooth"},
    ]
    one = {"id": "h", "name": "Face", "kind": "ellipse", "keys": keys}
    raw["mattes"][0]["pulls"] = [{"id": "s", "kind": "shape", "shapes": [one]}]
    raw["planes"][2]["placement"] = {"x": {"keys": [{"frame": 0, "value": 0}, {"frame": 8, "value": 16}]}}
    shot = read_shot(raw)
    after = keyed(shot.model_dump(mode="json"), track_of(shot, {}, "/mattes/0/pulls/0/shapes/0", "new"))
    path = Path(after.tracks[-1], {})
    ends = [moved(path.place(n), np.zeros((1, 2)))[0] for n in (2, 6, 10)]
    np.testing.assert_allclose(ends, [(20, 24), (30, 27), (40, 30)], atol=0.2)
    turned = reduced(path.place(10) @ np.linalg.inv(path.place(2)), "position, size and turn", np.array([20.0, 24.0]))
    assert np.hypot(*turned[:2, 0]) == pytest.approx(2, abs=0.01)
    assert np.degrees(np.arctan2(turned[1, 0], turned[0, 0])) == pytest.approx(40, abs=0.2)
    after = keyed(shot.model_dump(mode="json"), track_of(shot, {}, "/planes/2", "new"))
    np.testing.assert_allclose(Path(after.tracks[-1], {}).points(8), np.add(after.tracks[-1].points, (16, 0)))
    with pytest.raises(RecipeError, match="no keyframes"):
        track_of(shot, {}, "/planes/1", "new")


def test_a_track_that_goes_leaves_what_rode_on_it() -> None:
    raw = ridden_shot()
    raw["planes"][2]["ride"] = {"track": "t", "frame": 0}
    raw["planes"][1]["treatments"] = [
        {"id": "v", "kind": "vignette", "params": {"centre": {"track": "t", "frame": 0, "base": [1.0, 2.0]}}}
    ]
    shot = read_shot(raw)
    ops, said = without_track(shot, "t")
    assert said == ["placement of the plane 'Signaller'", "Vignette: Centre of the plane 'Grey quay'"]
    after = keyed(shot.model_dump(mode="json"), ops)
    assert (after.tracks, after.planes[2].ride, centre(after)) == ([], None, (1.0, 2.0))


def test_a_look_takes_no_track_along_and_another_size_of_plate_has_it_followed_anew() -> None:
    raw = ridden_shot()
    raw["planes"][2]["ride"] = {"track": "t", "frame": 0}
    shot = read_shot(raw)
    assert look_of_planes(shot, "Look", ["p3"]).planes[0].ride is None
    larger = Footage.model_validate(footage(128, 96, 8, "2"))
    swap = swapped(shot, larger)
    assert "'Board' must be followed anew: what rides waits for it." in swap.lost
    after = keyed(shot.model_dump(mode="json"), swap.ops)
    assert after.tracks[0].id != "t"
    assert after.planes[2].ride is not None
    assert after.planes[2].ride.track == after.tracks[0].id
    assert after.tracks[0].points[0] == (40, 24)
