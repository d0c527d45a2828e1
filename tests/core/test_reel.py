"""Reels: where pieces lie, how they move by their formula, how they join, what they sound like, timeline files."""

import re
from itertools import pairwise
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from cuvrel.core.arrays import F32
from cuvrel.core.imaging.colour import decode
from cuvrel.core.media.sound import RATE
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.models import Footage, Shot
from cuvrel.core.recipe.new_plane import begun_shot
from cuvrel.core.recipe.reel import MoveParams, Reel, begun_reel
from cuvrel.core.recipe.revise import Checked, revised
from cuvrel.core.recipe.values import START
from cuvrel.core.reel import joins, moves, timeline
from cuvrel.core.sound.mix import Mix
from cuvrel.core.sound.pieces import PiecesSound
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, work_out
from cuvrel.core.stand.placement import placed
from cuvrel.core.stand.sources import FrameSources
from cuvrel.core.tracks.path import Measured

WIDE, HIGH = 64, 36


def frame_of(seed: int, n: int) -> Any:
    """A smooth picture in bytes, another one on every frame."""
    y, x = np.mgrid[0:HIGH, 0:WIDE]
    waves = [np.sin(x / (5 + k) + y / 7 + seed + n / 3) for k in range(3)]
    return np.round(128 + 100 * np.stack(waves, 2)).astype(np.uint8)


def shot_of(seed: int, frames: int = 20, fps: float = 24.0, **more: Any) -> tuple[Shot, FrameSources]:
    plate = Footage(id="f", name="f", hash="0" * 40, width=WIDE, height=HIGH, frames=frames, fps=fps)
    # nodes are keyed by footage and frame: each shot's is called otherwise
    plate = plate.model_copy(update={"id": f"f{seed}"})
    return read_shot(begun_shot(f"Shot {seed}", plate, **more)), FrameSources(lambda _, n: frame_of(seed, n))


def entry_of(shot: Shot, number: int) -> dict[str, Any]:
    about = shot.plate_footage()
    return {"id": f"s{number}", "name": shot.name, "hash": "", "shot": True, "width": WIDE, "height": HIGH,
            "frames": about.frames, "fps": shot.fps}  # fmt: skip


def reel_of(pieces: list[dict[str, Any]], shots: list[Shot], **more: Any) -> Reel:
    document = begun_reel("Reel", **more)
    document["footage"] = [entry_of(one, n) for n, one in enumerate(shots, 1)]
    document["pieces"] = [{"id": f"p{n}", **one} for n, one in enumerate(pieces)]
    found = read_shot(document)
    assert isinstance(found, Reel)
    return found


def result(reel: Reel, shots: list[tuple[Shot, FrameSources]], frame: int, scale: float = 1.0) -> F32:
    inside = {f"s{n}": one for n, one in enumerate(shots, 1)}
    stand = Stand(reel, FrameSources(lambda _, n: frame_of(0, n), shots=inside), scale)
    return np.asarray(work_out(stand.result(frame), Cache(64 << 20)), np.float32)


def light(seed: int, n: int) -> F32:
    return decode(frame_of(seed, n))


A, B = {"shot": "s1", "first": 2, "last": 11}, {"shot": "s2", "first": 0, "last": 9}


def test_pieces_lie_one_behind_the_other_and_share_their_join() -> None:
    shots = [shot_of(1), shot_of(2)]
    reel = reel_of([A, {**B, "join": {"kind": "mix", "length": 4}}, A], [one for one, _ in shots])
    assert [(one.begin, one.count, one.shared) for one in reel.laid()] == [(0, 10, 0), (6, 10, 4), (16, 10, 0)]
    assert reel.plate_footage().frames == 26
    for n, (seed, at) in {0: (1, 2), 5: (1, 7), 10: (2, 4), 15: (2, 9), 16: (1, 2), 25: (1, 11)}.items():
        assert np.array_equal(result(reel, shots, n), light(seed, at))


