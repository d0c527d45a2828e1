"""Which blobs the rows name: the one list that the sweep, backups and the space of a project go by."""

from __future__ import annotations

from functools import cache
from typing import Any

from sqlalchemy import BigInteger, Integer, Select, Subquery, Text, cast, func, literal, null, select, union_all
from sqlalchemy.dialects.postgresql import ARRAY, JSONPATH

from cuvrel.store.models import FootageRow, JobRow, MatteFrame, ShotRow, VersionRow

OTHERS = ("document", "shots", "token", "state", "pictures", "sidecar")  # of a job: keys in these are of other things
_ANYWHERE = 'strict $.** ? (@.type() == "string" && @ like_regex "^[0-9a-f]{40}$")'
_FRAMES = ("$[*].blob", "$[*].base.blob", '$[*].lessons."1"', '$[*].lessons."-1"')


@cache
def named() -> Subquery:
    """A row for every time that a blob is named, in the trash or not.

    Columns: key; kind, which is footage, frames, versions or jobs; project, shot (may be null), and id, that of the
    footage or of the job, null for the others. Footage that was refused needs no file; what was stopped can be run
    again. The list that a job's snapshot holds is not among them (see store/sweep.py).
    """
    parts: list[Select[Any]] = []
    made = (FootageRow.proxy, FootageRow.film, FootageRow.sound)
    for key in (FootageRow.blob, *(_text(one, "blob") for one in made)):
        one = _row("footage", key, FootageRow.project_id, null(), FootageRow.id)
        parts.append(one.where(FootageRow.state != "refused", key != ""))
    for key in (MatteFrame.blob, _text(MatteFrame.base, "blob"), *(_text(MatteFrame.lessons, n) for n in ("1", "-1"))):
        one = _row("frames", key, ShotRow.project_id, MatteFrame.shot_id, null())
        parts.append(one.join(ShotRow, ShotRow.id == MatteFrame.shot_id).where(key.is_not(None)))
    for path in _FRAMES:
        key = _found(VersionRow.frames, path)
        one = _row("versions", key, ShotRow.project_id, VersionRow.document_id, null())
        parts.append(one.select_from(VersionRow).join(ShotRow, ShotRow.id == VersionRow.document_id))
    for column in (JobRow.args, JobRow.result, JobRow.progress):
        key = _found(column.op("-")(cast(list(OTHERS), ARRAY(Text))), _ANYWHERE)
        parts.append(_row("jobs", key, JobRow.project_id, JobRow.shot_id, JobRow.id).select_from(JobRow))
    found = union_all(*parts).subquery()
    return select(found).where(found.c.key.is_not(None)).subquery("named")


def _row(kind: str, key: Any, project: Any, shot: Any, number: Any) -> Select[Any]:
    return select(
        cast(key, Text).label("key"), literal(kind).label("kind"), project.label("project"),
        cast(shot, Integer).label("shot"), cast(number, BigInteger).label("id"),
    )  # fmt: skip


def _text(column: Any, name: str) -> Any:
    """The text under a name of a JSON object; null where there is none."""
    return column.op("->>")(name)


def _found(column: Any, path: str) -> Any:
    """The texts that a path of SQL/JSON finds in a column, a row each."""
    return func.jsonb_path_query(column, cast(path, JSONPATH())).op("#>>")(cast([], ARRAY(Text)))
