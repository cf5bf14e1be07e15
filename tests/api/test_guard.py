"""Who may talk to the server."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import pytest

from innerbloom.web.app import create_app
from tests.conftest import FakeLive

OWN = {"Host": "127.0.0.1:8530"}


@pytest.mark.parametrize("host", ["127.0.0.1:8530", "localhost:8530", "[::1]:8530", "localhost"])
def test_loopback_is_answered(client, host):
    assert client.get("/api/settings", headers={"Host": host}).status_code == 200


@pytest.mark.parametrize(
    "host", ["evil.example", "evil.example:8530", "127.0.0.1.evil.example", "10.0.0.5:8530"]
)
def test_a_foreign_host_is_refused(client, host):
    answer = client.get("/api/settings", headers={"Host": host})
    assert answer.status_code == 403
    assert answer.json["message"]


@pytest.mark.parametrize("origin", ["http://evil.example", "http://127.0.0.1:9999", "null"])
def test_a_foreign_origin_is_refused(client, origin):
    answer = client.patch("/api/settings", headers={**OWN, "Origin": origin}, json={"tuning": 432})
    assert answer.status_code == 403
    assert client.get("/api/settings").json["tuning"] == 440


def test_another_sites_request_without_origin_is_refused(client):
    headers = {**OWN, "Sec-Fetch-Site": "cross-site"}
    assert client.post("/api/live", headers=headers).status_code == 403


@pytest.mark.parametrize("site", ["cross-site", "same-site"])
def test_another_site_reads_nothing_but_may_lead_here(client, site):
    headers = {**OWN, "Sec-Fetch-Site": site}
    assert client.get("/api/settings", headers=headers).status_code == 403
    assert client.get("/", headers=headers).status_code != 403


def test_the_own_origin_is_answered_and_its_ticket_is_its_own(client):
    answer = client.post("/api/live", headers={**OWN, "Origin": "http://127.0.0.1:8530"})
    assert answer.status_code == 201
    assert answer.json["ticket"] == "ticket-for-http://127.0.0.1:8530"


def test_pages_may_use_own_files_only(client):
    policy = client.get("/api/settings", headers=OWN).headers["Content-Security-Policy"]
    assert "default-src 'none'" in policy
    assert "script-src 'self'" in policy
    assert "connect-src 'self' ws://127.0.0.1:*" in policy
    assert "unsafe-eval" not in policy


@pytest.mark.parametrize(
    "path", ["/../../../etc/passwd", "/assets/../../app.py", "/%2e%2e/%2e%2e/app.py"]
)
def test_no_path_leaves_the_static_folder(client, path):
    answer = client.get(path)
    assert b"root:" not in answer.data
    assert b"def create_app" not in answer.data


@pytest.fixture
def open_client(tmp_path):
    app = create_app(
        tmp_path / "p", FakeLive(), token="s3cret", make_executor=lambda **_: ThreadPoolExecutor(1)
    )
    return app.test_client()


def test_a_token_is_asked_for_and_kept_in_a_cookie(open_client):
    headers = {"Host": "192.168.1.5:8530"}
    refused = open_client.get("/api/settings", headers=headers)
    assert refused.status_code == 401
    assert "token" in refused.json["message"]
    assert open_client.get("/?token=wrong", headers=headers).status_code == 401
    entered = open_client.get("/?token=s3cret", headers=headers)
    assert entered.status_code == 303
    cookie = entered.headers["Set-Cookie"]
    assert "HttpOnly" in cookie
    assert "SameSite=Strict" in cookie
    name_and_value = cookie.split(";")[0]
    with_cookie = {**headers, "Cookie": name_and_value}
    assert open_client.get("/api/settings", headers=with_cookie).status_code == 200