@given(st.lists(st.tuples(st.integers(1, 9), st.integers(0, 30)), min_size=1, max_size=8))
def test_no_join_takes_more_than_there_is(pieces: list[tuple[int, int]]) -> None:
    shot = shot_of(1)[0]
    made = [{"shot": "s1", "first": 0, "last": count - 1, "join": {"kind": "mix", "length": max(1, length)}}
            for count, length in pieces]  # fmt: skip
    laid = reel_of(made, [shot]).laid()
    for before, after in pairwise(laid):
        assert after.begin == before.end - after.shared
        # each has a frame on which it is alone
        assert before.begin + before.shared < after.begin
        assert after.shared < after.count


def test_a_piece_of_another_rate_keeps_its_time() -> None:
    shots = [shot_of(1, 60, 25.0)]
    piece = {"shot": "s1", "first": 5, "last": 54}
    reel = reel_of([piece], [shots[0][0]], format={"fps": 24.0})
    (laid,) = reel.laid()
    assert laid.count == 48
    assert np.array_equal(result(reel, shots, 24), light(1, 30))
    nearest = result(reel, shots, 13)  # 13 frames of 24 a second are 13.54 of 25
    assert np.array_equal(nearest, light(1, 5 + 14))
    mixed = reel_of([{**piece, "fitting": {"between": "mix"}}], [shots[0][0]], format={"fps": 24.0})
    share = 13 * 25 / 24 - 13
    assert np.abs(result(mixed, shots, 13) - ((1 - share) * light(1, 18) + share * light(1, 19))).max() < 1e-5


# moves


def values(**changes: Any) -> dict[str, Any]:
    return MoveParams.model_validate(changes).at(START)


@pytest.mark.parametrize("kind", ["push in", "pull out"])
def test_a_push_goes_by_its_formula(kind: str) -> None:
    said = values(kind=kind, size=150, ease="both ends")
    for t in (0.0, 0.25, 0.5, 1.0):
        p = 3 * t**2 - 2 * t**3
        p = p if kind == "push in" else 1 - p
        to = moves.placed_at(said, t, WIDE, (10.0, -4.0))
        assert np.allclose(np.diag(to), [1.5**p, 1.5**p, 1])
        # what it goes towards lies at 1 - p of its way from the middle
        assert np.allclose(to @ (10, -4, 1), [10 * (1 - p), -4 * (1 - p), 1])


def test_a_slide_and_a_move_from_and_to() -> None:
    slide = values(kind="slide", size=120, direction=90, way=50, ease="none")
    for t in (0.0, 0.5, 1.0):
        assert np.allclose(moves.placed_at(slide, t, WIDE) @ (0, 0, 1), [0, WIDE * 0.5 * (t - 0.5), 1])
    there = values(kind="from and to", from_size=50, to_size=200, from_place=(-8, 0), to_place=(8, 6), to_turn=90,
                   ease="none")  # fmt: skip
    half = moves.placed_at(there, 0.5, WIDE)
    turned = np.sqrt(0.5)
    assert np.allclose(half, [[turned, -turned, 0], [turned, turned, 3], [0, 0, 1]])
    assert np.allclose(moves.placed_at(values(), 0.3, WIDE), np.eye(3))


@given(st.sampled_from(["none", "at the start", "at the end", "both ends"]), st.floats(0, 100))
def test_every_ease_begins_and_ends_and_overshoots_by_what_is_said(ease: str, over: float) -> None:
    said = values(ease=ease, overshoot=over)
    come = [moves.come(said, t) for t in np.linspace(0, 1, 201)]
    assert abs(come[0]) < 1e-9
    assert abs(come[-1] - 1) < 1e-9
    assert abs(max(come) - (1 + over / 100)) < 1e-6
    assert np.abs(np.diff(come)).max() < 0.06 * (1 + over / 100)  # it never leaps


