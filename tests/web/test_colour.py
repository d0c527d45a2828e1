"""Colour spaces, views, tables and layers over HTTP, and what comes in several at once."""

from __future__ import annotations

import io
import zipfile
from fractions import Fraction
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
from bench.media import film

from cuvrel.core.media import managed
from cuvrel.core.media.writer import Encoding, VideoWriter, png_bytes
from cuvrel.core.stand.view_kinds import MatteView, PlateView
from tests.core.test_depth import exr
from tests.core.test_managed import greys, lattice_text, log_film, logs
from tests.web.conftest import Web, decoded, problem


def brought(web: Web, project: int, name: str, data: bytes) -> dict[str, Any]:
    up = web.upload(project, (name, data))
    assert up.status_code == 202, up.json
    done = web.work(up.json["job"]["id"])
    assert done["state"] == "done", done
    return next(
        one for one in web.get(f"/api/projects/{project}").json["footage"] if one["id"] == up.json["footage"]["id"]
    )


def read_as(web: Web, footage: int, **hand: str) -> None:
    up = web.post(f"/api/footage/{footage}/reading", {"hand": hand})
    assert up.status_code == 202, up.json
    assert web.work(up.json["job"]["id"])["state"] == "done"


def shot_on(web: Web, project: int, footage: int) -> int:
    return int(web.post(f"/api/projects/{project}/shots", {"name": "Shot", "footage": footage}).json["id"])


def seen(web: Web, shot: int, **how: Any) -> np.ndarray:
    return decoded(web.fetch(shot, 0, width=64, **how).data)[..., ::-1].astype(int)


def test_the_configuration_is_told(web: Web) -> None:
    about = web.get("/api/colour").json
    assert "ACEScct" in {one["name"] for one in about["spaces"]}
    assert (about["views"][0]["display"], about["views"][0]["view"]) == managed.default_view()


def test_log_footage_is_seen_right_and_looked_at_otherwise_by_wish(web: Web, tmp_path: Path) -> None:
    project = web.project()
    log_film(tmp_path / "log.mkv")
    footage = brought(web, project, "log.mkv", (tmp_path / "log.mkv").read_bytes())
    shot = shot_on(web, project, footage["id"])
    flat = seen(web, shot)
    assert np.abs(flat - 255 * logs(greys())).mean() < 4
    read_as(web, footage["id"], colour="ACEScct")
    right = np.clip(managed.viewed(greys(), *managed.default_view()), 0, 1) * 255
    for how in ({}, {"view": PlateView()}):
        assert np.abs(seen(web, shot, **how) - right).mean() < 4
    edit = [{"op": "add", "path": "/viewing", "value": {"kind": "plain"}}]
    assert web.edit(shot, 0, edit).status_code == 200
    assert (seen(web, shot)[:, -12:] > 250).all()
    edit = [{"op": "add", "path": "/viewing", "value": {"kind": "view", "display": "sRGB - Display", "view": "Warm"}}]
    assert web.edit(shot, 1, edit).status_code == 200
    assert "no view 'Warm'" in problem(
        web.get(f"/api/shots/{shot}/keys?view=%7B%22kind%22:%22result%22%7D&first=0&last=1&width=64"), 422
    )
    assert "no colour space" in problem(
        web.post(f"/api/footage/{footage['id']}/reading", {"hand": {"colour": "Nowhere"}}), 422
    )


def test_a_table_is_footage_of_its_own_kind(web: Web, tmp_path: Path) -> None:
    project = web.project()
    table = brought(web, project, "turned.cube", lattice_text(9, lambda r, g, b: (b, r, g)).encode())
    assert (table["kind"], table["frames"], table["codec"]) == ("table", 0, "9 x 9 x 9")
    assert "says 8 entries" in problem(web.upload(project, ("broken.cube", b"LUT_3D_SIZE 2\n0 0 0\n")), 422)
    picture = np.full((48, 64, 3), (200, 120, 40), np.uint8)
    plate = brought(web, project, "a.png", png_bytes(picture))
    shot = shot_on(web, project, plate["id"])
    entry = {key: table[key] for key in ("name", "hash", "width", "height", "frames", "fps")}
    ops = [{"op": "add", "path": "/footage/-", "value": {"id": str(table["id"]), **entry}},
           {"op": "add", "path": "/planes/0/treatments/-",
            "value": {"id": "s", "kind": "table", "params": {"table": str(table["id"])}}}]  # fmt: skip
    assert web.edit(shot, 0, ops).status_code == 200
    assert np.abs(seen(web, shot)[20, 20] - (40, 200, 120)).max() <= 4
    view = [{"op": "add", "path": "/viewing", "value": {"kind": "table", "table": str(table["id"])}}]
    assert web.edit(shot, 1, view).status_code == 200
    assert np.abs(seen(web, shot)[20, 20] - (120, 40, 200)).max() <= 4


