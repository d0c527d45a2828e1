"""A camera solved on made-up views whose truth is known, and cards that stand in its scene."""

from __future__ import annotations

import json

import numpy as np
import pytest

from cuvrel.core.arrays import F64
from cuvrel.core.camera.exchange import gltf, ply, read_gltf
from cuvrel.core.camera.interchange import anchored, as_json
from cuvrel.core.camera.lens import Lens, View, between, turned
from cuvrel.core.camera.path import Axes, CameraPath, aligned, as_solved, seen_again
from cuvrel.core.camera.places import place_at
from cuvrel.core.camera.plan import CameraPass
from cuvrel.core.camera.solve import NotSolved, Scene, solve
from cuvrel.core.camera.trails import Followed, Row, Trails
from cuvrel.core.imaging.homography import moved
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.errors import CuvrelError, MediaError, RecipeError
from cuvrel.core.recipe.models import Shot
from cuvrel.core.recipe.tracks import Space, Track
from cuvrel.core.recipe.values import Riding
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, work_out
from cuvrel.core.stand.riding import without_track
from cuvrel.core.stand.sources import FrameSources
from cuvrel.core.tracks.path import Measured
from cuvrel.core.tracks.plan import FramesInMemory
from tests.moving import COUNT, LENS, SIZE, drawn, way
from tests.recipes import footage