def test_a_moving_piece_is_the_mean_of_its_places_over_the_shutter() -> None:
    shots = [shot_of(1)]
    move = {"kind": "push in", "size": 160, "shutter": 180, "samples": 5, "border": "mirror", "towards": "a place",
            "place": (9, -5)}  # fmt: skip
    reel = reel_of([{**A, "move": move}], [shots[0][0]])
    for frame in (0, 4, 9):
        said, image = values(**move), light(1, 2 + frame)
        # a direct sum of many places is what few of them come near to
        times = [min(max((frame + 0.25 * (n / 100 - 1)) / 9, 0), 1) for n in range(201)]
        each = [placed(image, [moves.placed_at(said, t, WIDE, (9.0, -5.0))], (HIGH, WIDE), (1, 1), 1.0, "mirror")
                for t in times]  # fmt: skip
        assert np.abs(result(reel, shots, frame) - np.mean(each, axis=0)).max() < 0.02
    # its first frame is whole where nothing is blurred
    still = reel_of([{**A, "move": {**move, "shutter": 0}}], [shots[0][0]])
    assert np.abs(result(still, shots, 0) - light(1, 2)).max() < 1e-5


def test_as_many_places_are_summed_up_as_the_way_is_long() -> None:
    def places(way: float, most: int = 12) -> int:
        return len(moves.enough(lambda t: joins.shift(way * t, 0.0), 3.0, 360.0, most, (WIDE, HIGH), 1.0))

    assert [places(way) for way in (0.0, 0.3, 1.0, 3.0, 40.0)] == [1, 2, 3, 7, 12]
    assert places(40.0, 5) == 5
    assert len(moves.enough(lambda t: joins.shift(9 * t, 0.0), 3.0, 0.0, 12, (WIDE, HIGH), 1.0)) == 1


def test_a_move_goes_towards_a_track_whose_subject_comes_to_lie_in_the_middle() -> None:
    shot, sources = shot_of(1)
    document = shot.model_dump(mode="json")
    document["tracks"] = [{"id": "t", "name": "t", "kind": "point", "frame": 0, "points": [[20.0, 10.0]]}]
    measured = {n: Measured(np.array([[4, 0, 20.0 + n], [0, 4, 10.0], [0, 0, 1.0]]),
                            np.array([[4, 0, 20.0 + n], [0, 4, 10.0], [0, 0, 1.0]])) for n in range(1, 20)}  # fmt: skip
    tracked = FrameSources(lambda _, n: frame_of(1, n), tracks={"t": measured})
    move = {"kind": "push in", "size": 200, "towards": "a track", "track": "t", "shutter": 0, "border": "mirror"}
    reel = reel_of([{"shot": "s1", "first": 0, "last": 19, "move": move}], [shot])
    seen = result(reel, [(read_shot(document), tracked)], 9)
    # nine frames on the track has gone evenly, and is where it is smoothed to as well
    to = moves.placed_at(values(**move), 9 / 19, WIDE, (20 + 9 - WIDE / 2, 10 - HIGH / 2))
    assert np.abs(seen - placed(light(1, 9), [to], (HIGH, WIDE), (1, 1), 1.0, "mirror")).max() < 0.02
    # of a track that is not there (any more) it goes towards the middle
    gone = result(reel, [(shot, sources)], 9)
    to = moves.placed_at(values(**move), 9 / 19, WIDE)
    assert np.abs(gone - placed(light(1, 9), [to], (HIGH, WIDE), (1, 1), 1.0, "mirror")).max() < 0.02


def test_a_shot_of_another_size_fills_fits_or_lies_as_it_is() -> None:
    shots = [shot_of(1)]
    for fit in ("fill", "fit", "as it is"):
        reel = reel_of([{**A, "fitting": {"fit": fit}}], [shots[0][0]], format={"width": 96, "height": 72, "fps": 24})
        cover = result(reel, shots, 3)[..., 3].mean()
        expected = {"fill": 1.0, "fit": 96 * 54 / (96 * 72), "as it is": WIDE * HIGH / (96 * 72)}[fit]
        assert abs(cover - expected) < 0.02, fit


# joins


