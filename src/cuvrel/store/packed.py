"""What a packed project holds, read and checked before anything of it is taken over."""

from __future__ import annotations

import io
import json
import tempfile
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from cuvrel.core.follow.adaptation import Lesson
from cuvrel.core.media.probe import BROKEN, unpacked
from cuvrel.core.media.stills import head
from cuvrel.core.media.writer import read_grey
from cuvrel.core.recipe.edits import Ops, check
from cuvrel.core.recipe.errors import CuvrelError, MediaError, RecipeError
from cuvrel.core.stand.portable import FORMAT, within
from cuvrel.core.tracks.path import Measured
from cuvrel.store.disk_space import Room

MOST_JSON, MOST_FRAME, MOST_LESSON = 64 << 20, 64 << 20, 32 << 20  # bytes of what is read as a whole
MOST_MEMBERS = 500_000
Name = Annotated[str, Field(min_length=1, max_length=400)]
Hash = Annotated[str, Field(pattern="^[0-9a-f]{40}$")]
Share = Annotated[float, Field(ge=0, le=1)]


class _Part(BaseModel):
    model_config = ConfigDict(extra="ignore", allow_inf_nan=False)


class PackedFootage(_Part):
    """Footage, where its file lies, and how it is read by hand."""

    id: Annotated[str, Field(max_length=40)]
    name: Annotated[str, Field(max_length=255)]
    file: Name
    hash: Hash
    hand: Annotated[dict[str, str], Field(max_length=20)] = Field(default_factory=dict)


class About(_Part):
    """`project.json`: what else there is."""

    project: Annotated[str, Field(min_length=1)]
    shots: Annotated[list[Name], Field(max_length=5000)]
    footage: Annotated[list[PackedFootage], Field(max_length=5000)]


class Halt(_Part):
    """Why and where following stopped."""

    reason: str
    advice: str
    x: float
    y: float
    radius: float


class Base(_Part):
    """A frame as following had brought it, before it was touched."""

    file: Name | None = None
    doubt: Share = 0.0
    halt: Halt | None = None


class Lessons(_Part):
    """What a touched frame teaches following, by the step that it is learned for."""

    by: str
    files: dict[Literal["1", "-1"], Name]


class PackedFrame(_Part):
    """A stored frame."""

    origin: Literal["touched", "followed", "settled"]
    doubt: Share
    halt: Halt | None = None
    file: Name | None = None
    base: Base | None = None
    lessons: Lessons | None = None


class PackedEdit(_Part):
    """A step of the history."""

    label: str
    gesture: Annotated[str, Field(max_length=40)] | None = None
    ops: Ops
    inverse: Ops


class History(_Part):
    """All steps, of which the first `cursor` are in force."""

    cursor: Annotated[int, Field(ge=0)]
    edits: Annotated[list[PackedEdit], Field(max_length=1_000_000)]


class PackedShot(_Part):
    """A shot's document of any version, its stored frames by owner and number, its history, and the files of the
    shots that lie in it, by the ids that they have there.
    """

    shot: dict[str, Any]
    frames: dict[Annotated[str, Field(min_length=1, max_length=40)], dict[Annotated[int, Field(ge=0)], PackedFrame]]
    history: History | None = None
    shots: dict[Annotated[str, Field(max_length=40)], Name] = Field(default_factory=dict)


class PackedProject:
    """An open packed project. Nothing is unpacked before it is asked for, and no more than it says of itself."""

    def __init__(self, archive: zipfile.ZipFile, folder: Path, room: Room) -> None:
        self._archive, self._folder, self._room = archive, folder, room
        members = archive.infolist()
        if len(members) > MOST_MEMBERS:
            raise RecipeError("It holds more files than a project can.")
        for one in members:
            within(folder, one.filename)
        room.require(1.5 * sum(one.file_size for one in members), "what is in it")
        raw = self._json("project.json")
        if raw.get("cuvrel") != FORMAT:
            raise RecipeError(f"It is of format {str(raw.get('cuvrel'))[:20]}; this program reads {FORMAT}.")
        self.about = About.model_validate(raw)

    def _json(self, name: str) -> dict[str, Any]:
        found = json.loads(self.read(name, MOST_JSON))
        if not isinstance(found, dict):
            raise RecipeError(f"'{name}' is not what it should be.")
        return found

    def file(self, name: str, most: int | None = None) -> Path:
        """A member, of at most so many bytes, unpacked into a file of the scratch folder that may be moved away."""
        to = self._folder / "member"
        size = self._archive.getinfo(name).file_size
        if most is not None and size > most:
            raise RecipeError(f"'{name}' is larger than it can be.")
        self._room.hold(size)
        unpacked(self._archive, name, to, size)
        return to

    def read(self, name: str, most: int) -> bytes:
        """A member of at most so many bytes."""
        return self.file(name, most).read_bytes()

    def shot(self, name: str) -> PackedShot:
        """A shot, with the operations of its history looked at."""
        found = PackedShot.model_validate(self._json(name))
        if found.history is not None:
            if found.history.cursor > len(found.history.edits):
                raise RecipeError(f"The history of '{name}' is not whole.")
            for edit in found.history.edits:
                check(edit.ops)
                check(edit.inverse)
        return found

    def matte(self, name: str, size: tuple[int, int]) -> bytes:
        """A stored matte, which must be of its plate's size, (H, W)."""
        path = self.file(name, MOST_FRAME)
        about = head(path, "matte.png")
        if (about.height, about.width) != size:
            raise RecipeError(f"'{name}' is not as large as its plate.")
        data = path.read_bytes()
        read_grey(data)
        return data

    def measured(self, name: str) -> bytes:
        """What is stored of a track's frame."""
        data = self.read(name, MOST_FRAME)
        Measured.unpacked(data)
        return data

    def lesson(self, name: str) -> bytes:
        """What a touched frame teaches."""
        data = self.read(name, MOST_LESSON)
        with zipfile.ZipFile(io.BytesIO(data)) as arrays:
            if sum(one.file_size for one in arrays.infolist()) > MOST_LESSON:
                raise RecipeError(f"'{name}' is larger than it can be.")
        Lesson.from_bytes(data)
        return data


@contextmanager
def opened(file: Path, name: str, room: Room) -> Iterator[PackedProject]:
    """A packed project to read from. name: what the file is called.

    Raises RecipeError or MediaError, with one sentence, for whatever is wrong with it while the block runs.
    """
    try:
        with tempfile.TemporaryDirectory(prefix="cuvrel-") as folder, zipfile.ZipFile(file) as archive:
            yield PackedProject(archive, Path(folder), room)
    except ValidationError as fault:
        first = fault.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        message = str(first["msg"]).removeprefix("Value error, ")
        raise RecipeError(f"'{name}' is damaged, or no packed project: {where}: {message}.") from fault
    except MediaError as fault:
        raise MediaError(f"'{name}' is damaged: {fault.message}", fault.hint) from fault
    except RecipeError as fault:
        raise RecipeError(f"'{name}' is damaged, or no packed project: {fault.message}", fault.hint) from fault
    except CuvrelError:
        raise
    except (*BROKEN, KeyError, TypeError) as fault:
        raise RecipeError(f"'{name}' is not a packed project, or it is damaged ({fault}).") from fault
