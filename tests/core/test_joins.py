"""Takes on the stand: lined up, toned, joined along a seam, and how much the join is seen."""

from typing import Any

import cv2
import numpy as np
import pytest

from cuvrel.core.imaging.colour import encode, linear_to_srgb, srgb_to_linear
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.conform import Fit, fitted
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.models import Footage, LineUp, Shot
from cuvrel.core.recipe.new_plane import begun_shot
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.joined import join_seen, lined_up, matched
from cuvrel.core.stand.nodes import Cache, work_out
from cuvrel.core.stand.sources import FrameSources
from cuvrel.core.stand.uncovered import Uncovered
from cuvrel.core.stand.view_kinds import TakesView, VeilView
from cuvrel.core.stand.views import view
from cuvrel.core.takes.line_up import brought
from cuvrel.core.takes.seam import middle_of_change, seam, seen
from cuvrel.core.takes.texture import texture
from tests.core.test_takes import HIGH, WIDE, apart, place

FRAMES, JOIN = 12, 6
LIGHT = (0.8, 0.85, 0.9)
WHOLE = place(5)
TO_WHOLE = np.array([[1, 0, 80.0], [0, 1, 60], [0, 0, 1]])


def lies(n: int) -> np.ndarray:
    """From a pixel of the second take to that of the first, on a frame: its camera breathes a little."""
    turn = np.deg2rad(0.6)
    way = np.array([[np.cos(turn), -np.sin(turn), 6.3 + 0.05 * n], [np.sin(turn), np.cos(turn), -4.6], [0, 0, 1]])
    return np.asarray(way)


def thing(n: int) -> tuple[int, int]:
    return 220 + 3 * n, 140


def first(n: int) -> np.ndarray:
    out = brought(WHOLE, np.linalg.inv(TO_WHOLE), (HIGH, WIDE))
    return grained(out, n)


def second(n: int) -> np.ndarray:
    set_up = WHOLE.copy()
    x, y = thing(n)
    cv2.circle(set_up, (x + 80, y + 60), 22, (235, 60, 40), -1, cv2.LINE_AA)
    out = brought(set_up, np.linalg.inv(TO_WHOLE @ lies(n)), (HIGH, WIDE))
    light = srgb_to_linear(out.astype(np.float32) / 255) * np.array(LIGHT, np.float32)
    return grained(linear_to_srgb(light) * 255, 100 + n)


def grained(picture: np.ndarray, seed: int, amount: float = 1.0) -> np.ndarray:
    noise = np.random.default_rng(seed).normal(0, amount, picture.shape)
    return np.clip(np.round(picture + noise), 0, 255).astype(np.uint8)


def entry(ident: str, **more: Any) -> Footage:
    return Footage(id=ident, name=f"take {ident}", hash="0" * 40,
                   **{"width": WIDE, "height": HIGH, "frames": FRAMES, "fps": 24.0, **more})  # fmt: skip


def joined(take: dict[str, Any] | None = None, mattes: list[dict[str, Any]] | None = None, **of: Any) -> Shot:
    document = begun_shot("Join", entry("1"))
    document["footage"].append(entry("2", **of).model_dump(mode="json"))
    plane = {"id": "t", "name": "Take", "kind": "take", "params": {"footage": "2"}, "first": JOIN}
    document["planes"].insert(0, {**plane, **(take or {})})
    document["mattes"] = mattes or []
    return read_shot(document)


def stand_of(shot: Shot) -> Stand:
    return Stand(shot, FrameSources(lambda ident, n: first(n) if ident == "1" else second(n)))


def found_up(over: Any = "frame", **more: Any) -> LineUp:
    return lined_up(stand_of(joined()), "t", range(JOIN, FRAMES), over, "similar", None, Cache(1 << 28), **more).line_up


SEAM = {
    "id": "m",
    "name": "Join",
    "pulls": [
        {
            "id": "s",
            "kind": "seam",
            "params": {
                "plane": "t",
                "reach": 90.0,
                "soft": 16.0,
                "place": [thing(JOIN)[0] - WIDE / 2, thing(JOIN)[1] - HIGH / 2],
            },
        }
    ],
}
"""The place is where the thing is on the join's first frame; it moves less than its own size until the last one."""


