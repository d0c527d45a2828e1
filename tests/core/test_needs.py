"""What a declared thing may look at besides its picture, and when its pictures are another's."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
import pytest

from cuvrel.core.imaging.colour import decode
from cuvrel.core.recipe import declared as registry
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Params, Stage, declare, number
from cuvrel.core.recipe.needs import Need, Pictures, alpha, footage, matte, own, plane, plate
from cuvrel.core.recipe.values import Env, Scalar
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.costs import costs
from cuvrel.core.stand.nodes import Cache, work_out
from tests.recipes import FakeSources, document
from tests.recipes import footage as listed


class TrialParams(Params):
    """A trial's parameters."""

    back: Scalar = number(3, "Back", -50, 50, step=1)
    lift: Scalar = number(0, "Lift", 0, 10, neutral=0)


@pytest.fixture(autouse=True)
def trials() -> Iterator[None]:
    """What a test declares is gone after it."""
    before = dict(registry._registry)
    yield
    registry._registry.clear()
    registry._registry.update(before)


def earlier(values: dict[str, Any], frame: int) -> list[Need]:
    return [own(frame - int(values["back"]))]


def before(picture: np.ndarray, values: dict[str, Any], context: Context, pictures: Pictures) -> np.ndarray:
    found = pictures[0]
    return np.zeros_like(picture) if found is None else found + np.float32(values["lift"])


def shot(*planes: dict[str, Any], **more: Any) -> dict[str, Any]:
    return document(planes=[*planes, {"id": "plate", "name": "Plate", "kind": "plate"}], **more)


def step(kind: str, ident: str = "s1", **params: Any) -> dict[str, Any]:
    return {"id": ident, "kind": kind, "params": params}


def stand(raw: dict[str, Any], sources: FakeSources | None = None) -> Stand:
    return Stand(read_shot(raw), sources or FakeSources())


def light(frame: int) -> np.ndarray:
    return decode(FakeSources().plate(frame))


CUT = {"id": "cut", "name": "Cut", "kind": "plate", "placement": {}}


def test_a_treatment_sees_its_own_picture_three_frames_before() -> None:
    declare("treatment", "before", "Before", TrialParams, needs=earlier)(before)
    raw = shot({**CUT, "treatments": [step("before")]})
    found = work_out(stand(raw).alone(read_shot(raw).planes[0], 5), Cache(1 << 28))
    assert np.array_equal(found, light(2))
    # before the first frame there is none
    assert work_out(stand(raw).alone(read_shot(raw).planes[0], 1), Cache(1 << 28)).max() == 0


def test_its_own_picture_is_what_the_treatments_before_it_made() -> None:
    declare("treatment", "before", "Before", TrialParams, needs=earlier)(before)
    raw = shot({**CUT, "treatments": [step("before", "a", back=1, lift=0.5), step("before", "b", back=2)]})
    found = work_out(stand(raw).alone(read_shot(raw).planes[0], 5), Cache(1 << 28))
    assert np.allclose(found, light(2) + 0.5)


def test_a_glaze_sees_all_that_lies_behind_it_at_other_frames() -> None:
    declare("treatment", "before", "Before", TrialParams, needs=earlier)(before)
    grade = {"id": "dim", "name": "Dim", "kind": "glaze", "treatments": [step("grade", "g", exposure=-1)]}
    glaze = {"id": "glaze", "name": "Glaze", "kind": "glaze", "treatments": [step("before")]}
    with_glaze, without = stand(shot(glaze, grade)), stand(shot(grade))
    found, wanted = (work_out(node, Cache(1 << 28)) for node in (with_glaze.result(6), without.result(3)))
    assert np.allclose(found, wanted, rtol=1e-5)


def test_mattes_footage_and_planes_are_handed_over_in_the_order_of_the_needs() -> None:
    seen: list[Any] = []

    def needs(values: dict[str, Any], frame: int) -> list[Need]:
        return [matte(frame + 1), matte(frame, "m1"), footage(99, "2"), alpha(0, "2", whole=True), plane(4, "other"),
                plate(frame - 1), footage(0, None)]  # fmt: skip

    def run(picture: np.ndarray, values: dict[str, Any], context: Context, pictures: Pictures) -> np.ndarray:
        seen.extend(pictures[n] for n in range(len(pictures)))
        return picture

    declare("treatment", "looks", "Looks", TrialParams, needs=needs)(run)
    raw = shot(
        {"id": "cut", "name": "Cut", "kind": "cutout", "matte": "m1", "treatments": [step("looks")]},
        {"id": "other", "name": "Other", "kind": "plate"},
        footage=[listed(), listed(32, 24, 5, "2")],
    )
    sources = FakeSources()
    work_out(stand(raw, sources).alone(read_shot(raw).planes[0], 2), Cache(1 << 28))
    assert np.array_equal(seen[0], sources.box(3)), "the plane's own matte"
    assert np.array_equal(seen[1], sources.box(2))
    assert np.array_equal(seen[2], sources.plate(4)), "footage holds at its end"
    assert seen[3].shape == (24, 32), "at its own proportions"
    assert np.array_equal(seen[4], light(4))
    assert np.array_equal(seen[5], sources.plate(1))
    assert seen[6] is None


