"""The demo project: its shelf is there first, what takes long is made while it is served."""

from __future__ import annotations

from collections import Counter
from concurrent.futures import BrokenExecutor, Executor, ThreadPoolExecutor

import pytest

from innerbloom.demo.project import complete_demo, make_demo_project
from innerbloom.demo.recordings import RECORDINGS
from innerbloom.demo.tables import TABLES
from innerbloom.demo.takes import TAKES
from innerbloom.web.app import create_app
from tests.conftest import FakeLive


@pytest.mark.parametrize("fresh", [False, True])
def test_a_folder_that_holds_something_else_is_left_alone(tmp_path, fresh):
    (tmp_path / "project.sqlite3").write_bytes(b"years of work")
    with pytest.raises(FileExistsError, match="left alone"):
        make_demo_project(tmp_path, fresh=fresh, say=print)
    assert [one.read_bytes() for one in tmp_path.iterdir()] == [b"years of work"]


@pytest.fixture(scope="module")
def root(tmp_path_factory):
    """A demo that was stopped before its shelf was there, begun again and not yet served."""
    root = tmp_path_factory.mktemp("demo")
    (root / "demo-begun").touch()
    (root / "project.sqlite3").write_bytes(b"not even whole")
    make_demo_project(root, fresh=False, say=print, whole=False)
    return root


@pytest.fixture(scope="module")
def client(root):
    app = create_app(root, FakeLive(), make_executor=lambda **_: ThreadPoolExecutor(1))
    with app.test_client() as found:
        yield found
    app.extensions["innerbloom"].jobs.close()


def names(client, address, of):
    return Counter(one["name"] for one in client.get(address).json[of])


def test_its_shelf_and_its_instruments_are_there_first(root, client):
    sounds = names(client, "/api/recordings", "recordings")
    assert set(sounds) == {one.title for one in RECORDINGS} | {one.name for one in TABLES}
    instruments = names(client, "/api/instruments", "instruments")
    assert len(instruments) >= 15
    assert set((sounds + instruments).values()) == {1}
    assert names(client, "/api/ensembles", "ensembles") == {"Glasshouse at dawn": 1}
    assert not client.get("/api/takes").json["takes"]
    assert not (root / "demo-complete").exists()


def test_what_ends_with_its_processes_is_left_to_the_next_start(root, client, monkeypatch, caplog):
    class Ended(Executor):
        def submit(self, fn, /, *args, **kwargs):
            raise BrokenExecutor("A process in the process pool was terminated abruptly")

    monkeypatch.setattr("innerbloom.demo.project.background_executor", lambda **_: Ended())
    complete_demo(client.application.extensions["innerbloom"])
    assert "the next start goes on with it" in caplog.text
    assert not (root / "demo-complete").exists()


def test_what_takes_long_is_made_but_for_what_has_lost_its_instrument(root, client):
    lines = client.get("/api/instruments").json["instruments"]
    number = next(one["id"] for one in lines if one["name"] == "Lid rain")
    client.delete(f"/api/instruments/{number}")
    complete_demo(client.application.extensions["innerbloom"])
    assert names(client, "/api/takes", "takes") == {one.name: 1 for one in TAKES}
    assert not client.get("/api/variations").json["sets"]
    assert not (root / "demo-complete").exists()
    jobs = client.get("/api/jobs").json["jobs"]
    assert {one["state"] for one in jobs} == {"done"}
    client.post(f"/api/instruments/{number}/restore")


def test_made_once_more_it_is_whole_and_nothing_is_there_twice(root, client):
    complete_demo(client.application.extensions["innerbloom"])
    assert (root / "demo-complete").exists()
    sounds = names(client, "/api/recordings", "recordings")
    assert {"Lid, its spectrum", "Fence wire, held"} <= set(sounds)
    assert sum(1 for one in sounds if one.startswith("Water rising, ")) == 3
    assert set(sounds.values()) == {1}
    for address, of in (("takes", "takes"), ("variations", "sets"), ("samples", "sets")):
        assert set(names(client, f"/api/{address}", of).values()) == {1}
    (film,) = client.get("/api/timelines").json["timelines"]
    lanes = client.get(f"/api/timelines/{film['id']}").json["document"]["lanes"]
    assert [len(one["clips"]) for one in lanes] == [2, 2, 1, 2]
    (drawn,) = client.get("/api/variations").json["sets"]
    assert len(client.get(f"/api/variations/{drawn['id']}/drawn").json["drawn"]) == 16


def test_one_that_is_whole_is_left_as_it_is(root, client):
    before = client.get("/api/jobs").json["moment"]
    told = []
    make_demo_project(root, fresh=False, say=told.append)
    complete_demo(client.application.extensions["innerbloom"])
    assert told == [f"The demo project is in {root}."]
    assert client.get("/api/jobs").json["moment"] == before
