"""A solved camera as open files: glTF 2.0 with an animated camera and the points, and points as PLY; and read again.

glTF is right-handed, y up, and its cameras look along -z; lengths are the hand's units. What glTF has no place for
(the focal length of each frame, the lens's bend) is in the camera's `extras`.
"""

from __future__ import annotations

import base64
import json
from collections.abc import Mapping
from typing import Any

import numpy as np

from cuvrel.core.arrays import F64
from cuvrel.core.camera.lens import Lens, View
from cuvrel.core.camera.path import Axes, CameraPath
from cuvrel.core.camera.solve import Scene
from cuvrel.core.recipe.errors import MediaError

OURS = np.diag([1.0, 1.0, -1.0])  # from the hand's places to glTF's, and back
LENS = np.diag([1.0, -1.0, -1.0])  # from before our cameras to before glTF's, and back
FLOAT, VEC = 5126, {1: "SCALAR", 3: "VEC3", 4: "VEC4"}
MOST = 50_000  # frames of a file


def gltf(path: CameraPath, fps: float, name: str) -> str:
    """The camera and the points as a glTF file, in the hand's units. Raises MediaError where nothing is solved."""
    frames, solved = path.frames, path.solved
    if solved is None or not frames:
        raise MediaError("The camera is not solved yet.", "Solve it first.")
    views = [view for n in frames if (view := path.stored(n)) is not None]
    eyes = path.space.told(np.array([view.eye for view in views])) @ OURS
    turns = [_quaternion(OURS @ path.space.turn.T @ view.turn.T @ LENS) for view in views]
    for n in range(1, len(turns)):
        if turns[n] @ turns[n - 1] < 0:
            turns[n] = -turns[n]
    points = path.space.told(solved.points) @ OURS
    buffer = _Buffer()
    times = buffer.add(np.array(frames, np.float64)[:, None] / fps, True)
    place, turn = buffer.add(eyes), buffer.add(np.array(turns))
    cloud = buffer.add(points, True) if len(points) else None
    (wide, high), lens = path.size, views[0].lens
    extras = {"frames": frames, "focal": [round(view.lens.focal, 4) for view in views], "size": [wide, high],
              "bend": list(lens.bend), "still": solved.still, "error": solved.error}  # fmt: skip
    document: dict[str, Any] = {
        "asset": {"version": "2.0", "generator": "Cuvrel"},
        "scene": 0,
        "scenes": [{"nodes": [0] if cloud is None else [0, 1]}],
        "nodes": [{"name": name, "camera": 0, "translation": eyes[0].tolist(), "rotation": turns[0].tolist()}],
        "cameras": [{"type": "perspective", "name": name, "extras": extras, "perspective": {
            "aspectRatio": wide / high, "yfov": float(2 * np.arctan(high / 2 / lens.focal)), "znear": 0.01}}],
        "animations": [{"name": name, "channels": [
            {"sampler": 0, "target": {"node": 0, "path": "translation"}},
            {"sampler": 1, "target": {"node": 0, "path": "rotation"}}],
            "samplers": [{"input": times, "output": place, "interpolation": "LINEAR"},
                         {"input": times, "output": turn, "interpolation": "LINEAR"}]}],
    }  # fmt: skip
    if cloud is not None:
        document["nodes"].append({"name": "points", "mesh": 0})
        document["meshes"] = [{"name": "points", "primitives": [{"attributes": {"POSITION": cloud}, "mode": 0}]}]
    return json.dumps(document | buffer.told(), separators=(",", ":")) + "\n"


class _Buffer:
    """Numbers of a glTF file, one accessor after another."""

    def __init__(self) -> None:
        self._data, self._views, self._accessors = b"", list[dict[str, Any]](), list[dict[str, Any]]()

    def add(self, rows: F64, bounds: bool = False) -> int:
        """Rows of numbers, (N, k); the accessor that they are."""
        data = np.ascontiguousarray(rows, "<f4")
        self._views.append({"buffer": 0, "byteOffset": len(self._data), "byteLength": data.nbytes})
        self._data += data.tobytes()
        accessor = {"bufferView": len(self._views) - 1, "componentType": FLOAT, "count": len(data),
                    "type": VEC[data.shape[1]]}  # fmt: skip
        if bounds:
            accessor |= {"min": data.min(axis=0).tolist(), "max": data.max(axis=0).tolist()}
        self._accessors.append(accessor)
        return len(self._accessors) - 1

    def told(self) -> dict[str, Any]:
        """As parts of the document."""
        uri = "data:application/octet-stream;base64," + base64.b64encode(self._data).decode()
        return {"buffers": [{"byteLength": len(self._data), "uri": uri}], "bufferViews": self._views,
                "accessors": self._accessors}  # fmt: skip


def _quaternion(turn: F64) -> F64:
    """A rotation as x, y, z, w (Shepperd, Quaternion from Rotation Matrix, 1978)."""
    trace = float(np.trace(turn))
    four = np.array([*(2 * np.diag(turn) - trace), trace])
    k = int(np.argmax(four))
    if k == 3:
        w = 1 + trace
        out = np.array([turn[2, 1] - turn[1, 2], turn[0, 2] - turn[2, 0], turn[1, 0] - turn[0, 1], w])
    else:
        i, j, m = k, (k + 1) % 3, (k + 2) % 3
        out = np.empty(4)
        out[i] = 1 + turn[i, i] - turn[j, j] - turn[m, m]
        out[j], out[m] = turn[j, i] + turn[i, j], turn[m, i] + turn[i, m]
        out[3] = turn[m, j] - turn[j, m]
    return np.asarray(out / np.linalg.norm(out), np.float64)


