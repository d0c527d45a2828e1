"""What must stay hidden stays hidden: covers by any gate, and what of the plate a stand leaves open."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import declared
from cuvrel.core.recipe.values import Env
from cuvrel.core.redaction import people as people_of
from cuvrel.core.redaction.faces import Face
from cuvrel.core.redaction.people import EVERY, look_through
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, work_out
from cuvrel.core.stand.uncovered import Uncovered
from cuvrel.core.treatments.cover import spread
from tests.core.little import defaults, disc
from tests.recipes import FakeSources, document, footage

PLATE = {"id": "p", "name": "Plate", "kind": "plate"}
COVER = {"id": "c", "name": "Cover", "kind": "glaze", "gate": {"matte": "m"},
         "treatments": [{"id": "s", "kind": "cover"}]}  # fmt: skip
HIGH, WIDE = 48, 64


# any gate


def random_gate(seed: int, pieces: int, faint: bool) -> np.ndarray:
    """Discs, boxes and specks of any coverage."""
    rng = np.random.default_rng(seed)
    out = np.zeros((HIGH, WIDE), np.float32)
    for _ in range(pieces):
        x, y, r = rng.uniform(0, WIDE), rng.uniform(0, HIGH), rng.choice([0.6, 1.5, 4, 9, 20])
        strength = np.float32(rng.choice([0.03, 0.2, 0.6, 1.0]) if faint else 1.0)
        rows, columns = np.mgrid[0:HIGH, 0:WIDE] + 0.5
        one = np.clip(r - np.hypot(columns - x, rows - y) + 0.5, 0, 1)
        out = np.maximum(out, one.astype(np.float32) * strength)
    return out


@settings(max_examples=150)
@given(
    st.integers(0, 2**31), st.integers(1, 12), st.booleans(), st.sampled_from(["mosaic", "blur", "solid"]),
    st.sampled_from(["ride with it", "change places at random"]), st.integers(1, 60),
    st.integers(0, 9), st.integers(0, 9),
)  # fmt: skip
def test_what_a_gate_covers_by_half_keeps_no_pixel_of_the_plate(
    seed: int, pieces: int, faint: bool, how: str, moving: str, cells: int, grow: int, soft: int
) -> None:
    picture = np.ones((HIGH, WIDE, 4), np.float32)
    picture[..., :3] = np.random.default_rng(seed + 1).uniform(0, 1, (HIGH, WIDE, 3))
    matte = random_gate(seed, pieces, faint)
    entry = declared("treatment", "cover")
    values = defaults(entry, how=how, moving=moving, cells=cells, grow=grow, soft=soft)
    out = np.asarray(entry.run(picture, values, Context(1.0, matte, now=Env(3.0))))
    covered = np.maximum(matte, spread(matte, values, 1.0)) >= 0.5
    assert not (out == picture).all(axis=2)[covered].any()


def test_no_cell_is_one_pixel_where_a_grid_ends_at_the_picture_s_corner() -> None:
    """Ends that are half a cell wide by measure may hold one pixel alone."""
    test_what_a_gate_covers_by_half_keeps_no_pixel_of_the_plate.hypothesis.inner_test(
        2551, 7, True, "mosaic", "ride with it", 15, 0, 2
    )


def test_a_speck_beside_a_face_turns_nothing_back_into_plate() -> None:
    """The speck has its box over half the face's, and cells as small as itself."""
    rng = np.random.default_rng(4)
    picture = np.ones((96, 96, 4), np.float32)
    picture[..., :3] = rng.uniform(0, 1, (96, 96, 3))
    face = disc(96, 48, 48, 20)
    alone, both = face.copy(), face.copy()
    both[48, 71] = 0.05
    entry = declared("treatment", "cover")
    for how in ("mosaic", "blur", "solid"):
        by_itself, with_speck = (
            np.asarray(entry.run(picture, defaults(entry, how=how), Context(1.0, one))) for one in (alone, both)
        )
        inside = face > 0.5
        rough = [np.std((one - cv2.GaussianBlur(one, (0, 0), 1.5))[inside]) for one in (by_itself, with_speck)]
        assert rough[1] < 1.3 * rough[0] + 1e-4


# what a stand leaves open


def shot(*planes: dict[str, Any], **more: Any) -> Any:
    shape = {
        "id": "e",
        "name": "Face",
        "kind": "ellipse",
        "keys": [{"frame": 0, "x": 32, "y": 24, "width": 24, "height": 24}],
    }
    matte = {"id": "m", "name": "Face", "pulls": [{"id": "s1", "kind": "shape", "shapes": [shape]}]}
    return read_shot(document(planes=list(planes), mattes=[matte], footage=[footage(WIDE, HIGH)], **more))