def cloud(rng: np.random.Generator, count: int = 260) -> F64:
    """Places of a street: a ground, a wall, and things between them."""
    ground = np.column_stack([rng.uniform(-3, 4, count // 3), np.full(count // 3, 1.5), rng.uniform(3, 9, count // 3)])
    wall = np.column_stack([rng.uniform(-4, 6, count // 3), rng.uniform(-2, 1.5, count // 3), np.full(count // 3, 9.0)])
    rest = rng.uniform((-2, -1, 3.5), (3, 1.5, 7), (count - len(ground) - len(wall), 3))
    return np.vstack([ground, wall, rest])


def followed(views: list[View], places: F64, noise: float, rng: np.random.Generator) -> tuple[Followed, dict[int, Row]]:
    """Trails as they would be followed: what is in the picture, off by so many pixels."""
    rows = {}
    for n, view in enumerate(views):
        at = view.seen(places)
        inside = np.isfinite(at).all(axis=1) & (at > 2).all(axis=1) & (at < np.array(SIZE) - 2).all(axis=1)
        noisy = at[inside] + rng.normal(0, noise, (int(inside.sum()), 2))
        rows[n] = Row(np.flatnonzero(inside), noisy.astype(np.float32))
    return Followed.of(rows), rows


def off(scene: Scene, seen: Followed, views: list[View], places: F64, ids: F64) -> F64:
    """How far places of the scene are seen from where they truly are, over all frames, in pixels."""
    found = scene.points
    truth = places[ids[scene.point_trails]]
    return np.concatenate([np.hypot(*(scene.views[n].seen(found) - view.seen(truth)).T)
                           for n, view in enumerate(views) if n in scene.views])  # fmt: skip


def solved(lens: Lens = LENS, noise: float = 0.3, seed: int = 1, **how: object) -> tuple[Scene, F64]:
    rng = np.random.default_rng(seed)
    places = cloud(rng)
    views = [way(n, lens) for n in range(COUNT)]
    seen, rows = followed(views, places, noise, rng)
    ids, counts = np.unique(np.concatenate([row.ids for row in rows.values()]), return_counts=True)
    scene = solve(seen, SIZE, **how)  # type: ignore[arg-type]
    return scene, off(scene, seen, views, places, ids[counts >= 3])


def test_a_walk_is_solved_to_a_fraction_of_the_noise() -> None:
    scene, error = solved()
    assert len(scene.views) == COUNT
    assert not scene.still
    assert np.nanmedian(error) < 0.2
    assert np.nanpercentile(error, 90) < 0.7
    assert scene.views[0].lens.focal == pytest.approx(LENS.focal, rel=0.06)


def test_a_lens_that_bends_is_solved_for() -> None:
    scene, error = solved(Lens(420.0, SIZE, (-0.14, 0.0)))
    assert np.nanmedian(error) < 0.25
    assert scene.views[0].lens.bend[0] < -0.07


def test_a_lens_that_zooms_is_solved_for() -> None:
    rng = np.random.default_rng(5)
    places = cloud(rng)
    views = [way(n, LENS.at(420.0 * (1 + 0.5 * n / COUNT))) for n in range(COUNT)]
    seen, _ = followed(views, places, 0.25, rng)
    scene = solve(seen, SIZE, zooms="it changes")
    grown = scene.views[COUNT - 1].lens.focal / scene.views[0].lens.focal
    assert grown == pytest.approx(views[-1].lens.focal / 420.0, rel=0.06)


def test_a_turn_on_the_spot_is_told_from_a_walk() -> None:
    rng = np.random.default_rng(2)
    places = cloud(rng)
    views = [View(turned(np.array([0.02 * np.sin(n / 5), -0.012 * n, 0.0])), np.zeros(3), LENS) for n in range(COUNT)]
    seen, _ = followed(views, places, 0.25, rng)
    scene = solve(seen, SIZE)
    assert scene.still
    assert "on the spot" in scene.says
    assert scene.views[0].lens.focal == pytest.approx(420.0, rel=0.12)
    assert np.allclose([np.linalg.norm(view.eye) for view in scene.views.values()], 0, atol=1e-9)


def test_a_crowd_that_moves_by_itself_counts_for_nothing() -> None:
    rng = np.random.default_rng(3)
    places, people = cloud(rng), rng.uniform((-2, -0.5, 3), (1, 1, 4), (60, 3))
    views = [way(n) for n in range(COUNT)]
    rows = {}
    for n, view in enumerate(views):
        walked = people + np.array([0.05 * n, 0, 0.01 * n])
        at = view.seen(np.vstack([places, walked]))
        inside = np.isfinite(at).all(axis=1) & (at > 2).all(axis=1) & (at < np.array(SIZE) - 2).all(axis=1)
        rows[n] = Row(np.flatnonzero(inside), (at[inside] + rng.normal(0, 0.2, (inside.sum(), 2))).astype(np.float32))
    scene = solve(Followed.of(rows), SIZE)
    ids, counts = np.unique(np.concatenate([row.ids for row in rows.values()]), return_counts=True)
    kept = ids[counts >= 3][scene.point_trails]
    assert (kept >= len(places)).mean() < 0.05
    eyes = np.array([scene.views[n].eye for n in range(COUNT)])
    truth = np.array([view.eye for view in views])
    size = np.linalg.norm(truth[-1] - truth[0]) / np.linalg.norm(eyes[-1] - eyes[0])
    steps = np.linalg.norm(np.diff(eyes, axis=0), axis=1) * size
    assert np.allclose(steps, np.linalg.norm(np.diff(truth, axis=0), axis=1), atol=0.02)


def test_what_can_not_be_solved_says_why() -> None:
    few = Followed(np.repeat(np.arange(10), 5), np.tile(np.arange(5), 10).astype(np.int64), np.zeros((50, 2)))
    with pytest.raises(NotSolved, match="too few"):
        solve(few, SIZE)
    rng = np.random.default_rng(1)
    wild = {n: Row(np.arange(120), rng.uniform(0, 250, (120, 2)).astype(np.float32)) for n in range(20)}
    with pytest.raises(NotSolved) as fault:
        solve(Followed.of(wild), SIZE)
    assert fault.value.hint
    with pytest.raises(NotSolved, match="frames"):
        solve(Followed.of({0: wild[0], 1: wild[1]}, least=2), SIZE)


@pytest.mark.parametrize("bend", [(0.0, 0.0), (-0.15, 0.01), (0.1, 0.0)])
def test_a_lens_bends_there_and_back(bend: tuple[float, float]) -> None:
    lens = Lens(400.0, SIZE, bend)
    places = np.random.default_rng(1).uniform((0, 0), SIZE, (50, 2))
    assert np.allclose(lens.bent(lens.straight(places)), places, atol=1e-3)
    view = View(turned(np.array([0.1, 0.2, -0.1])), np.array([0.2, -0.1, 0.5]), lens)
    deep = view.eye + view.rays(places) * 3
    assert np.allclose(view.seen(deep), places, atol=1e-3)
    assert np.isnan(view.seen((view.eye - view.rays(places))[:1])).all()


def test_between_two_views_a_camera_goes_evenly() -> None:
    a, b = way(0), way(10, LENS.at(600))
    middle = between(a, b, 0.5)
    assert np.allclose(middle.eye, (a.eye + b.eye) / 2)
    assert middle.lens.focal == pytest.approx(np.sqrt(420 * 600))
    assert between(a, b, 0) is a


def test_a_plane_of_the_scene_is_seen_again_where_it_is() -> None:
    a, b = way(0), way(30)
    wall = np.array([[0, 0, 9.0], [1, 1, 9], [-2, 0.5, 9], [0.5, -1, 9]])
    found = moved(seen_again(a, b, wall[0], np.array([0, 0, -1.0])), a.seen(wall))
    assert np.allclose(found, b.seen(wall), atol=1e-6)


def test_the_place_under_a_pixel_is_found_by_its_neighbours() -> None:
    view = way(5)
    wall = np.random.default_rng(1).uniform((-4, -2, 9), (5, 2, 9.0001), (200, 3))
    pixel = view.seen(np.array([[0.3, 0.2, 9.0]]))[0]
    found = place_at(view, (float(pixel[0]), float(pixel[1])), view.seen(wall), wall)
    assert np.allclose(found.at, [0.3, 0.2, 9.0], atol=0.05)
    assert abs(found.normal[2]) > 0.95
    assert found.normal @ (view.eye - found.at) > 0


# as a track


def track(**more: object) -> Track:
    return Track(id="cam", name="Camera", kind="camera", frame=0, points=[], **more)  # type: ignore[arg-type]


def stored(lens: Lens = LENS, frames: int = COUNT, still: bool = False) -> dict[int, Measured]:
    """A camera as it is stored, of the true views."""
    views = {n: way(n, lens) for n in range(frames)}
    points = cloud(np.random.default_rng(1))
    scene = Scene(views, dict.fromkeys(views, 0.1), dict.fromkeys(views, 100), points, np.arange(len(points)), still,
                  1.0, 0.1, "")  # fmt: skip
    rows, which = {}, {}
    for n, view in views.items():
        at = view.seen(points)
        inside = np.isfinite(at).all(axis=1)
        rows[n], which[n] = Row(np.flatnonzero(inside), at[inside].astype(np.float32)), np.flatnonzero(inside)
    return as_solved(scene, rows, which, 0, 0.5)


def test_a_solved_camera_is_stored_and_read_again() -> None:
    again = {n: Measured.unpacked(one.packed()) for n, one in stored().items()}
    path = CameraPath(track(), again, SIZE)
    view = path.view(7)
    assert view is not None
    assert np.allclose(view.turn, way(7).turn, atol=1e-8)
    assert path.solved is not None
    assert len(path.solved.points) == 260
    half, beyond = path.view(7.5), path.view(500)
    assert half is not None
    assert beyond is not None
    assert np.allclose(half.eye, (way(7).eye + way(8).eye) / 2, atol=1e-6)
    assert np.allclose(beyond.eye, way(COUNT - 1).eye, atol=1e-6)
    seen, points = path.around(3)
    assert np.allclose(way(3).seen(points), seen, atol=0.01)


@pytest.mark.parametrize("bend", [(0.0, 0.0), (-0.12, 0.0)])
def test_what_rides_on_a_place_of_the_scene_goes_where_that_is_seen(bend: tuple[float, float]) -> None:
    lens = Lens(420.0, SIZE, bend)
    path = CameraPath(track(), stored(lens), SIZE)
    place = np.array([0.4, 0.3, 9.0])
    start = way(2, lens).seen(place[None])
    for how in ("position", "position, size and turn", "perspective"):
        riding = Riding(track="cam", frame=2, how=how, place=(0.4, 0.3, 9.0), facing=(0, 0, -1))  # type: ignore[arg-type]
        for n in (2, 15, 39):
            assert np.allclose(moved(path.moved(riding, n), start), way(n, lens).seen(place[None]), atol=0.05), how
    # where it goes behind something nothing changes; where nothing is solved nothing moves
    assert np.allclose(CameraPath(track(), {}, SIZE).moved(riding, 5), np.eye(3))


def test_a_space_is_laid_out_by_hand() -> None:
    axes = Axes(Space(origin=(1, 1.5, 4), up=(0, -1, 0), ahead=(1, 0.3, 0), size=2.0))
    told = axes.told(np.array([[1, 0.5, 4], [2.0, 1.5, 4]]))
    assert np.allclose(told, [[0, 2, 0], [0, 0, 2]])
    assert np.allclose(axes.solved(told), [[1, 0.5, 4], [2.0, 1.5, 4]])
    with pytest.raises(ValueError, match="two ways"):
        Space(up=(0, 1, 0), ahead=(0, 2, 0))


def test_a_scene_solved_anew_is_laid_over_the_one_before() -> None:
    views = {n: way(n) for n in range(COUNT)}
    turn, shift, size = turned(np.array([0.3, -0.8, 0.2])), np.array([3.0, -1, 2]), 0.4
    other = {n: View(v.turn @ turn.T, size * v.shift - v.turn @ turn.T @ shift, v.lens) for n, v in views.items()}
    points = cloud(np.random.default_rng(1))
    new = Scene(other, {}, {}, size * points @ turn.T + shift, np.arange(len(points)), False, 1.0, 0.1)
    back = aligned(new, views)
    assert np.allclose(back.points, points, atol=1e-6)
    assert np.allclose(back.views[9].eye, views[9].eye, atol=1e-6)


def test_a_camera_goes_to_gltf_and_back() -> None:
    space = Space(origin=(0.5, 1.5, 3), size=1.7)
    path = CameraPath(track(space=space), stored(Lens(420.0, SIZE, (-0.1, 0.01))), SIZE)
    text = gltf(path, 25.0, "Camera")
    document = json.loads(text)
    assert document["asset"]["version"] == "2.0"
    assert document["animations"][0]["channels"][0]["target"]["path"] == "translation"
    scene = read_gltf(text, path.space, SIZE, 25.0, COUNT)
    for n in (0, 17, COUNT - 1):
        assert np.allclose(scene.views[n].eye, way(n).eye, atol=1e-4)
        assert np.allclose(scene.views[n].turn, way(n).turn, atol=1e-4)
        assert scene.views[n].lens.focal == pytest.approx(420.0, abs=0.01)
    assert scene.views[0].lens.bend == (-0.1, 0.01)
    assert solved_points(path) == pytest.approx(scene.points, abs=1e-3)
    assert "element vertex 260" in ply(path)


def solved_points(path: CameraPath) -> F64:
    assert path.solved is not None
    return path.solved.points


@pytest.mark.parametrize("text", ["", "{", "[]", "{}", '{"nodes": [{"camera": 0}], "cameras": [{}], "buffers": []}',
                                  '{"nodes": [], "buffers": [], "cameras": []}'])  # fmt: skip
def test_what_is_no_camera_is_refused(text: str) -> None:
    with pytest.raises(MediaError):
        read_gltf(text, Axes(Space()), SIZE, 25, 10)


def test_nothing_solved_gives_no_file() -> None:
    with pytest.raises(MediaError, match="not solved"):
        gltf(CameraPath(track(), {}, SIZE), 25, "Camera")


# pictures


def test_a_camera_is_solved_from_pictures_and_its_places_hold() -> None:
    trails = Trails(SIZE)
    rows = {n: trails.step(drawn(n), None) for n in range(0, COUNT)}
    seen = Followed.of(rows)
    scene = solve(seen, SIZE)
    places = np.array([[0.5, 0.0, 9.0], [-1.0, 0.8, 9.0], [0.8, 1.5, 6.0]])
    anchors = way(20).seen(places)
    found = anchored(scene, seen, drawn, 20, [(float(x), float(y)) for x, y in anchors])
    assert found is not None
    at = np.array([one.at for one in found])
    error = [np.hypot(*(scene.views[n].seen(at) - way(n).seen(places)).T) for n in range(COUNT)]
    assert np.median(error) < 0.6
    assert np.percentile(error, 90) < 1.6
    told = as_json("cam", scene, found, COUNT + 1, 0.5)
    assert len(told["frames"]) == COUNT + 1
    assert told["frames"][-1]["points"] == [None] * 3
    assert anchored(scene, seen, drawn, COUNT + 5, []) is None


def test_nothing_is_followed_where_it_is_left_out() -> None:
    trails = Trails(SIZE)
    shut = np.zeros((SIZE[1], SIZE[0]), np.float32)
    shut[60:180, 150:330] = 1
    for n in range(4):
        row = trails.step(drawn(n), shut)
        x, y = row.at.T
        assert not ((x > 150) & (x < 330) & (y > 60) & (y < 180)).any()
    assert len(row.ids) > 50


def test_a_pass_goes_on_where_it_was_cut_off_and_keeps_what_was_solved() -> None:
    frames = FramesInMemory()
    one = CameraPass(drawn, None, track(), frames, 0, 23, SIZE)
    steps = iter(one)
    for _ in range(10):
        came = next(steps)
    del steps
    assert came.frame == 9
    again = CameraPass(drawn, None, track(), frames, 0, 23, SIZE, at=9)
    told = [came.done for came in again]
    assert told == sorted(told)
    assert told[-1] == again.total
    assert again.outcome == "end"
    path = CameraPath(track(), frames.frames, SIZE)
    assert path.frames == list(range(24))
    before = path.stored(12)
    # solving anew, cut off: what was solved is there still
    anew = iter(CameraPass(drawn, None, track(), frames, 0, 23, SIZE))
    for _ in range(15):
        next(anew)
    kept = CameraPath(track(), frames.frames, SIZE)
    assert kept.solved is not None
    assert kept.stored(12) is not None
    assert before is not None
    assert np.allclose(kept.stored(12).turn, before.turn)  # type: ignore[union-attr]


# cards


def shot_with(planes: list[dict]) -> dict:
    return {"name": "Shot", "plate": "1", "footage": [footage(*SIZE, COUNT)], "planes": planes}


def stand(planes: list[dict], space: dict | None = None, lens: Lens = LENS, mattes: list[dict] | None = None) -> Stand:
    """A stand on a black plate, with a solved camera."""
    document = shot_with([*planes, {"id": "plate", "name": "Plate", "kind": "plate"}])
    document["tracks"] = [{"id": "cam", "name": "Camera", "kind": "camera", "frame": 0, "points": [], "space": space}]
    document["mattes"] = [*document.get("mattes", []), *(mattes or [])]
    black = np.zeros((SIZE[1], SIZE[0], 3), np.uint8)
    return Stand(Shot.model_validate(document), FrameSources(lambda _, n: black, tracks={"cam": stored(lens)}))


def fill(ident: str, colour: tuple[float, float, float], **card: object) -> dict:
    return {"id": ident, "name": ident, "kind": "fill", "params": {"colour1": colour},
            "card": {"track": "cam", "params": card}}  # fmt: skip


def shown(of: Stand, frame: int) -> F64:
    return np.asarray(work_out(of.result(frame), Cache(1 << 28)), np.float64)


def middle_of(picture: F64) -> tuple[float, float]:
    y, x = np.indices(picture.shape) + 0.5
    return float((x * picture).sum() / picture.sum()), float((y * picture).sum() / picture.sum())


@pytest.mark.parametrize("bend", [(0.0, 0.0), (-0.13, 0.0)])
def test_a_card_stays_at_its_place_in_the_scene(bend: tuple[float, float]) -> None:
    lens = Lens(420.0, SIZE, bend)
    made = stand([fill("card", (1, 1, 1), x=0.4, y=0.2, z=7.0, width=0.5, foot=False)], lens=lens)
    for frame in (0, 20, 39):
        want = way(frame, lens).seen(np.array([[0.4, -0.2, 7.0]]))[0]
        assert middle_of(shown(made, frame)[..., 0]) == pytest.approx(tuple(want), abs=0.5)


def test_a_card_can_stand_on_its_foot_lie_on_the_ground_and_face_the_camera() -> None:
    upright = stand([fill("card", (1, 1, 1), y=-1.5, z=6.0, width=1.0)])
    high = SIZE[1] / SIZE[0]
    rows = np.nonzero(shown(upright, 0)[..., 0].max(axis=1) > 0.5)[0]
    foot, head = way(0).seen(np.array([[0, 1.5, 6.0], [0, 1.5 - high, 6.0]]))[:, 1]
    assert (rows.min(), rows.max() + 1) == pytest.approx((head, foot), abs=1.5)
    lying = stand([fill("card", (1, 1, 1), y=-1.5, z=6.0, width=1.0, lean=90, foot=False)])
    rows = np.nonzero(shown(lying, 0)[..., 0].max(axis=1) > 0.5)[0]
    near, far = way(0).seen(np.array([[0, 1.5, 6 - high / 2], [0, 1.5, 6 + high / 2]]))[:, 1]
    assert (rows.min(), rows.max() + 1) == pytest.approx((far, near), abs=1.5)
    aside = stand([fill("card", (1, 1, 1), x=3, z=4, width=0.8, turn=80)])
    facing = stand([fill("card", (1, 1, 1), x=3, z=4, width=0.8, turn=0, face="to the camera")])
    assert shown(facing, 30)[..., 0].sum() > 1.5 * shown(aside, 30)[..., 0].sum()


def test_cards_go_by_their_distance_and_others_by_the_stand() -> None:
    red, blue = (1.0, 0.0, 0.0), (0.0, 0.0, 1.0)
    near, far = {"z": 4.0, "width": 1.0, "foot": False}, {"z": 8.0, "width": 2.0, "foot": False}
    behind = stand([fill("a", red, **far), fill("b", blue, **near)])
    y, x = SIZE[1] // 2, SIZE[0] // 2
    assert shown(behind, 0)[y, x, 2] > 0.9
    told = stand([fill("a", red, **far, order="by the stand"), fill("b", blue, **near)])
    assert shown(told, 0)[y, x, 0] > 0.9
    # a plane that is no card parts them
    apart = {"id": "mid", "name": "mid", "kind": "fill", "opacity": 0.0}
    parted = stand([fill("a", red, **far), apart, fill("b", blue, **near)])
    assert shown(parted, 0)[y, x, 0] > 0.9


def test_what_is_as_far_as_the_sky_goes_as_the_camera_turns() -> None:
    made = stand([fill("card", (1, 1, 1), x=0.5, z=20.0, width=1.5, far=True, foot=False)])
    for frame in (0, 15):
        ahead = way(frame).turn @ np.array([0.5, 0, 20.0])
        want = ahead[:2] / ahead[2] * 420 + np.array(SIZE) / 2
        assert middle_of(shown(made, frame)[..., 0]) == pytest.approx(tuple(want), abs=0.6)


def test_a_card_behind_the_camera_is_not_seen() -> None:
    assert shown(stand([fill("card", (1, 1, 1), z=-3.0, width=5.0)]), 0)[..., 0].max() < 1e-6
    # one that reaches from before it to behind it shows its near part alone
    through = shown(stand([fill("card", (1, 1, 1), y=-1.5, z=0.0, width=22.0, lean=90, foot=False)]), 0)[..., 0]
    assert through[-1].max() > 0.9
    assert through[: SIZE[1] // 2 - 2].max() < 1e-6


def test_a_card_blurs_as_the_camera_moves() -> None:
    sharp = shown(stand([fill("card", (1, 1, 1), z=4.0, width=0.6, foot=False)]), 20)[..., 0]
    blurred = shown(stand([fill("card", (1, 1, 1), z=4.0, width=0.6, foot=False, shutter=720)]), 20)[..., 0]
    soft = ((blurred > 0.05) & (blurred < 0.95)).sum()
    assert soft > 2 * ((sharp > 0.05) & (sharp < 0.95)).sum()
    assert blurred.sum() == pytest.approx(sharp.sum(), rel=0.03)


def test_haze_takes_what_is_far_more_than_what_is_near() -> None:
    lit = [shown(stand([fill("card", (0, 0, 0), z=z, width=z, foot=False, haze=0.6, haze_colour=(1, 1, 1))]), 0)
           [SIZE[1] // 2, SIZE[0] // 2, 0] for z in (2.0, 10.0)]  # fmt: skip
    assert 0.05 < lit[0] < lit[1]
    assert lit[1] == pytest.approx(0.6, abs=0.03)


def test_a_shadow_lies_on_the_ground_away_from_the_light() -> None:
    white = {"id": "back", "name": "back", "kind": "fill", "params": {"colour1": (1, 1, 1)}}
    card = {"z": 5.0, "width": 0.5, "shadow": 1.0, "shadow_soft": 0.0, "light_turn": 0.0, "light_high": 45.0}
    space = {"origin": (0, 1.5, 0)}
    lit = shown(stand([fill("card", (1, 1, 1), **card), white], space), 0)[..., 0]
    rows = np.nonzero((lit < 0.5).any(axis=1))[0]
    high = 0.5 * SIZE[1] / SIZE[0]
    near = way(0).seen(np.array([[0, 1.5, 5 - high]]))[0, 1]
    foot = way(0).seen(np.array([[0, 1.5, 5.0]]))[0, 1]
    assert (rows.min(), rows.max() + 1) == pytest.approx((foot, near), abs=1.5)


def test_a_card_is_a_matte_by_its_edge_or_its_brightness() -> None:
    pull = {"id": "pull", "kind": "card", "params": {"plane": "card"}}
    planes = [fill("card", (0.5, 0.5, 0.5), x=0.2, z=5.0, width=1.0, foot=False)]
    planes[0]["on"] = False
    made = stand(planes, mattes=[{"id": "m", "name": "Card", "pulls": [pull]}])
    cover = work_out(made.matte("m", 0), Cache(1 << 28))
    assert middle_of(np.asarray(cover, np.float64)) == pytest.approx(
        tuple(way(0).seen(np.array([[0.2, 0, 5]]))[0]), abs=0.5
    )
    pull["params"] = {"plane": "card", "by": "its brightness"}
    dim = stand(planes, mattes=[{"id": "m", "name": "Card", "pulls": [pull]}])
    grey = work_out(dim.matte("m", 0), Cache(1 << 28))
    assert np.median(grey[grey > 0.1]) == pytest.approx(0.5, abs=0.01)
    pull["params"] = {}
    none = stand(planes, mattes=[{"id": "m", "name": "Card", "pulls": [pull]}])
    assert work_out(none.matte("m", 0), Cache(1 << 28)).max() == 0


def test_without_a_solved_camera_a_card_lies_as_it_is() -> None:
    document = shot_with([fill("card", (1, 1, 1), z=5.0)])
    document["tracks"] = [{"id": "cam", "name": "Camera", "kind": "camera", "frame": 0, "points": []}]
    black = np.zeros((SIZE[1], SIZE[0], 3), np.uint8)
    bare = Stand(Shot.model_validate(document), FrameSources(lambda _, n: black))
    assert shown(bare, 0)[..., 0].min() > 0.99


def test_a_camera_that_goes_takes_its_cards_out_of_the_scene() -> None:
    shot = stand([fill("card", (1, 1, 1), z=5.0)]).shot
    ops, said = without_track(shot, "cam")
    assert {"op": "replace", "path": "/planes/0/card", "value": None} in ops
    assert any("card" in one for one in said)


def test_a_card_needs_a_camera_and_a_camera_no_marks() -> None:
    document = shot_with([fill("card", (1, 1, 1))])
    document["tracks"] = [{"id": "cam", "name": "Point", "kind": "point", "frame": 0, "points": [[5, 5]]}]
    with pytest.raises(RecipeError, match="no camera"):
        read_shot(document)
    document["tracks"] = []
    with pytest.raises(RecipeError, match="not there"):
        read_shot(document)
    with pytest.raises(ValueError, match="camera"):
        Track(id="p", name="Point", kind="point", frame=0, points=[(1, 1)], space=Space())
    with pytest.raises(CuvrelError):
        read_shot(
            {**document, "tracks": [{"id": "cam", "name": "C", "kind": "camera", "frame": 0, "points": [[1, 1]]}]}
        )
