"""What could be laid on, shown on the frame without writing anything."""

import numpy as np
import pytest

from cuvrel.core.looks.shipped import starters
from cuvrel.core.recipe.declared import all_declared, declared
from cuvrel.core.stand.view_kinds import (
    MatteTarget,
    PlaneTarget,
    StandTarget,
    StarterTry,
    StepTarget,
    Target,
    TreatmentTry,
)
from tests.web.conftest import Web, decoded, problem, said

LINE = {"id": "w", "name": "Outline", "kind": "line", "matte": "m1",
        "treatments": [{"id": "g", "kind": "glow", "params": {}}]}  # fmt: skip


def kinds(family: str) -> set[str]:
    return {entry.kind for entry in all_declared() if entry.family == family}


def looks(of: str) -> set[str]:
    """The looks that ship, of treatments or of planes, as they are called on the shelf."""
    return {f"look:starter-{name}" for name, look in starters().items() if getattr(look, of)}


@pytest.fixture
def shot(web: Web) -> int:
    number = web.shot()
    web.mark(number)
    revision = web.get(f"/api/shots/{number}").json["revision"]
    made = web.edit(number, revision, [{"op": "add", "path": "/planes/0", "value": LINE}])
    assert made.status_code == 200, made.json
    return number


def pictures(web: Web, shot: int, target: Target) -> dict[str, np.ndarray]:
    """The small picture of each thing that can be laid on a target."""
    found = web.get(f"/api/shots/{shot}/tries?target={said(target)}&frame=0&width=120").json["tries"]
    shown = {}
    for one in found:
        answer = web.get(
            f"/api/shots/{shot}/picture/{one['key']}?view={said(one['view'])}&frame={one['frame']}&width=120"
        )
        assert answer.status_code == 200, answer.get_data(as_text=True)
        shown[one["kind"]] = decoded(answer.data)
    return shown


def test_each_treatment_is_shown_on_the_plane_and_nothing_is_written(web: Web, shot: int) -> None:
    before = web.get(f"/api/shots/{shot}").json
    shown = pictures(web, shot, PlaneTarget(plane="w"))
    assert set(shown) == kinds("treatment") | looks("treatments")
    plain = decoded(web.fetch(shot, width=120).data)
    assert (shown["glow"].astype(int) - plain).max() > 20, "a second outline makes it brighter"
    now = web.get(f"/api/shots/{shot}").json
    assert (now["revision"], now["document"]) == (before["revision"], before["document"])


def test_a_treatment_that_needs_a_matte_is_not_shown_on_a_plane_without(web: Web, shot: int) -> None:
    lacking = {entry.kind for entry in all_declared() if entry.family == "treatment" and entry.needs_matte}
    assert lacking
    assert set(pictures(web, shot, PlaneTarget(plane="plate"))) == kinds("treatment") - lacking | looks("treatments")


def test_each_starter_of_a_treatment_is_another_picture(web: Web, shot: int) -> None:
    shown = pictures(web, shot, StepTarget(plane="w", step="g"))
    assert list(shown) == [name for name, _ in declared("treatment", "glow").starters]
    flat = [picture.tobytes() for picture in shown.values()]
    assert len(set(flat)) == len(flat) > 4


def test_each_pull_but_a_second_trace_is_shown_on_the_matte(web: Web, shot: int) -> None:
    shown = pictures(web, shot, MatteTarget(matte="m1"))
    assert set(shown) == kinds("pull") - {"trace"}
    assert all(picture.shape == shown["luma_key"].shape for picture in shown.values())


def test_what_is_not_there_is_told(web: Web, shot: int) -> None:
    for target in (PlaneTarget(plane="none"), MatteTarget(matte="none"), StepTarget(plane="w", step="none"),
                   StandTarget(matte="nowhere")):  # fmt: skip
        problem(web.get(f"/api/shots/{shot}/tries?target={said(target)}&frame=0&width=120"), 404)
    for view in (TreatmentTry(plane="w", treatment="none"), StarterTry(plane="w", step="g", starter=99)):
        problem(web.get(f"/api/shots/{shot}/keys?view={said(view)}&first=0&last=0&width=120"), 422)


def test_each_kind_of_plane_is_shown_as_it_would_begin(web: Web, shot: int) -> None:
    shown = pictures(web, shot, StandTarget(matte="m1"))
    assert set(shown) == kinds("plane") | looks("planes")
    flat = {kind: picture.tobytes() for kind, picture in shown.items()}
    assert len({flat[kind] for kind in ("cutout", "fill", "line", "glaze")}) == 4
    assert set(pictures(web, shot, StandTarget())) == kinds("plane") - {"cutout", "line"} | looks("planes")


def test_a_cdl_file_is_written_of_a_treatment_and_read_into_values(web: Web, shot: int) -> None:
    revision = web.get(f"/api/shots/{shot}").json["revision"]
    step = {"id": "c", "kind": "cdl", "params": {"slope_red": 1.25, "saturation": 0.7}}
    assert web.edit(shot, revision, [{"op": "add", "path": "/planes/0/treatments/-", "value": step}]).status_code == 200
    written = web.get(f"/api/shots/{shot}/treatments/c/cdl?frame=0")
    assert written.headers["Content-Disposition"].endswith('.cdl"')
    found = web.post("/api/cdl", {"text": written.get_data(as_text=True)}).json["values"]
    assert (found["slope_red"], found["slope_green"], found["saturation"]) == (1.25, 1.0, 0.7)
    assert "no CDL file" in problem(web.post("/api/cdl", {"text": "nothing"}), 422)
    wild = "<ColorCorrection><SatNode><Saturation>900</Saturation></SatNode></ColorCorrection>"
    assert "Saturation must lie between" in problem(web.post("/api/cdl", {"text": wild}), 422)
    problem(web.get(f"/api/shots/{shot}/treatments/g/cdl?frame=0"), 404)