def test_a_take_is_lined_up_on_one_frame_on_several_and_on_each() -> None:
    one, several, each = (found_up(over) for over in ("frame", "all", "each"))
    assert (one.first, len(one.matrices), several.first, len(several.matrices)) == (JOIN, 1, JOIN, 1)
    assert apart(one.at(JOIN), lies(JOIN)) < 0.15
    assert apart(several.at(JOIN), lies(JOIN + 2)) < 0.2
    assert len(each.matrices) == FRAMES - JOIN
    assert max(apart(each.at(n), lies(n)) for n in range(JOIN, FRAMES)) < 0.15
    # beyond the frames that it was found on, the nearest one counts
    assert np.array_equal(each.at(0), each.at(JOIN))


def tuned(**more: Any) -> dict[str, Any]:
    up = found_up("each")
    shot = joined({"line_up": up.model_dump(mode="json")})
    tone = matched(stand_of(shot), "t", range(JOIN, FRAMES), "frame", None, Cache(1 << 28))
    assert 1 / tone.values["red"] == pytest.approx(LIGHT[0], abs=0.02)
    assert 1 / tone.values["blue"] == pytest.approx(LIGHT[2], abs=0.02)
    return {"line_up": up.model_dump(mode="json"),
            "treatments": [{"id": "tone", "kind": "tone", "params": tone.values}], **more}  # fmt: skip


def test_the_take_lies_on_the_plate_in_its_tone() -> None:
    alone = work_out(stand_of(joined(tuned())).result(JOIN + 2), Cache(1 << 28))
    over, plate = encode(alone).astype(float), first(JOIN + 2).astype(float)
    x, y = thing(JOIN + 2)
    still = np.ones((HIGH, WIDE), bool)
    still[y - 30 : y + 30, x - 30 : x + 30] = still[:12] = still[-12:] = still[:, :12] = still[:, -12:] = False
    assert np.abs(over - plate)[still].mean() < 2.2  # its own grain and the plate's
    assert over[y, x, 0] > over[y, x, 1] + 100  # the thing itself
    # before its first frame it is not there
    before = encode(work_out(stand_of(joined(tuned())).result(JOIN - 1), Cache(1 << 28)))
    assert np.array_equal(before, first(JOIN - 1))


def test_the_tone_is_told_over_time_where_the_light_drifts() -> None:
    shot = joined({"line_up": found_up("each").model_dump(mode="json")})

    def drifting(ident: str, n: int) -> np.ndarray:
        if ident == "1":
            return first(n)
        light = srgb_to_linear(second(n).astype(np.float32) / 255) * np.float32(0.94 ** (n - JOIN))
        return np.round(linear_to_srgb(light) * 255).astype(np.uint8)

    found = matched(Stand(shot, FrameSources(drifting)), "t", range(JOIN, FRAMES), "each", None, Cache(1 << 28))
    keys = found.values["red"]["keys"]
    assert [key["frame"] for key in keys] == list(range(JOIN, FRAMES))
    assert keys[-1]["value"] / keys[0]["value"] == pytest.approx(0.94 ** -(FRAMES - 1 - JOIN), rel=0.03)
    # a treatment that looks at what it lies on finds the same by itself
    meeting = joined({"line_up": shot.planes[0].line_up.model_dump(mode="json"),  # type: ignore[union-attr]
                      "treatments": [{"id": "l", "kind": "meet", "params": {"steady": 0.0}}]})  # fmt: skip
    last = FRAMES - 1
    shown = encode(work_out(Stand(meeting, FrameSources(drifting)).result(last), Cache(1 << 28))).astype(float)
    box = np.s_[20:80, 20:120]
    assert np.abs(shown[box].mean(axis=(0, 1)) - first(last)[box].mean(axis=(0, 1))).max() < 2


