"""Sound: read, timed, mixed, hushed, and kept in what is written, in step with the picture."""

from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest

from cuvrel.core.arrays import F32
from cuvrel.core.export.order import Settings, ordered
from cuvrel.core.export.sound_track import Copied, Encoded, sound_for
from cuvrel.core.media.probe import MediaInfo, probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.media.sound import RATE, Stored, extract, peaks, sound_info
from cuvrel.core.media.writer import Encoding, VideoWriter, join_videos
from cuvrel.core.motion.timing import moment
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.sound.mix import Mix
from cuvrel.core.sound.pitch import pitched
from cuvrel.demo.morning import clapper
from cuvrel.demo.sounds import write_wav
from tests.recipes import document

FRAME = RATE / 24


class Tone:
    """A tone from arrays."""

    def __init__(self, hertz: float = 440.0, seconds: float = 4.0) -> None:
        at = np.arange(round(seconds * RATE)) / RATE
        self.samples = np.repeat(0.5 * np.sin(2 * np.pi * hertz * at)[:, None], 2, axis=1).astype(np.float32)
        self.count = len(self.samples)

    def get(self, first: int, last: int) -> F32:
        out = np.zeros((last - first, 2), np.float32)
        begin, end = max(0, first), min(self.count, last)
        if end > begin:
            out[begin - first : end - first] = self.samples[begin:end]
        return out


class Click(Tone):
    """Silence but for one sample at the beginning of a frame."""

    def __init__(self, frame: int, frames: int = 48) -> None:
        super().__init__(seconds=frames / 24)
        self.samples[:] = 0
        self.samples[round(frame * FRAME)] = 1


def shot(frames: int = 48, time: dict[str, Any] | None = None, fps: float = 24, **sound: Any) -> Any:
    entry = {**document()["footage"][0], "frames": frames, "fps": fps}
    under = {**entry, "id": "2", "name": "bell.wav", "width": 0, "height": 0, "frames": 0, "fps": 0}
    planes = [{"id": "p", "name": "Plate", "kind": "plate", "time": time or {}}]
    return read_shot(document(footage=[entry, under], mattes=[], planes=planes, sound=sound))


def loudest(mix: Mix, frames: int) -> float:
    """The frame, with parts of one, on which a mix is loudest."""
    samples = np.abs(mix.get(0, round(frames * FRAME)))[:, 0]
    return float(np.argmax(samples) / FRAME)


def pitch_of(samples: F32) -> float:
    spectrum = np.abs(np.fft.rfft(samples[:, 0] * np.hanning(len(samples))))
    return float(np.argmax(spectrum) * RATE / len(samples))


@pytest.mark.parametrize(("suffix", "sound"), [(".mov", "pcm"), (".mp4", "aac"), (".webm", "opus"), (".mkv", "pcm")])
def test_a_clapper_is_in_step_when_it_is_read(tmp_path: Path, suffix: str, sound: Any) -> None:
    vp9 = Encoding("libvpx-vp9", "yuv420p", {"crf": "30", "b": "0", "deadline": "realtime", "cpu-used": "8"})
    path = clapper(tmp_path / f"c{suffix}", sound=sound, encoding=vp9 if suffix == ".webm" else None)
    info = probe(path)
    reader = Reader(path, info)
    white = [n for n in range(info.frames) if reader.frame(n).mean() > 200]
    assert white == [20]
    assert info.sound is not None
    count = extract(path, info.sound, tmp_path / "s")
    stored = Stored(tmp_path / "s", info.sound.deep)
    assert count == stored.count == pytest.approx(48 * FRAME, abs=RATE * 0.06)
    loud = np.argmax(np.abs(stored.get(0, count))[:, 0])
    assert abs(loud - 20 * FRAME) < 60  # samples; a coder smears a click a little


