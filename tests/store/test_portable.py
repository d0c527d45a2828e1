"""A packed project comes back whole: the same pixels on every frame, the same history, what following was taught."""

from __future__ import annotations

import json
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
from sqlalchemy import select, text

from cuvrel.core.recipe.models import Shot
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, work_out
from cuvrel.core.stand.view_kinds import MatteView, ResultView
from cuvrel.core.stand.views import view
from cuvrel.store import packing, shots
from cuvrel.store.documents import document_of
from cuvrel.store.footage import entry, make_ready
from cuvrel.store.mattes import frames_of
from cuvrel.store.models import FootageRow, MatteFrame, ShotRow
from cuvrel.store.pictures import StoreSources
from tests.store.conftest import Rig


def more_footage(rig: Rig, name: str) -> dict[str, Any]:
    """The clip's true matte, brought in as other footage."""
    copy = rig.blobs.put(rig.clip.alpha.read_bytes())
    with rig.database.session() as session:
        row = FootageRow(project_id=rig.project, name=name, blob=copy, size=1)
        session.add(row)
        session.flush()
        make_ready(session, row, rig.blobs)
        return entry(row).model_dump(mode="json")


def worked_on(rig: Rig) -> None:
    """A shot with an element, a matte by footage, followed and mended frames, lessons and a history."""
    spray, key = more_footage(rig, "spray.mkv"), more_footage(rig, "key.mkv")
    element = {"id": "spray", "name": "Spray", "kind": "element", "blend": "screen", "params": {"footage": spray["id"]}}
    matte = {"id": "m2", "name": "Key", "pulls": [{"id": "u", "kind": "footage", "params": {"footage": key["id"]}}]}
    rig.mark(0)
    rig.quiet()
    rig.edit([{"op": "add", "path": "/footage/-", "value": one} for one in (spray, key)], label="footage")
    rig.edit([{"op": "add", "path": "/planes/0", "value": element}], label="spray")
    rig.edit([{"op": "add", "path": "/mattes/-", "value": matte}], label="key")
    gate = {"matte": "m2", "part": "inside"}
    rig.edit([{"op": "replace", "path": "/planes/3/gate", "value": gate}], label="gate")
    rig.finish(rig.start_follow(0))
    rig.mark(6)
    rig.finish(rig.start_follow(0))
    rig.edit([{"op": "replace", "path": "/planes/0/params/footage", "value": key["id"]}], label="other spray")
    rig.step("undo")


def pictures(rig: Rig, shot_id: int) -> list[np.ndarray]:
    with rig.database.session() as session:
        row = shots.found(session, shot_id)
        shot: Shot = document_of(session, row).shot
        sources = StoreSources(session, shot_id, shot, rig.blobs, rig.works.readers)
    stand, cache = Stand(shot, sources, 0.25), Cache(1 << 28)
    return [work_out(view(stand, wanted, frame), cache)
            for frame in range(stand.frames)
            for wanted in (ResultView(), MatteView(matte="m1"), MatteView(matte="m2"))]  # fmt: skip


def unpacked(rig: Rig, file: Path) -> ShotRow:
    """Packs the project and unpacks it where all numbers are others."""
    with rig.database.session() as session:
        packing.pack(session, rig.blobs, packing.find_project(session, str(rig.project)), file)
    with rig.database.session() as session:
        for sequence in ("footage_id_seq", "shots_id_seq", "projects_id_seq"):
            session.execute(text(f"SELECT setval('{sequence}', 500)"))
    with rig.database.session() as session:
        new = packing.unpack(session, rig.blobs, file).id
    with rig.database.session() as session:
        row = session.scalar(select(ShotRow).where(ShotRow.project_id == new))
        assert row is not None
        assert row.id > 500
        return row


def test_every_frame_has_the_same_pixels_and_the_history_goes_back_to_the_first_mark(rig: Rig, tmp_path: Path) -> None:
    worked_on(rig)
    row = unpacked(rig, tmp_path / "trial.zip")
    for one, other in zip(pictures(rig, rig.shot), pictures(rig, row.id), strict=True):
        assert np.array_equal(one, other)
    with rig.database.session() as session:
        mine, new = shots.found(session, rig.shot), shots.found(session, row.id)
        assert shots.history(session, new) == shots.history(session, mine) == {"undo": "marks", "redo": "other spray"}

    def undone(shot_id: int, way: str = "undo") -> dict[str, Any] | None:
        with rig.database.session() as session:
            done = getattr(shots, way)(session, shot_id)
            if done is None:
                return None
            rig.touches.store(session, shot_id, done.before.shot, done.after.shot, {})
            return done.after.document

    assert undone(row.id, "redo") is not None
    with rig.database.session() as session:
        document = document_of(session, shots.found(session, row.id)).document
        names = {one["id"]: one["name"] for one in document["footage"]}
        assert names[document["planes"][0]["params"]["footage"]] == "key.mkv", "the redone edit names the new footage"
    assert undone(row.id) is not None
    # all the way back in both: the same mattes, the same frames as they were before they were touched
    while undone(rig.shot) is not None:
        assert undone(row.id) is not None
    assert undone(row.id) is None
    with rig.database.session() as session:
        stored = [[(f.owner, f.frame, f.origin, f.blob) for f in frames_of(session, one)]
                  for one in (rig.shot, row.id)]  # fmt: skip
    assert stored[0] == stored[1]
    assert stored[0], "what following brought before the touch is there again"


def test_what_touched_frames_taught_and_were_before_comes_back(rig: Rig, tmp_path: Path) -> None:
    worked_on(rig)
    with rig.database.session() as session:
        wanted = {f.frame: (f.base, f.lessons) for f in frames_of(session, rig.shot) if f.origin == "touched"}
    assert wanted[6][0]
    assert wanted[6][1]
    row = unpacked(rig, tmp_path / "trial.zip")
    with rig.database.session() as session:
        found = {f.frame: (f.base, f.lessons) for f in frames_of(session, row.id) if f.origin == "touched"}
    assert found == wanted


def test_a_project_packed_by_an_earlier_release_is_unpacked(rig: Rig, tmp_path: Path) -> None:
    """Without a history, with a document of the first version, and frames that tell of no earlier ones."""
    worked_on(rig)
    file = tmp_path / "trial.zip"
    with rig.database.session() as session:
        packing.pack(session, rig.blobs, packing.find_project(session, "Trial"), file)
    old = tmp_path / "old.zip"
    with zipfile.ZipFile(file) as source, zipfile.ZipFile(old, "w") as to:
        for name in source.namelist():
            data = source.read(name)
            if name == "shot-01.json":
                raw = json.loads(data)
                del raw["history"], raw["shot"]["tracks"], raw["shot"]["format"], raw["shot"]["range"]
                raw["shot"]["version"] = 1
                raw["shot"]["mattes"][0]["edge"] = {"clean_black": 0.25}
                for frames in raw["frames"].values():
                    for one in frames.values():
                        one.pop("base", None)
                        one.pop("lessons", None)
                data = json.dumps(raw).encode()
            to.writestr(name, data)
    with rig.database.session() as session:
        new = packing.unpack(session, rig.blobs, old).id
    with rig.database.session() as session:
        row = session.scalar(select(ShotRow).where(ShotRow.project_id == new))
        assert row is not None
        assert document_of(session, row).document["mattes"][0]["edge"] == {"black_point": 0.25}
        count = len(session.scalars(select(MatteFrame).where(MatteFrame.shot_id == row.id)).all())
        assert count == len(frames_of(session, rig.shot))