def hidden(made: Any, scale: float = 1.0) -> np.ndarray:
    return work_out(Uncovered(Stand(made, FakeSources(), scale)).hidden(3), Cache(1 << 26))


FACE = np.s_[20:28, 28:36]


def test_a_cover_hides_what_lies_under_its_gate_and_nothing_else() -> None:
    found = hidden(shot(COVER, PLATE))
    assert found.shape == (HIGH, WIDE)
    assert found[FACE].min() == 1
    assert found[:4].max() == 0
    assert hidden(shot(PLATE)).max() == 0


GROUP = {"id": "g", "name": "Held", "kind": "group"}
HELD = [{**COVER, "group": "g"}, {**PLATE, "group": "g"}]


@pytest.mark.parametrize(
    ("group", "open_"),
    [
        ({}, 0.0), ({"on": False}, 1.0), ({"opacity": 0.5}, 0.5), ({"placement": {"x": 40}}, 1.0),
        ({"gate": {"matte": "m", "part": "outside"}}, 1.0), ({"first": 5}, 1.0),
    ],
)  # fmt: skip
def test_a_cover_counts_as_its_group_lets_it(group: dict[str, Any], open_: float) -> None:
    below = {"id": "q", "name": "Plate", "kind": "plate"}
    found = hidden(shot({**GROUP, **group}, *HELD, below))
    # what was moved off with the cover is hidden where it was covered; the plate below is seen through
    assert found[FACE].mean() == pytest.approx(1 - open_, abs=0.02)


@pytest.mark.parametrize(
    ("front", "hides"),
    [
        ({"kind": "cutout", "matte": "m"}, False),
        ({"kind": "plate", "blend": "screen"}, False),
        ({"kind": "fill", "gate": {"matte": "m"}}, True),
        ({"kind": "glaze", "treatments": [{"id": "t", "kind": "grade", "params": {"exposure": 1}}]}, True),
    ],
)  # fmt: skip
def test_what_lies_before_a_cover_counts(front: dict[str, Any], hides: bool) -> None:
    found = hidden(shot({"id": "f", "name": "Front", **front}, COVER, PLATE))
    assert (found[FACE].min() > 0.98) == hides
    assert (found[FACE].max() < 0.02) != hides


@pytest.mark.parametrize(
    "weak",
    [{"on": False}, {"opacity": 0.4}, {"blend": "multiply"}, {"gate": {"matte": "m", "invert": True}},
     {"treatments": [{"id": "s", "kind": "cover", "params": {"amount": 50}}]}],
)  # fmt: skip
def test_a_cover_that_lets_through_hides_no_more_than_it_does(weak: dict[str, Any]) -> None:
    assert hidden(shot({**COVER, **weak}, PLATE))[FACE].max() <= 0.51


def test_a_plate_that_is_moved_grown_or_in_another_frame_is_told_in_its_own_pixels() -> None:
    for placement in ({"x": 6, "y": 3}, {"scale": 150}, {"angle": 20, "scale": 60}):
        found = hidden(shot(COVER, {**PLATE, "placement": placement}))
        # the cover stays where it was in the frame, and hides what came there
        assert 0.02 < found.mean() < 0.75
    tall = shot(COVER, PLATE, format={"width": 40, "height": 60})
    found = hidden(tall)
    assert found.shape == (HIGH, WIDE)
    assert found[FACE].min() == 1
    assert found[2, 20] == 0
    assert found[:, :11].min() == 1  # beyond the frame nothing is seen
    assert hidden(tall, 0.5)[np.s_[10:14, 14:18]].min() == 1


# faces that come between two searches


def test_a_small_face_is_told_from_the_frame_on_which_it_comes(monkeypatch: pytest.MonkeyPatch) -> None:
    """Small faces are searched for every second time; what is seen anew is looked for back to the search before."""
    came, small = 2, Face(10, 10, 8, 8, 0.9)

    def there(picture: np.ndarray) -> bool:
        return int(picture[0, 0, 0]) >= came

    monkeypatch.setattr(people_of, "faces", lambda picture, fine: [small] if fine and there(picture) else [])
    monkeypatch.setattr(people_of, "around", lambda picture, at: small if there(picture) else None)
    for count in (4, 9, 2 * EVERY + 1, 30):
        read = lambda n: np.full((4, 4, 3), n, np.uint8)  # noqa: E731
        looked = dict(look_through(read, range(count)))
        assert list(looked) == list(range(count))
        assert [n for n, found in looked.items() if found] == list(range(came, count))