def test_samples_are_int16_or_as_deep_as_the_file(tmp_path: Path) -> None:
    path = clapper(tmp_path / "c.mov")
    info = probe(path).sound
    assert (info.codec, info.rate, info.channels, info.deep) == ("pcm_s24le", RATE, 2, True)
    write_wav(tmp_path / "w.wav", np.sin(np.arange(RATE) / 20) * 0.3)
    info = probe(tmp_path / "w.wav")
    assert (info.kind, info.sound.channels, info.sound.samples) == ("sound", 1, RATE)
    extract(tmp_path / "w.wav", info.sound, tmp_path / "s")
    stored = Stored(tmp_path / "s", False)
    assert np.abs(stored.get(100, 200)[:, 0] - np.sin(np.arange(100, 200) / 20) * 0.3).max() < 2e-4
    assert not stored.get(-50, 0).any()
    assert not stored.get(RATE, RATE + 50).any()
    assert peaks(stored, 0, RATE, RATE // 4).tolist() == pytest.approx([76] * 4, abs=2)
    assert sound_info(clapper(tmp_path / "d.mov"), 0.5).samples == pytest.approx(1.5 * RATE, abs=2)


def test_sound_at_another_rate_and_from_a_later_moment_is_laid_where_it_belongs(tmp_path: Path) -> None:
    path = tmp_path / "late.mkv"
    with av.open(str(path), "w") as out:
        video = out.add_stream("ffv1", rate=24)
        video.width, video.height, video.pix_fmt = 32, 16, "yuv420p"
        audio = out.add_stream("pcm_s16le", rate=44_100, layout="mono")
        for _ in range(48):
            out.mux(video.encode(av.VideoFrame.from_ndarray(np.zeros((16, 32, 3), np.uint8), format="rgb24")))
        out.mux(video.encode(None))
        tone = (np.sin(np.arange(44_100) / 9) * 20_000).astype(np.int16)
        for begin in range(0, 44_100, 1024):
            frame = av.AudioFrame.from_ndarray(tone[None, begin : begin + 1024], format="s16", layout="mono")
            frame.sample_rate, frame.pts = 44_100, begin + 22_050
            out.mux(audio.encode(frame))
        out.mux(audio.encode(None))
    info = probe(path)
    extract(path, info.sound, tmp_path / "s")
    loud = np.abs(Stored(tmp_path / "s", False).get(0, 2 * RATE))[:, 0] > 0.05
    assert np.flatnonzero(loud)[0] == pytest.approx(RATE / 2, abs=60)
    assert np.flatnonzero(loud)[-1] == pytest.approx(1.5 * RATE, abs=60)


@pytest.mark.parametrize(
    ("time", "at"),
    [
        ({}, 20),
        ({"skip": 5}, 15),
        ({"offset": 7}, 27),
        ({"speed": 50}, 40),
        ({"speed": 200}, 10),
        ({"reverse": True}, 28),
        ({"skip": 10, "speed": 50, "offset": 3}, 23),
        ({"ends": "loop", "drop": 18}, 20),
    ],
)
def test_the_click_stays_with_its_frame_whatever_time_does(time: dict[str, Any], at: float) -> None:
    mix = Mix(shot(time=time), {"1": Click(20)})
    assert loudest(mix, 48) == pytest.approx(at, abs=0.05)


def test_a_slowed_plate_stretches_its_sound_mutes_it_or_leaves_it() -> None:
    slow = {"speed": 50}
    stretched = Mix(shot(time=slow), {"1": Tone()}).get(RATE // 2, RATE)
    assert pitch_of(stretched) == pytest.approx(220, abs=3)
    assert np.abs(stretched).max() == pytest.approx(0.5, abs=0.01)
    assert not Mix(shot(time=slow, slowed="mute"), {"1": Tone()}).get(RATE // 2, RATE).any()
    left = Mix(shot(time=slow, slowed="leave"), {"1": Tone()}).get(RATE // 2, RATE)
    assert pitch_of(left) == pytest.approx(440, abs=3)
    fast = Mix(shot(time={"speed": 200}), {"1": Tone(30_000 / 2)}).get(0, RATE // 4)
    assert np.abs(fast[2000:-2000]).max() < 0.25  # what would be above hearing does not fold back
    keyed = {"speed": {"keys": [{"frame": 0, "value": 100}, {"frame": 47, "value": 25}]}, "shutter": 0}
    bent = Mix(shot(time=keyed), {"1": Tone()})
    assert pitch_of(bent.get(0, 6000)) > 2 * pitch_of(bent.get(80_000, 90_000))


def test_levels_another_sound_and_its_offset() -> None:
    tone = Tone()
    quiet = Mix(shot(level=-6.0), {"1": tone})
    assert np.abs(quiet.get(0, 2000)).max() == pytest.approx(0.5 * 10 ** (-6 / 20), rel=1e-3)
    keyed = {"keys": [{"frame": 0, "value": -60.0, "ease": "linear"}, {"frame": 24, "value": 0.0}]}
    rising = Mix(shot(level=keyed), {"1": tone})
    assert np.abs(rising.get(0, 10)).max() < 1e-4
    assert np.abs(rising.get(RATE, RATE + 2000)).max() == pytest.approx(0.5, rel=0.02)
    under = Mix(shot(on=False, under="2", under_offset=12, under_level=6.0), {"1": tone, "2": Click(0)})
    assert loudest(under, 48) == pytest.approx(12, abs=0.01)
    assert np.abs(under.get(0, RATE)).max() == pytest.approx(10 ** (6 / 20), rel=1e-3)
    both = Mix(shot(under="2"), {"1": tone, "2": Tone(880)})
    assert np.abs(both.get(0, 4000) - tone.get(0, 4000) - Tone(880).get(0, 4000)).max() < 1e-6
    assert Mix(shot(), {}).silent
    assert Mix(shot(on=False), {"1": tone}).silent


def test_hushed_frames_are_silent_or_out_of_their_place() -> None:
    tone = Tone(440)
    mix = Mix(shot(hushes=[{"first": 10, "last": 13}]), {"1": tone})
    begin, end = round(10 * FRAME), round(14 * FRAME)
    assert not mix.get(begin, end).any()
    assert np.array_equal(mix.get(0, begin - 300), tone.get(0, begin - 300))
    assert np.array_equal(mix.get(end + 300, end + 900), tone.get(end + 300, end + 900))
    low = Mix(shot(hushes=[{"first": 0, "last": 40, "how": "pitched"}]), {"1": tone})
    assert pitch_of(low.get(RATE // 2, RATE)) == pytest.approx(440 * 2 ** (-5 / 12), abs=12)
    pieces = np.vstack([low.get(24_000, 30_000), low.get(30_000, 36_000)])
    assert np.abs(pieces - low.get(24_000, 36_000)).max() < 1e-5
    assert len(pitched(tone.get(0, 5000))) == 5000


def test_silence_wins_over_all_that_is_said_of_the_same_moment() -> None:
    silent, pitched_ = {"first": 10, "last": 13}, {"first": 4, "last": 30, "how": "pitched"}
    for hushes in ([silent, pitched_], [pitched_, silent]):
        mix = Mix(shot(hushes=hushes), {"1": Tone()})
        assert not mix.get(round(10 * FRAME), round(14 * FRAME)).any()
        assert mix.get(round(6 * FRAME), round(8 * FRAME)).any()
    # nothing of what is silent comes out beside it, in a grain that reaches there
    click = Mix(shot(hushes=[silent, pitched_]), {"1": Click(12)})
    assert np.abs(click.get(0, round(40 * FRAME))).max() < 1e-6


def test_there_and_back_keeps_to_the_picture_however_often_it_turns() -> None:
    """Frame 3 of ten is seen on frames 3, 15, 21, 33, ... and its click is heard while it is."""
    made = shot(frames=10, time={"ends": "there and back"})
    mix = Mix(made, {"1": Click(3, 10)})
    frames = round(200 * FRAME)
    heard = np.flatnonzero(np.abs(mix.get(0, frames)[:, 0]) > 0.2) / FRAME
    params = made.planes[0].values("time")
    seen = [n for n in range(200) if (found := moment(params, n, 24, 10)) is not None and found.frame == 3]
    # forwards the click begins its frame, backwards it ends it
    assert len({round(one) for one in heard}) == len(seen)
    for n, at in zip(seen, sorted({round(one) for one in heard}), strict=True):
        assert n <= at <= n + 1


def test_a_plate_in_a_slowed_group_is_heard_in_the_time_of_the_group() -> None:
    made = shot().model_dump(mode="json")
    group = {"id": "g", "name": "Held", "kind": "group", "time": {"speed": 50}}
    made["planes"] = [group, {**made["planes"][0], "group": "g"}]
    assert loudest(Mix(read_shot(made), {"1": Click(10)}), 47) == pytest.approx(20, abs=0.1)
    made["planes"][1]["time"] = {"offset": 4}
    assert loudest(Mix(read_shot(made), {"1": Click(10)}), 47) == pytest.approx(28, abs=0.1)
    assert not Mix(read_shot(made), {"1": Click(10)}).plain
    # what is off is neither seen nor heard by
    made["planes"][0]["on"] = False
    made["planes"].append({"id": "q", "name": "Plate", "kind": "plate"})
    assert Mix(read_shot(made), {"1": Click(10)}).plain


def test_the_same_sound_has_the_same_key() -> None:
    one = Mix(shot(), {"1": Tone()}).key
    assert one == Mix(shot(), {"1": Tone()}).key
    assert one != Mix(shot(level=-1.0), {"1": Tone()}).key
    assert one != Mix(shot(time={"speed": 50}), {"1": Tone()}).key


def written(tmp_path: Path, name: str, source: Path, info: MediaInfo, doc: Any, how: str, **more: Any) -> Path:
    """An export's video of black frames, with its sound."""
    extract(source, info.sound, tmp_path / "samples")
    order = ordered(doc, Settings(how=how), **more)
    sound = sound_for(order, Mix(doc, {"1": Stored(tmp_path / "samples", info.sound.deep)}), (source, info))
    form = Encoding("ffv1", "yuv420p") if how == "ffv1" else "h264"
    writer = VideoWriter(tmp_path / f"v-{name}", form, 64, 36, order.rate)
    for frame in order.frames:
        writer.write(np.full((36, 64, 3), 255 if frame == 20 else 0, np.uint8))
    writer.close()
    join_videos([(tmp_path / f"v-{name}", len(order.frames))], tmp_path / name, sound)
    return tmp_path / name


@pytest.mark.parametrize(("how", "suffix", "codec"), [("h264", ".mp4", "aac"), ("prores422", ".mov", "pcm_s24le")])
def test_an_export_keeps_the_click_with_the_white_frame(tmp_path: Path, how: str, suffix: str, codec: str) -> None:
    source = clapper(tmp_path / "c.mov")
    info = probe(source)
    path = written(tmp_path, f"r{suffix}", source, info, shot(level=-1.0), how, first=8, last=40)
    found = probe(path)
    assert (found.frames, found.sound.codec) == (33, codec)
    reader = Reader(path, found)
    assert [n for n in range(33) if reader.frame(n).mean() > 200] == [12]
    extract(path, found.sound, tmp_path / "out")
    loud = np.argmax(np.abs(Stored(tmp_path / "out", found.sound.deep).get(0, RATE * 2))[:, 0])
    assert abs(loud - 12 * FRAME) < 60


def packets(path: Path) -> list[bytes]:
    with av.open(str(path)) as container:
        return [bytes(packet) for packet in container.demux(container.streams.audio[0]) if packet.size]


@pytest.mark.parametrize(("suffix", "sound", "how", "out"), [
    (".mp4", "aac", "h264", ".mp4"), (".mov", "pcm", "prores422", ".mov"), (".mkv", "pcm", "ffv1", ".mkv"),
])  # fmt: skip
def test_sound_that_nobody_touched_is_copied_bit_for_bit(
    tmp_path: Path, suffix: str, sound: Any, how: str, out: str
) -> None:
    source = clapper(tmp_path / f"c{suffix}", sound=sound)
    info = probe(source)
    path = written(tmp_path, f"r{out}", source, info, shot(), how)
    was, now = packets(source), packets(path)
    assert now == was[: len(now)]
    assert len(now) >= len(was) - 1
    extract(path, probe(path).sound, tmp_path / "out")
    loud = np.argmax(np.abs(Stored(tmp_path / "out", probe(path).sound.deep).get(0, RATE * 2))[:, 0])
    assert abs(loud - 20 * FRAME) < 60


def test_it_is_copied_where_that_says_the_same_and_encoded_elsewhere(tmp_path: Path) -> None:
    source = clapper(tmp_path / "c.mp4", sound="aac")
    info = probe(source)
    extract(source, info.sound, tmp_path / "s")
    stored = {"1": Stored(tmp_path / "s", False)}

    def kind(doc: Any, how: str = "h264", **more: Any) -> Any:
        order = ordered(doc, Settings(how=how, **{k: v for k, v in more.items() if k == "sound"}),
                        **{k: v for k, v in more.items() if k != "sound"})  # fmt: skip
        return type(sound_for(order, Mix(doc, stored), (source, info)))

    assert kind(shot()) is Copied
    assert kind(shot(), first=0, last=9) is Copied
    assert kind(shot(), first=3) is Encoded
    assert kind(shot(), how="vp9") is Encoded
    assert kind(shot(level=-3.0)) is Encoded
    assert kind(shot(time={"speed": 50})) is Encoded
    assert kind(shot(hushes=[{"first": 1, "last": 2}])) is Encoded
    assert kind(shot(), sound=False) is type(None)
    assert kind(shot(), how="png8") is type(None)


def test_sound_alone_is_no_picture() -> None:
    with pytest.raises(RecipeError, match="holds no picture"):
        read_shot({**shot().model_dump(mode="json"), "plate": "2"})
    element = {"id": "e", "name": "E", "kind": "element", "params": {"footage": "2"}}
    with pytest.raises(RecipeError, match="holds no picture"):
        read_shot({**shot().model_dump(mode="json"), "planes": [element]})
    with pytest.raises(RecipeError, match="end before"):
        shot(hushes=[{"first": 5, "last": 2}])
