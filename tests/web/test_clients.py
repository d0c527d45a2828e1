"""Slow clients: they hold a connection and nothing else, and not for ever."""

from __future__ import annotations

import socket
import time
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager, suppress
from pathlib import Path

import httpx
import numpy as np
import pytest

from cuvrel.jobs.queue import put
from cuvrel.web import clients
from tests.web.conftest import Server, Web

STALLED = 60
BROKEN = 400
SIZE = 12 << 20


@contextmanager
def connected(server: Server, sent: bytes) -> Iterator[socket.socket]:
    """A client that sends this and then nothing."""
    host, _, port = server.url.removeprefix("http://").partition(":")
    with socket.socket() as client:
        client.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 4096)
        client.settimeout(10)
        client.connect((host, int(port)))
        client.sendall(sent)
        yield client


def closed(client: socket.socket, seconds: float) -> bool:
    """Whether the server ends a connection in time; what it still says is read."""
    client.settimeout(seconds)
    try:
        while client.recv(1 << 16):
            pass
    except TimeoutError:
        return False
    except ConnectionError:
        return True
    return True


def large_file(web: Web) -> int:
    """The job of a file that no buffer of a connection holds."""
    blob = web.services.blobs.put(bytes(range(256)) * (SIZE // 256))
    project = web.project()
    with web.database.session() as session:
        job = put(session, "export", project, "Result")
        job.state, job.result = "done", {"blob": blob, "filename": "film.mp4"}
        return job.id


def test_stalled_clients_keep_nobody_waiting(web: Web, server: Server) -> None:
    job = large_file(web)
    head = f"POST /api/projects/1/footage HTTP/1.1\r\nHost: localhost\r\nContent-Length: {5 << 20}\r\n\r\n"
    sent = [
        b"GET /api/projects HTTP/1.1\r\nHost: local",
        head.encode() + bytes(1000),
        f"GET /api/jobs/{job}/file HTTP/1.1\r\nHost: localhost\r\n\r\n".encode(),
        b"",
    ]
    with ExitStack() as stack:
        for n in range(STALLED):
            stack.enter_context(connected(server, sent[n % len(sent)]))
        time.sleep(0.3)
        for path in ("/api/health", "/api/projects"):
            begun = time.monotonic()
            assert httpx.get(server.url + path, timeout=20).status_code == 200
            assert time.monotonic() - begun < 5, "they would hold all threads for much longer"


def test_who_does_not_come_on_is_given_up(web: Web, server: Server, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(clients, "IDLE", 0.4)
    monkeypatch.setattr(clients, "HEAD_SECONDS", 0.4)
    job = large_file(web)
    body = b"POST /api/projects HTTP/1.1\r\nHost: localhost\r\nContent-Length: 500\r\n\r\n{"
    unread = f"GET /api/jobs/{job}/file HTTP/1.1\r\nHost: localhost\r\n\r\n".encode()
    for sent in (b"", b"GET / HT", body):
        with connected(server, sent) as client:
            assert closed(client, 5), sent
    with connected(server, unread) as client:
        time.sleep(2.5)
        got = 0
        try:
            while piece := client.recv(1 << 16):
                got += len(piece)
        except ConnectionError:
            pass
        assert got < SIZE, "the rest is not kept for it"


def test_a_body_that_trickles_is_refused(server: Server, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(clients, "IDLE", 0.5)
    monkeypatch.setattr(clients, "SLOWEST", 1 << 20)
    with connected(server, b"POST /api/projects HTTP/1.1\r\nHost: localhost\r\nContent-Length: 900\r\n\r\n") as client:
        for _ in range(5):
            client.sendall(b" ")
            time.sleep(0.2)
        assert b" 408 " in client.recv(4096)


def cut_after(client: socket.socket, piece: bytes, most: int) -> int:
    """How many bytes a client can send, piece by piece, before its connection ends."""
    sent = 0
    try:
        while sent < most:
            client.sendall(piece)
            sent += len(piece)
            time.sleep(0.002)
    except OSError:
        pass
    return sent


def test_heads_are_bounded(server: Server) -> None:
    with connected(server, b"GET / HTTP/1.1\r\nHost: localhost\r\nX-Long: ") as client:
        assert cut_after(client, b"x" * 100_000, 40 << 20) < 20 << 20
    begun = b"POST /api/projects HTTP/1.1\r\nHost: localhost\r\nTransfer-Encoding: chunked\r\n\r\n2\r\n{}\r\n0\r\n"
    with connected(server, begun) as client:
        assert cut_after(client, b"X-Trailer: " + b"x" * 50_000 + b"\r\n", 40 << 20) < 20 << 20


def test_requests_that_are_broken_end_no_server(web: Web, server: Server) -> None:
    """Bytes changed, left out and repeated in requests that are good: each is answered or cut off, none is a fault."""
    shot = web.shot()
    good = [
        f"GET /api/shots/{shot} HTTP/1.1\r\nHost: localhost\r\nAccept: */*\r\nCookie: a=b\r\n\r\n".encode(),
        b"POST /api/projects HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/json\r\n"
        b'Content-Length: 15\r\n\r\n{"name": "Quay"}',
        b"POST /api/projects/1/footage HTTP/1.1\r\nHost: localhost\r\n"
        b"Content-Type: multipart/form-data; boundary=x\r\nTransfer-Encoding: chunked\r\n\r\n"
        b"2d\r\n--x\r\nContent-Disposition: form-data; name=file\r\n\r\n\r\n0\r\n\r\n",
    ]
    rng = np.random.default_rng(1867)
    for n in range(BROKEN):
        sent = bytearray(good[n % len(good)])
        for _ in range(int(rng.integers(1, 6))):
            at = int(rng.integers(len(sent)))
            match int(rng.integers(3)):
                case 0:
                    sent[at] = int(rng.integers(256))
                case 1:
                    del sent[at : at + int(rng.integers(9))]
                case 2:
                    sent[at:at] = sent[at : at + 40] * int(rng.integers(1, 30))
        with connected(server, b"") as client:
            with suppress(OSError):
                client.sendall(sent)
                client.shutdown(socket.SHUT_WR)
            with suppress(OSError):
                answer = client.recv(4096)
                assert not answer.startswith(b"HTTP/1.1 5"), (bytes(sent), answer)
    assert httpx.get(f"{server.url}/api/health", timeout=20).status_code == 200


def test_a_body_in_pieces_is_read_as_one_that_names_its_length(web: Web, server: Server) -> None:
    def pieces() -> Iterator[bytes]:
        yield b'{"name": '
        yield b'"Quay"}'

    headers = {"Content-Type": "application/json"}
    answer = httpx.post(f"{server.url}/api/projects", content=pieces(), headers=headers, timeout=20)
    assert (answer.status_code, answer.json()["name"]) == (201, "Quay")
    long = (b" " * (1 << 20) for _ in range(17))
    answer = httpx.post(f"{server.url}/api/projects", content=long, headers=headers, timeout=20)
    assert answer.status_code == 413


def test_uploads_and_files_arrive_whole(web: Web, server: Server) -> None:
    project = web.project()
    data = web.clip.path.read_bytes()
    answer = httpx.post(f"{server.url}/api/projects/{project}/footage", files={"file": ("clip.mp4", data)}, timeout=30)
    assert answer.status_code == 202, answer.text
    with web.database.session():
        assert any(web.services.blobs.size(key) == len(data) for key in web.services.blobs.listed())
    job = large_file(web)
    url = f"{server.url}/api/jobs/{job}/file"
    whole = httpx.get(url, timeout=30)
    assert whole.content == bytes(range(256)) * (SIZE // 256)
    part = httpx.get(url, timeout=30, headers={"Range": "bytes=1000-9000999"})
    assert (part.status_code, part.content) == (206, whole.content[1000:9_001_000])
    assert httpx.head(url, timeout=30).headers["content-length"] == str(SIZE)


def test_what_the_disk_has_no_room_for_is_refused_before_it_is_sent(
    web: Web, server: Server, monkeypatch: pytest.MonkeyPatch
) -> None:
    project = web.project()
    monkeypatch.setenv("CUVREL_RESERVE", str(1 << 60))
    sent = f"POST /api/projects/{project}/footage HTTP/1.1\r\nHost: localhost\r\nContent-Length: {8 << 20}\r\n\r\n"
    with connected(server, sent.encode()) as client:
        assert b" 507 " in client.recv(4096)
    assert not [one for one in Path(web.config.var).iterdir() if one.name.startswith("upload-")]


def test_another_site_s_page_has_nothing_computed(web: Web, server: Server) -> None:
    shot = web.shot()
    for path in (f"/api/shots/{shot}/checks", "/api/projects", "/api/events"):
        answer = httpx.get(server.url + path, headers={"Sec-Fetch-Site": "cross-site"}, timeout=20)
        assert answer.status_code == 403
    assert httpx.get(server.url, headers={"Sec-Fetch-Site": "cross-site"}, timeout=20).status_code in (200, 503)


def test_answers_that_change_are_not_kept_by_anybody(web: Web) -> None:
    assert web.get("/api/projects").headers["Cache-Control"] == "no-store"
    policy = web.get("/api/projects").headers["Content-Security-Policy"]
    assert "base-uri 'none'" in policy
    assert "form-action 'self'" in policy