def test_a_mix_is_between_both_in_linear_light() -> None:
    shots = [shot_of(1), shot_of(2)]
    reel = reel_of([A, {**B, "join": {"kind": "mix", "length": 3, "ease": "none"}}], [one for one, _ in shots])
    begin = reel.laid()[1].begin
    for n in range(3):
        share = (n + 1) / 4
        wanted = (1 - share) * light(1, 2 + begin + n) + share * light(2, n)
        assert np.abs(result(reel, shots, begin + n) - wanted).max() < 1e-5


@pytest.mark.parametrize("kind", ["push", "cover", "uncover"])
def test_a_picture_slides_over_another_one(kind: str) -> None:
    shots = [shot_of(1), shot_of(2)]
    join = {"kind": kind, "length": 3, "ease": "none", "direction": 180, "shutter": 0}
    reel = reel_of([A, {**B, "join": join}], [one for one, _ in shots])
    begin = reel.laid()[1].begin
    half, old, new = WIDE // 2, light(1, 2 + begin + 1), light(2, 1)
    seen = result(reel, shots, begin + 1)  # half of the way, to the left
    left = old[:, half:] if kind != "cover" else old[:, :half]
    right = new[:, :half] if kind != "uncover" else new[:, half:]
    assert np.abs(seen[:, : half - 1] - left[:, :-1]).max() < 1e-4
    assert np.abs(seen[:, half + 1 :] - right[:, 1:]).max() < 1e-4


def test_a_join_through_a_colour_is_that_colour_in_its_middle() -> None:
    old, new = light(1, 0), light(2, 0)
    middle = joins.through_colour(old, new, (1.0, 0.0, 0.0), 0.5)
    assert np.allclose(middle[..., :3], (1, 0, 0), atol=1e-5)
    assert np.allclose(joins.through_colour(old, new, (1, 0, 0), 0.0), old, atol=1e-5)
    assert np.allclose(joins.through_colour(old, new, (1, 0, 0), 1.0), new, atol=1e-5)


def test_a_join_grows_out_of_a_matte_and_ends_everywhere() -> None:
    y, x = np.mgrid[0:HIGH, 0:WIDE]
    matte = (np.hypot(x - 20, y - 18) < 8).astype(np.float32)
    grown = [joins.grown(matte, share, 4.0, False) for share in np.linspace(0, 1, 9)]
    assert grown[0].max() < 1e-3
    assert grown[-1].min() > 1 - 1e-3
    assert all((after - before).min() > -1e-6 for before, after in pairwise(grown))
    first = next(one for one in grown if one.max() > 0.5)
    assert matte[first > 0.5].min() == 1  # the subject's middle comes first
    assert joins.grown(matte, 0.5, 4.0, True)[0, 0] > 0.9  # from the border, the other way round
    assert np.all(joins.grown(matte * 0, 0.3, 4.0, False) == np.float32(0.3))
    shots = [shot_of(1), shot_of(2)]
    reel = reel_of([A, {**B, "join": {"kind": "matte", "length": 3, "ease": "none", "matte": "gone"}}],
                   [one for one, _ in shots])  # fmt: skip
    mixed = 0.5 * light(1, 2 + reel.laid()[1].begin + 1) + 0.5 * light(2, 1)
    assert np.abs(result(reel, shots, reel.laid()[1].begin + 1) - mixed).max() < 1e-5


# the document


def test_what_is_not_there_leaves_a_gap_and_a_reel_without_a_piece_is_empty() -> None:
    shots = [shot_of(1)]
    document = reel_of([A, {**B, "shot": "s2"}], [shots[0][0], shot_of(2)[0]])
    assert result(document, shots, 12).max() == 0  # the second shot is in the trash
    assert np.array_equal(result(document, shots, 3), light(1, 5))
    empty = reel_of([], [])
    assert empty.plate_footage().frames == 1
    assert result(empty, [], 0).max() == 0
    one = reel_of([{"shot": "s1", "first": 4, "last": 4, "move": {"kind": "push in", "shutter": 0}}], [shots[0][0]])
    assert np.abs(result(one, shots, 0) - light(1, 4)).max() < 1e-5