def _rotation(four: F64) -> F64:
    x, y, z, w = four / np.linalg.norm(four)
    return np.array([
        [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
        [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
        [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
    ])  # fmt: skip


def read_gltf(text: str, axes: Axes, size: tuple[int, int], fps: float, count: int) -> Scene:
    """A camera from a glTF file, whose buffers lie in it, as a scene in the solved space.

    axes: how the hand's units lie in it. size: of the plate; count: its frames. The first camera that is animated, or
    the first there is, counts. Raises MediaError.
    """
    try:
        document = json.loads(text)
        return _scene(document, axes, size, fps, count)
    except MediaError:
        raise
    except (ValueError, KeyError, TypeError, IndexError, StopIteration, AttributeError, RecursionError) as fault:
        raise MediaError("This is no glTF file with a camera that can be read.") from fault


def _scene(document: dict[str, Any], axes: Axes, size: tuple[int, int], fps: float, count: int) -> Scene:
    held = [base64.b64decode(one["uri"].split("base64,", 1)[1], validate=True) for one in document["buffers"]]

    def rows(accessor: int) -> F64:
        about = document["accessors"][accessor]
        view = document["bufferViews"][about["bufferView"]]
        width = {kind: n for n, kind in VEC.items()}[about["type"]]
        if about["componentType"] != FLOAT or view.get("byteStride", 4 * width) != 4 * width:
            raise MediaError("The file's numbers are packed in a way that is not read here.")
        start = view.get("byteOffset", 0) + about.get("byteOffset", 0)
        data = np.frombuffer(held[view.get("buffer", 0)], "<f4", about["count"] * width, start)
        found = data.reshape(-1, width).astype(np.float64)
        if not np.isfinite(found).all() or np.abs(found).max(initial=0) > 1e9:
            raise MediaError("The file holds places that are no numbers, or beyond all measure.")
        return found

    nodes = document["nodes"]
    node = next(n for n, one in enumerate(nodes) if "camera" in one)
    about = document["cameras"][nodes[node]["camera"]]
    extras = about.get("extras") or {}
    place = np.array([nodes[node].get("translation", [0, 0, 0])], np.float64)
    turn = np.array([nodes[node].get("rotation", [0, 0, 0, 1])], np.float64)
    times = {"translation": np.zeros((1, 1)), "rotation": np.zeros((1, 1))}
    tracks = {"translation": place, "rotation": turn}
    for animation in document.get("animations", []):
        for channel in animation["channels"]:
            to = channel["target"]
            if to.get("node") == node and to["path"] in tracks:
                sampler = animation["samplers"][channel["sampler"]]
                times[to["path"]], tracks[to["path"]] = rows(sampler["input"]), rows(sampler["output"])
    last = min(MOST, count, round(float(max(one.max() for one in times.values())) * fps) + 1)
    focal = size[1] / 2 / np.tan(float(about["perspective"]["yfov"]) / 2)
    focals = dict(zip(extras.get("frames", []), extras.get("focal", []), strict=False))
    grown = size[0] / float(extras["size"][0]) if "size" in extras else 1.0
    bend = tuple(float(one) for one in extras.get("bend", (0.0, 0.0)))
    known = set(extras["frames"]) if "frames" in extras else None
    views: dict[int, View] = {}
    for frame in range(last):
        if known is not None and frame not in known:
            continue
        eye = axes.solved(_at(times["translation"], tracks["translation"], frame / fps) @ OURS)
        own = _rotation(_at(times["rotation"], tracks["rotation"], frame / fps, True))
        view_turn = (axes.turn @ OURS @ own @ LENS).T
        lens = Lens(float(focals.get(frame, focal / grown)) * grown, size, (bend[0], bend[1]))
        views[frame] = View(view_turn, -view_turn @ eye, lens)
    if not views or not 1 < focal < 1e6:
        raise MediaError("This is no glTF file with a camera that can be read.")
    cloud = np.zeros((0, 3))
    for mesh in document.get("meshes", []):
        for part in mesh["primitives"]:
            if part.get("mode", 4) == 0:
                cloud = np.vstack([cloud, axes.solved(rows(part["attributes"]["POSITION"]) @ OURS)])
    zeros: Mapping[int, float] = dict.fromkeys(views, 0.0)
    return Scene(views, dict(zeros), dict.fromkeys(views, 0), cloud, np.arange(len(cloud)), bool(extras.get("still")),
                 1.0, float(extras.get("error", 0.0)), "It was read from a file.")  # fmt: skip


def _at(times: F64, values: F64, time: float, turns: bool = False) -> F64:
    """Values at a time, evenly between two samples; the first and the last one hold."""
    n = int(np.clip(np.searchsorted(times[:, 0], time + 1e-7, "right") - 1, 0, len(values) - 1))
    m = min(n + 1, len(values) - 1)
    gap = float(times[m, 0] - times[n, 0]) if m > n else 0.0
    share = float(np.clip((time - times[n, 0]) / gap, 0, 1)) if gap > 0 else 0.0
    after = values[m] if not turns or values[n] @ values[m] >= 0 else -values[m]
    return np.asarray(values[n] + (after - values[n]) * share, np.float64)


def ply(path: CameraPath) -> str:
    """The points as an ASCII PLY file, in the hand's units. Raises MediaError where nothing is solved."""
    solved = path.solved
    if solved is None:
        raise MediaError("The camera is not solved yet.", "Solve it first.")
    points = path.space.told(solved.points)
    head = ["ply", "format ascii 1.0", "comment across, up, ahead", f"element vertex {len(points)}",
            *(f"property float {axis}" for axis in "xyz"), "end_header"]  # fmt: skip
    return "\n".join([*head, *(" ".join(f"{n:.6g}" for n in point) for point in points)]) + "\n"
