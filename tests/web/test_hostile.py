"""What nobody would want to be sent is refused with a sentence or taken in whole, and leaves nothing behind."""

from __future__ import annotations

import resource

import pytest
from bench.hostile import files

from tests.web.conftest import Web, problem

# what is odd and can be worked with all the same
WELCOME = {"one frame", "frames all at once", "4000 x 2", "16384 x 2", "2 x 16384", "named in bad UTF-8",
           "half of an MKV", "sound that jumps by 20 hours", "a hole of two hours",
           "a ZIP that would leave its folder", "a ZIP with a folder that looks like a picture"}  # fmt: skip


@pytest.fixture
def project(web: Web) -> int:
    return web.project()


@pytest.mark.long
def test_every_file_ends_as_ready_or_refused(web: Web, project: int) -> None:
    sent(web, project, list(files(flips=3, swollen=600)))


def test_a_sample_of_such_files_ends_as_ready_or_refused(web: Web, project: int) -> None:
    """Every file that may be taken in, and every third of all others."""
    all_ = list(files(flips=1, swollen=100))
    sent(web, project, [one for n, one in enumerate(all_) if n % 3 == 0 or one[0] in WELCOME])


def sent(web: Web, project: int, wanted: list[tuple[str, str, bytes]]) -> None:
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    taken: set[str] = set()
    for what, name, data in wanted:
        answer = web.upload(project, (name, data))
        if answer.status_code == 202:
            job = web.work(answer.json["job"]["id"])
            (footage,) = web.get(f"/api/projects/{project}").json["footage"]
            assert (job["state"], footage["state"]) in (("done", "ready"), ("failed", "refused")), what
            if footage["state"] == "ready":
                taken.add(what)
                if footage["frames"]:
                    assert web.get(footage["film"]["url"]).status_code == 200, what
            else:
                assert footage["message"] == job["message"], what
                assert footage["message"].endswith("."), what
                assert "inside the program" not in footage["message"], what
            web.client.delete(f"/api/footage/{footage['id']}")
            web.client.delete(f"/api/footage/{footage['id']}?for_good=true")
        else:
            assert problem(answer, 422), what
    assert {what for what in taken if "bytes changed" not in what} <= WELCOME
    grown = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before
    assert grown < 500_000, f"{grown} kB more than before"  # the swollen one alone is 600 MB when unpacked


def test_a_long_name_keeps_its_ending(web: Web, project: int) -> None:
    name = "harbour " * 70 + ".mp4"
    answer = web.upload(project, (name, web.clip.path.read_bytes()))
    assert answer.status_code == 202
    shown = answer.json["footage"]["name"]
    assert len(shown) <= 255
    assert shown.endswith(".mp4")


@pytest.mark.parametrize("name", ["", " ", "\t\u00a0 ", "x" * 121])
def test_names_of_blanks_are_none(web: Web, name: str) -> None:
    assert problem(web.post("/api/projects", {"name": name}), 422)


def test_blanks_about_a_name_do_not_count(web: Web) -> None:
    assert web.post("/api/projects", {"name": "  Quay "}).json["name"] == "Quay"


@pytest.mark.parametrize("number", [-(10**9), 10**12])
def test_an_absurd_first_number_is_refused(web: Web, number: int) -> None:
    shot = web.shot()
    ops = [{"op": "replace", "path": "/first_number", "value": number}]
    assert "first_number" in problem(web.edit(shot, 1, ops), 422)
