"""Strangers: other names, other sites' pages, requests that are too large, addresses that are none."""

from __future__ import annotations

import time

import pytest

from tests.web.conftest import Web, problem


@pytest.mark.parametrize("name", ["evil.example", "127.0.0.1.evil.example", "localhost.evil.example:8017", ""])
def test_a_stranger_s_name_that_leads_here_gets_nothing(web: Web, name: str) -> None:
    for path in ("/api/projects", "/", "/api/events"):
        answer = web.client.get(path, headers={"Host": name})
        assert "not known by this name" in problem(answer, 400)
    assert problem(web.client.post("/api/projects", json={"name": "x"}, headers={"Host": name}), 400)


@pytest.mark.parametrize("name", ["localhost", "127.0.0.1:8017"])
def test_our_own_names_are_known(web: Web, name: str) -> None:
    assert web.client.get("/api/projects", headers={"Host": name}).status_code == 200


def test_another_site_s_page_changes_nothing(web: Web) -> None:
    before = len(web.get("/api/projects").json["projects"])
    for headers in ({"Sec-Fetch-Site": "cross-site"}, {"Origin": "https://evil.example"}):
        answer = web.client.post("/api/projects", json={"name": "x"}, headers=headers)
        assert "another site" in problem(answer, 403)
    assert len(web.get("/api/projects").json["projects"]) == before
    own = {"Sec-Fetch-Site": "same-origin", "Origin": "http://localhost"}
    assert web.client.post("/api/projects", json={"name": "x"}, headers=own).status_code == 201


def test_no_page_of_another_site_may_show_our_pictures(web: Web) -> None:
    headers = web.get("/api/projects").headers
    assert headers["Cross-Origin-Resource-Policy"] == "same-origin"
    assert headers["Referrer-Policy"] == "same-origin"


def test_what_is_no_upload_is_bounded_before_it_is_read(web: Web) -> None:
    whole = b'{"name": "' + b"x" * (17 << 20) + b'"}'
    for path in ("/api/projects", "/api/looks", f"/api/shots/{web.shot()}/edits"):
        answer = web.client.post(path, data=whole, content_type="application/json")
        assert "larger than this server takes" in problem(answer, 413)


@pytest.mark.parametrize("path", ["/" + "a" * 300, "/assets/none.js", "/fonts/none.woff2", "/favicon.png", "/x" * 200])
def test_an_address_that_is_none_is_told_so(web: Web, path: str) -> None:
    answer = web.get(path)
    assert answer.status_code in (200, 404, 503)
    if "." in path:
        assert problem(answer, 404)


def test_small_requests_hold_nobody_for_long(web: Web) -> None:
    shot = web.shot()
    deep = [{"op": "copy", "from": "/planes", "path": "/planes/0/params/x"} for _ in range(40)]
    begun = time.monotonic()
    assert problem(web.edit(shot, 1, deep), 422)
    bake = {"kind": "bake", "places": ["/planes/0"], "first": 0, "last": 10_000_000}
    assert "can't be baked" in problem(web.post(f"/api/shots/{shot}/deeds", bake), 422)
    assert time.monotonic() - begun < 20  # it took minutes, and this machine may be busy
