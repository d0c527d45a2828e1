"""Stands are built once for a state of a shot, and anew for any other."""

from __future__ import annotations

from cuvrel.core.stand.build import Stand
from cuvrel.store.shots import found
from cuvrel.web.pictures import stand_of
from tests.web.conftest import Web


def stand(web: Web, shot: int, width: int = 240) -> Stand:
    with web.app.app_context(), web.services.database.session() as session:
        row = found(session, shot)
        return stand_of(session, row, width)


def test_a_stand_lasts_as_long_as_nothing_has_changed(web: Web) -> None:
    shot = web.shot()
    first = stand(web, shot)
    assert stand(web, shot) is first
    assert stand(web, shot, 120) is not first
    assert stand(web, shot) is first
    revision = web.mark(shot)["revision"]
    marked = stand(web, shot)
    assert marked is not first
    assert stand(web, shot) is marked
    web.edit(shot, revision, [{"op": "replace", "path": "/name", "value": "Other"}])
    assert stand(web, shot) is not marked


def test_what_is_stored_or_read_otherwise_makes_another_one(web: Web) -> None:
    shot = web.shot()
    web.mark(shot)
    before = stand(web, shot)
    job = web.post(f"/api/shots/{shot}/follow", {"pull": "t1", "start": 0, "step": 1}).json
    web.work(job["id"])
    after = stand(web, shot)
    assert after is not before
    footage = int(after.shot.plate)
    web.work(web.post(f"/api/footage/{footage}/reading", {"hand": {"range": "full"}}).json["job"]["id"])
    assert stand(web, shot) is not after