def test_light_from_behind_leaves_alone_what_has_nothing_in_common_with_it() -> None:
    shot = joined({"treatments": [{"id": "l", "kind": "meet"}], "time": {"offset": 0.0}})
    flat = np.full((HIGH, WIDE, 3), 255, np.uint8)
    stand = Stand(shot, FrameSources(lambda ident, n: first(n) if ident == "1" else flat))
    assert np.array_equal(encode(work_out(stand.result(JOIN), Cache(1 << 28))), flat)


def test_a_seam_runs_around_the_thing_and_is_not_seen() -> None:
    gate = {"gate": {"matte": "m"}}
    stand, cache = stand_of(joined(tuned(**gate), [SEAM])), Cache(1 << 28)
    for n in (JOIN, FRAMES - 1):
        cover = work_out(stand.matte("m", n), cache)
        x, y = thing(n)
        within = np.hypot(*np.mgrid[-y : HIGH - y, -x : WIDE - x]) < 20
        assert cover[within].min() > 0.95
        assert cover[:, :60].max() == cover[:, -60:].max() == 0
        assert ((cover > 0.05) & (cover < 0.95)).mean() > 0.01  # it is soft where the takes agree
        assert work_out(join_seen(stand, stand.shot.plane("t"), n), cache)[0] < 2.5
        shown = encode(work_out(stand.result(n), cache)).astype(int)
        assert shown[y, x, 0] > 200
        assert np.array_equal(shown[:, :60], first(n)[:, :60])
    # before the take there is no join
    assert work_out(join_seen(stand, stand.shot.plane("t"), JOIN - 1), cache)[0] == 0


def test_a_join_out_of_tone_is_seen_and_so_is_a_hard_one_out_of_place() -> None:
    off = tuned(gate={"matte": "m"})
    off["treatments"] = []
    cover = {"id": "m", "name": "Join", "pulls": [{"id": "s", "kind": "shape", "shapes": [
        {"id": "b", "name": "Round", "kind": "ellipse", "keys": [
            {"frame": 0, "x": 250, "y": 140, "width": 140, "height": 100}]}]}]}  # fmt: skip
    stand, cache = stand_of(joined(off, [cover])), Cache(1 << 28)
    assert work_out(join_seen(stand, stand.shot.plane("t"), JOIN), cache)[0] > 4
    moved = tuned(gate={"matte": "m"}, placement={"x": 5.0})
    stand = stand_of(joined(moved, [cover]))
    assert work_out(join_seen(stand, stand.shot.plane("t"), JOIN), cache)[0] > 4
    assert seen(first(0), first(0), first(0), np.zeros((HIGH, WIDE), np.float32)) == 0


def test_a_seam_keeps_within_its_reach_and_needs_a_difference() -> None:
    here, there = first(1), brought(second(1), lies(1), (HIGH, WIDE))
    light = srgb_to_linear(there.astype(np.float32) / 255) / np.array(LIGHT, np.float32)
    there = np.clip(np.round(linear_to_srgb(light) * 255), 0, 255).astype(np.uint8)
    cover = seam(here, there, thing(1), 60, 10)
    away = np.hypot(*np.mgrid[-thing(1)[1] : HIGH - thing(1)[1], -thing(1)[0] : WIDE - thing(1)[0]])
    assert cover[away > 64].max() == 0
    assert seam(here, there, (60, 60), 40, 10).max() == 0  # nothing differs there
    found = middle_of_change(here[15:-15, 15:-15], there[15:-15, 15:-15])
    assert found is not None
    assert np.hypot(found[0][0] + 15 - thing(1)[0], found[0][1] + 15 - thing(1)[1]) < 12
    assert middle_of_change(here, here) is None


def test_what_is_softer_and_what_is_grainier_is_told() -> None:
    sharp = first(0)
    soft = grained(cv2.GaussianBlur(brought(WHOLE, np.linalg.inv(TO_WHOLE), (HIGH, WIDE)), (0, 0), 1.4), 1, 3.0)
    there = np.ones((HIGH, WIDE), bool)
    found = texture(soft, sharp, there)
    assert found.blur == pytest.approx(1.4, abs=0.35)
    assert found.grainier
    assert texture(sharp, soft, there).blur == 0
    assert not texture(sharp, soft, there).grainier