def test_an_edit_of_a_piece_checks_that_piece_alone() -> None:
    before = Checked.of(reel_of([A, B], [shot_of(1)[0], shot_of(2)[0]]).model_dump(mode="json"))
    made = revised(before, [{"op": "replace", "path": "/pieces/1/last", "value": 6}])
    after = made.after.shot
    assert isinstance(after, Reel)
    assert isinstance(before.shot, Reel)
    assert after.pieces[0] is before.shot.pieces[0]
    assert revised(made.after, made.inverse).after.document == before.document
    for wrong in ({"op": "replace", "path": "/pieces/0/shot", "value": "s9"},
                  {"op": "replace", "path": "/pieces/0/first", "value": 90},
                  {"op": "add", "path": "/pieces/0/move/size", "value": 5000.0},
                  {"op": "add", "path": "/pieces/0/move/size", "value": {"keys": [{"frame": 0, "value": 100.0}]}},
                  {"op": "add", "path": "/mattes/0", "value": {"id": "m", "name": "m"}}):  # fmt: skip
        with pytest.raises(RecipeError):
            revised(before, [wrong])


def test_a_shot_lies_in_another_one_as_an_element() -> None:
    inner, outer = shot_of(1, range={"first": 4, "last": 9}), shot_of(2)
    document = outer[0].model_dump(mode="json")
    document["footage"].append(entry_of(inner[0], 1))
    document["planes"].insert(0, {"id": "e", "name": "e", "kind": "element", "params": {"footage": "s1"}})
    shot = read_shot(document)
    sources = FrameSources(lambda _, n: frame_of(2, n), shots={"s1": inner})
    seen = work_out(Stand(shot, sources).result(3), Cache(1 << 24))
    assert np.array_equal(seen, light(1, 4 + 3))
    # what is dropped of footage is dropped of a shot as well: nothing of what is as dark as black is left
    document["planes"][0]["params"]["see_through"] = "black"
    bright, behind = light(1, 4 + 3), light(2, 3)
    through = work_out(Stand(read_shot(document), sources).result(3), Cache(1 << 24))
    alpha = bright[..., :3].max(axis=2, keepdims=True)
    np.testing.assert_allclose(through[..., :3], bright[..., :3] + (1 - alpha) * behind[..., :3], atol=1e-5)
    gone = work_out(Stand(shot, FrameSources(lambda _, n: frame_of(2, n))).result(3), Cache(1 << 24))
    assert np.array_equal(gone, light(2, 3))
    document["plate"] = "s1"
    with pytest.raises(RecipeError, match="is a shot"):
        read_shot(document)


# sound


class Tone:
    """A steady sound."""

    def __init__(self, level: float) -> None:
        self.level, self.count = level, 10 * RATE

    def get(self, first: int, last: int) -> F32:
        return np.full((last - first, 2), self.level, np.float32)


def test_sound_follows_the_pieces_and_joins_with_equal_power() -> None:
    shots = [shot_of(1)[0], shot_of(2)[0]]
    quiet = {"fitting": {"level": -6.0}}
    reel = reel_of([A, {**B, "join": {"kind": "mix", "length": 4}}, {**A, **quiet}], shots)
    mixes = {f"s{n}": Mix(shot, {shot.plate: Tone(0.1 * n)}) for n, shot in enumerate(shots, 1)}
    sound = PiecesSound(reel, mixes)
    whole = sound.get(0, sound.count)[:, 0]

    def at(frame: float) -> float:
        return float(whole[round(frame * RATE / 24)])

    assert abs(at(3) - 0.1) < 1e-4
    assert abs(at(12) - 0.2) < 1e-4
    assert abs(at(20) - 0.1 * 10 ** (-6 / 20)) < 1e-4
    half = np.sqrt(0.5)
    assert abs(at(8) - (0.1 + 0.2) * half) < 1e-3
    pieces = np.concatenate([sound.get(0, 5000), sound.get(5000, 20_000), sound.get(20_000, sound.count)])[:, 0]
    assert np.array_equal(pieces, whole)
    mix = Mix(reel, {"": sound})
    assert np.allclose(mix.get(100, 900), sound.get(100, 900))
    assert not mix.silent