def test_forty_pictures_are_worked_out_one_after_another() -> None:
    asked: list[int] = []

    class Counted(FakeSources):
        def plate(self, frame: int) -> np.ndarray:
            asked.append(frame)
            return super().plate(frame)

    def run(picture: np.ndarray, values: dict[str, Any], context: Context, pictures: Pictures) -> np.ndarray:
        assert asked == [45], "nothing but the frame itself is worked out beforehand"
        total = picture.copy()
        for n in range(len(pictures)):
            total += pictures[n]
            assert len(asked) == n + 2
        return total

    declare("treatment", "forty", "Forty", TrialParams,
            needs=lambda values, frame: [own(frame - k) for k in range(1, 41)])(run)  # fmt: skip
    raw = shot({**CUT, "treatments": [step("forty")]}, footage=[listed(frames=60)])
    # no room to keep any of them
    found = work_out(stand(raw, Counted()).alone(read_shot(raw).planes[0], 45), Cache(1))
    assert np.allclose(found, sum(light(n) for n in range(5, 46)), rtol=1e-5)


def clocked(**how: Any) -> None:
    def run(picture: np.ndarray, values: dict[str, Any], context: Context) -> np.ndarray:
        return np.full_like(picture, context.frame / context.fps)

    declare("treatment", "clocked", "Clocked", TrialParams, **how)(run)


def test_what_reads_the_clock_changes_with_the_frame_and_what_does_not_keeps_its_key() -> None:
    clocked(clock=lambda values: values["lift"] > 0)
    fill = {"id": "f", "name": "Fill", "kind": "fill"}
    moving = stand(shot({**fill, "treatments": [step("clocked", lift=1)]}))
    resting = stand(shot({**fill, "treatments": [step("clocked", lift=0)]}))
    planes = moving.shot.planes
    found = [float(work_out(moving.alone(planes[0], frame), Cache(1 << 28)).max()) for frame in (0, 3)]
    assert found == [0.0, pytest.approx(3 / 24)]
    assert len({resting.alone(resting.shot.planes[0], frame).key for frame in (0, 3)}) == 1


def test_the_clock_can_not_be_read_without_saying_so() -> None:
    clocked()
    raw = stand(shot({"id": "f", "name": "Fill", "kind": "fill", "treatments": [step("clocked")]}))
    with pytest.raises(RuntimeError, match="clock"):
        work_out(raw.alone(raw.shot.planes[0], 3), Cache(1 << 28))
    assert Context(1.0, now=Env(7.0)).frame == 7


def test_a_treatment_called_as_an_inner_node_is_has_keys_of_its_own() -> None:
    declare("treatment", "blend", "Blend", TrialParams)(lambda picture, values, context: picture)
    declare("pull", "pulls", "Pulls", TrialParams)(lambda rgb, values, context: np.zeros(rgb.shape[:2], np.float32))
    raw = stand(shot({**CUT, "treatments": [step("blend")]}))
    node = raw.alone(raw.shot.planes[0], 0)
    assert node.key != node.inputs[0].key


def test_stages_that_rest_are_left_out_and_the_others_are_kept_apart() -> None:
    ran: list[str] = []

    def staged(name: str) -> Any:
        def run(picture: np.ndarray, values: dict[str, Any], context: Context) -> np.ndarray:
            ran.append(f"{name} {sorted(values)}")
            return picture + np.float32(1)

        return run

    first = Stage("first", staged("first"), ("back",), rests=lambda values: values["back"] == 0)
    declare("treatment", "staged", "Staged", TrialParams, stages=[first])(staged("last"))
    cache = Cache(1 << 28)
    for lift, back in ((0, 3), (1, 3), (1, 0)):
        raw = stand(shot({**CUT, "treatments": [step("staged", lift=lift, back=back)]}))
        work_out(raw.alone(raw.shot.planes[0], 0), cache)
    assert ran == ["first ['back']", "last ['lift']", "last ['lift']", "last ['lift']"]


def test_what_a_treatment_has_worked_out_for_it_is_not_counted_as_its_own_cost() -> None:
    declare("treatment", "before", "Before", TrialParams, needs=earlier)(before)
    raw = stand(shot({**CUT, "treatments": [step("before", back=2)]}))
    found = costs(raw, 5, Cache(1 << 28))
    assert set(found) == {"cut", "plate"}
    assert all(ms >= 0 for ms in found.values())
