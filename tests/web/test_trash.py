"""Deleting and taking back over HTTP."""

from tests.web.conftest import Web, problem


def test_a_shot_goes_into_the_trash_comes_back_and_is_deleted_for_good(web: Web) -> None:
    shot = web.shot()
    project = web.get(f"/api/shots/{shot}").json["project"]
    gone = web.client.delete(f"/api/shots/{shot}")
    assert gone.status_code == 200
    assert (gone.json["kind"], gone.json["name"], gone.json["project"]) == ("shot", "Shot 01", project)
    assert web.get(f"/api/projects/{project}").json["shots"] == []
    assert [one["id"] for one in web.get("/api/trash").json["trash"] if one["kind"] == "shot"] == [shot]
    assert web.post(f"/api/shots/{shot}/restore").json["trashed"] is None
    assert [one["id"] for one in web.get(f"/api/projects/{project}").json["shots"]] == [shot]
    assert "in the trash" in problem(web.client.delete(f"/api/shots/{shot}?for_good=true"), 422)
    web.client.delete(f"/api/shots/{shot}")
    assert web.client.delete(f"/api/shots/{shot}?for_good=true").status_code == 200
    problem(web.get(f"/api/shots/{shot}"), 404)
    assert web.get("/api/trash").json["trash"] == []


def test_footage_in_use_stays_with_a_sentence_and_space_is_told(web: Web) -> None:
    shot = web.shot()
    about = web.get(f"/api/shots/{shot}").json
    assert "used by 'Shot 01'" in problem(web.client.delete(f"/api/footage/{about['plate']['id']}"), 422)
    found = web.get(f"/api/projects/{about['project']}/space").json
    assert found["footage"] > len(web.clip.path.read_bytes())
    assert found["total"] == found["footage"] + found["frames"] + found["exports"]


def test_a_project_goes_with_its_shots_and_exports_one_by_one(web: Web) -> None:
    shot = web.shot()
    project = web.get(f"/api/shots/{shot}").json["project"]
    job = web.post(f"/api/shots/{shot}/exports", {"what": "result", "how": "h264", "first": 0, "last": 2}).json["id"]
    assert "under way" in problem(web.client.delete(f"/api/jobs/{job}"), 422)
    assert web.work(job)["state"] == "done"
    assert web.client.delete(f"/api/jobs/{job}").status_code == 200
    assert job not in [one["id"] for one in web.get(f"/api/shots/{shot}").json["jobs"]]
    web.client.delete(f"/api/projects/{project}")
    assert project not in [one["id"] for one in web.get("/api/projects").json["projects"]]
    web.client.delete(f"/api/projects/{project}?for_good=true")
    problem(web.get(f"/api/projects/{project}"), 404)
    problem(web.client.delete("/api/shots/99999"), 404)