# timeline files


def a_reel() -> Reel:
    shots = [shot_of(1, 96)[0], shot_of(2, 80, 25.0)[0]]
    pieces = [
        {"shot": "s1", "first": 5, "last": 47, "move": {"kind": "push in", "size": 140.0}},
        {"shot": "s2", "first": 10, "last": 59, "join": {"kind": "mix", "length": 12.0}},
        {"shot": "s1", "first": 10, "last": 40, "join": {"kind": "cover", "length": 6.0, "direction": 90.0}},
        {"shot": "s1", "first": 0, "last": 4, "fitting": {"fit": "fit"}},
    ]
    return reel_of(pieces, shots, format={"fps": 24.0}, markers=[{"frame": 50, "name": "First signal"}])


@pytest.mark.parametrize("kind", timeline.KINDS)
def test_a_reel_survives_a_timeline_file(kind: timeline.Kind) -> None:
    reel = a_reel()
    text = timeline.written(reel, {}, {"s1": "quay.mp4"}, kind)
    line = timeline.read(text, kind, f"reel.{kind}", 24.0)
    document, said = timeline.as_reel(line, {one.name: one for one in reel.footage})
    back = read_shot(document)
    assert isinstance(back, Reel)
    assert said == []
    assert [one.model_dump(exclude={"id"}) for one in back.pieces] == [
        one.model_dump(exclude={"id"}) for one in reel.pieces
    ]
    assert back.markers == reel.markers
    assert back.laid()[-1].end == reel.laid()[-1].end
    assert line.media["Shot 1"] == "quay.mp4"


def test_joins_are_dissolves_and_wipes_by_their_names() -> None:
    edl = timeline.written(a_reel(), {}, {}, "edl")
    assert re.search(r"V +D +012", edl)
    assert re.search(r"V +W001 006", edl)
    otio = timeline.written(a_reel(), {}, {}, "otio")
    assert otio.count("SMPTE_Dissolve") == 1
    assert otio.count("SMPTE_Wipe") == 1


def test_an_edit_list_of_somebody_elses_is_read() -> None:
    text = """TITLE: Quay
FCM: NON-DROP FRAME

001  AX       V     C        00:00:00:10 00:00:02:00 01:00:00:00 01:00:01:14
* FROM CLIP NAME: Shot 1
002  AX       V     C        00:00:01:00 00:00:09:00 01:00:01:14 01:00:09:14
* FROM CLIP NAME: Nowhere
"""
    line = timeline.read(text, "edl", "quay.edl", 24.0)
    assert list(line.media) == ["Shot 1", "Nowhere"]
    shot = shot_of(1, 96)[0]
    entries = {"Shot 1": Footage(**entry_of(shot, 1)),
               "Nowhere": Footage(**{**entry_of(shot, 1), "id": "s0", "name": "Nowhere"})}  # fmt: skip
    document, said = timeline.as_reel(line, entries)
    reel = read_shot(document)
    assert isinstance(reel, Reel)
    assert [(one.shot, one.first, one.last) for one in reel.pieces] == [("s1", 10, 47), ("s0", 24, 95)]
    assert said == ["'Nowhere' has the frames 0 to 95; 24 to 215 were asked for."]


@pytest.mark.parametrize("text", ["", "{", "[]", '{"OTIO_SCHEMA": "Clip.1"}', "nothing of the kind", "\x00" * 40])
def test_what_is_no_timeline_gets_a_sentence(text: str) -> None:
    for kind in timeline.KINDS:
        with pytest.raises(RecipeError, match=r"'x\.file'"):
            timeline.read(text, kind, "x.file")