def test_layers_are_chosen_and_channels_are_mattes(web: Web, tmp_path: Path) -> None:
    project = web.project()
    far = np.repeat(np.linspace(0, 100, 64, dtype=np.float32)[None], 48, 0)
    planes = {name: np.full((48, 64), value, np.float32) for name, value in
              {"R": 0.5, "G": 0.5, "B": 0.5, "shade.R": 0.0, "shade.G": 0.2, "shade.B": 0.0}.items()}  # fmt: skip
    footage = brought(web, project, "a.0001.exr", exr(tmp_path / "a.exr", {**planes, "Z": far}))
    assert footage["layers"] == ["", "shade", "Z"]
    assert "channel:Z" in footage["parts"]
    shot = shot_on(web, project, footage["id"])
    assert np.ptp(seen(web, shot)[10, 10]) <= 2
    read_as(web, footage["id"], layer="shade")
    red, green, _ = seen(web, shot)[10, 10]
    assert green > red + 60
    pull = {"id": "k", "kind": "part", "params": {"footage": str(footage["id"]), "parts": ["channel:Z"], "high": 100}}
    ops = [{"op": "add", "path": "/mattes/-", "value": {"id": "m", "name": "Far", "pulls": [pull]}}]
    assert web.edit(shot, 0, ops).status_code == 200
    cover = seen(web, shot, view=MatteView(matte="m"))[20, :, 0]
    assert np.abs(cover - far[20] * 2.55).max() <= 4
    lost = [{"op": "replace", "path": "/mattes/0/pulls/0/params/parts", "value": ["channel:W"]}]
    assert web.edit(shot, 1, lost).status_code == 200
    view = MatteView(matte="m").model_dump_json()
    assert "no part 'channel:W'" in problem(web.get(f"/api/shots/{shot}/keys?view={view}&first=0&last=0&width=64"), 422)


def test_a_zip_of_several_sequences_brings_in_each(web: Web) -> None:
    project = web.project()
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        for n in range(1, 4):
            archive.writestr(f"day/fog.{n:04d}.png", png_bytes(np.full((20, 30, 3), n, np.uint8)))
            archive.writestr(f"night/fog.{n:04d}.png", png_bytes(np.full((24, 30, 3), n, np.uint8)))
            jpg = cv2.imencode(".jpg", np.zeros((8, 8, 3), np.uint8))[1].tobytes()
            archive.writestr(f"day/fog.{n:04d}.jpg", jpg)
        archive.writestr("day/notes.txt", "of no interest")
    up = web.upload(project, ("all.zip", packed.getvalue())).json
    assert len(up["others"]) == 2
    for job in web.get(f"/api/projects/{project}").json["jobs"]:
        assert web.work(job["id"])["state"] == "done"
    found = web.get(f"/api/projects/{project}").json["footage"]
    assert {(one["frames"], one["height"]) for one in found} == {(3, 20), (3, 24), (3, 8)}
    assert len({one["name"] for one in found}) == 3


def test_uneven_frames_are_shown_picture_by_picture_where_nobody_works_on_them(web: Web, tmp_path: Path) -> None:
    project = web.project()
    times = [40 * n if n < 10 else 400 + 5 * (n - 10) for n in range(48)]
    film(tmp_path / "a.mkv", "matroska", times=times, base=Fraction(1, 1000))
    footage = brought(web, project, "a.mkv", (tmp_path / "a.mkv").read_bytes())
    assert footage["variable"]
    read_as(web, footage["id"], times="picture by picture")
    footage = web.get(f"/api/projects/{project}").json["footage"][0]
    assert footage["frames"] == 48
    shot = shot_on(web, project, footage["id"])
    said = problem(web.post(f"/api/footage/{footage['id']}/reading", {"hand": {}}), 422)
    assert "its frames would be others" in said
    web.edit(shot, 0, [{"op": "add", "path": "/planes/-", "value": {"id": "p", "name": "Plate", "kind": "plate"}}])
    paces = web.get(f"/api/shots/{shot}/planes/p/paces").json
    assert (paces["rates"], paces["by_clock"]) == ([25, 200], False)
    assert paces["speed"]["keys"][0]["value"] < paces["speed"]["keys"][1]["value"]
    problem(web.get(f"/api/shots/{shot}/planes/q/paces"), 404)


@pytest.mark.parametrize("chosen", [None, 1])
def test_one_of_several_sounds_is_chosen(web: Web, tmp_path: Path, chosen: int | None) -> None:
    import av

    writer = VideoWriter(tmp_path / "v.mkv", Encoding("ffv1", "yuv420p"), 64, 48, 24)
    for _ in range(12):
        writer.write(np.full((48, 64, 3), 0.5, np.float32))
    writer.close()
    opened: Any = av
    with opened.open(str(tmp_path / "v.mkv")) as pictures, opened.open(str(tmp_path / "a.mkv"), "w") as container:
        source = pictures.streams.video[0]
        video = container.add_stream_from_template(source)
        streams = []
        for title, language in (("Boom", "eng"), ("Guide track", "swe")):
            stream = container.add_stream("pcm_s16le", rate=48_000)
            stream.metadata.update({"title": title, "language": language})
            streams.append(stream)
        for packet in pictures.demux(source):
            if packet.dts is not None:
                packet.stream = video
                container.mux(packet)
        for stream, loud in zip(streams, (3000, 12_000), strict=True):
            frame = av.AudioFrame.from_ndarray(np.full((1, 2 * 24_000), loud, np.int16), "s16", "stereo")
            frame.sample_rate, frame.pts, frame.time_base = 48_000, 0, Fraction(1, 48_000)
            container.mux(stream.encode(frame))
            container.mux(stream.encode(None))
    project = web.project()
    footage = brought(web, project, "a.mkv", (tmp_path / "a.mkv").read_bytes())
    assert [(one["title"], one["language"]) for one in footage["sounds"]] == [("Boom", "eng"), ("Guide track", "swe")]
    if chosen is not None:
        read_as(web, footage["id"], sound=str(footage["sounds"][chosen]["stream"]))
    shot = shot_on(web, project, footage["id"])
    about = web.get(f"/api/shots/{shot}/sound").json
    wave = web.get(f"/api/shots/{shot}/sound/{about['key']}/0.wav").data
    loud = np.frombuffer(wave[-4000:], np.int16)
    assert abs(int(np.median(np.abs(loud[loud != 0]))) - (3000 if chosen is None else 12_000)) < 400