@pytest.mark.parametrize(("of", "says"), [({"width": 640}, "640 x 270"), ({"fps": 25.0}, "25 frames a second")])
def test_takes_of_another_size_or_rate_are_refused(of: dict[str, Any], says: str) -> None:
    with pytest.raises(RecipeError, match=says):
        lined_up(stand_of(joined(**of)), "t", [JOIN], "frame", "similar", None, Cache(1 << 28))


def test_what_shows_nothing_alike_is_refused() -> None:
    stand = Stand(
        joined(), FrameSources(lambda ident, n: first(n) if ident == "1" else np.full((HIGH, WIDE, 3), 90, np.uint8))
    )
    with pytest.raises(RecipeError, match="nothing alike"):
        lined_up(stand, "t", [JOIN], "all", "shift", None, Cache(1 << 28))
    empty = joined({"params": {}})
    with pytest.raises(RecipeError, match="no footage"):
        lined_up(stand_of(empty), "t", [JOIN], "frame", "shift", None, Cache(1 << 28))


def test_a_matte_may_be_of_the_take() -> None:
    by_colour = {"id": "k", "name": "Red", "of": "t", "pulls": [{"id": "c", "kind": "colour_key", "params": {
        "chroma_low": 0.15, "chroma_soft": 0.02}}]}  # fmt: skip
    stand, cache = stand_of(joined(tuned(), [by_colour])), Cache(1 << 28)
    cover = work_out(stand.matte("k", JOIN), cache)
    x, y = thing(JOIN)
    assert cover[y, x] > 0.9
    assert cover[:60].mean() < 0.2
    seen_through = work_out(view(stand, VeilView(matte="k"), JOIN), cache)
    assert np.abs(seen_through[20:60, 20:60].astype(int) - first(JOIN)[20:60, 20:60]).mean() < 6
    apart_ = work_out(view(stand, TakesView(plane="t"), JOIN), cache)
    assert abs(int(apart_[y, x, 0]) - 128) > 60
    assert np.abs(apart_[20:60, 20:60].astype(int) - 128).mean() < 12


def test_a_seam_may_gate_the_take_that_it_looks_at_and_circles_are_still_refused() -> None:
    joined({"gate": {"matte": "m"}}, [SEAM])
    with pytest.raises(RecipeError, match="circle"):
        # what treats the take within its gate needs the gate for its picture
        joined({"gate": {"matte": "m"}, "treatments": [{"id": "g", "kind": "cover"}]}, [SEAM])
    with pytest.raises(RecipeError, match="takes a plane to a line"):
        joined({"line_up": {"matrices": [[0.0] * 9]}})


def test_a_line_up_goes_with_the_plate() -> None:
    shot = joined(tuned())
    document = fitted(shot, Fit(to=10, stretch=2.0, size=2.0, old=(WIDE, HIGH), new=(2 * WIDE, 2 * HIGH)))
    found = LineUp.model_validate(document["planes"][0]["line_up"])
    assert (found.first, len(found.matrices)) == (10 + 2 * JOIN, 2 * (FRAMES - JOIN) - 1)
    before = shot.planes[0].line_up
    assert before is not None
    np.testing.assert_allclose(found.at(found.first + 4), np.diag([2.0, 2, 1]) @ before.at(JOIN + 2), atol=1e-9)


def test_what_a_take_lies_over_is_hidden_of_the_plate() -> None:
    over = {"id": "m", "name": "Round", "pulls": [{"id": "s", "kind": "shape", "shapes": [
        {"id": "b", "name": "Round", "kind": "ellipse", "keys": [
            {"frame": 0, "x": 250, "y": 140, "width": 140, "height": 100}]}]}]}  # fmt: skip
    stand = Uncovered(stand_of(joined({"gate": {"matte": "m"}}, [over])))
    hidden = work_out(stand.hidden(JOIN), Cache(1 << 28))
    assert hidden[140, 250] == 1
    assert hidden[20, 20] == 0
    assert work_out(stand.hidden(JOIN - 1), Cache(1 << 28)).max() == 0
