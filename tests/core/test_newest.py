"""Loads and listens beside the sound: one thread a session, and the newest wins."""

from __future__ import annotations

import threading
import time

from innerbloom.live.materials import live_materials
from innerbloom.live.messages import Load
from innerbloom.live.newest import Newest
from innerbloom.live.session import LiveSession
from innerbloom.store.files import FileStore
from tests.engines import cloud


def until(there) -> None:
    end = time.monotonic() + 60
    while not there():
        assert time.monotonic() < end
        time.sleep(0.01)


def test_what_is_overtaken_before_its_turn_is_dropped():
    held, done = threading.Event(), []
    newest = Newest()
    newest.do(lambda: held.wait(60))
    for number in range(1_000):
        newest.do(lambda number=number: done.append(number))
    assert threading.active_count() < 20
    held.set()
    until(lambda: done)
    assert done == [999]


def test_what_fails_does_not_stand_in_the_way():
    newest, done = Newest(), threading.Event()
    newest.do(lambda: 1 / 0)
    newest.do(done.set)
    assert done.wait(60)
    again = threading.Event()
    newest.do(again.set)
    assert again.wait(60)


def test_two_thousand_loads_take_one_thread_and_the_last_one_counts(tmp_path):
    store = FileStore(tmp_path / "project")
    session = LiveSession(live_materials(store), store)
    before = threading.active_count()
    document = cloud(root=57.0).model_dump(mode="json")
    document["layers"] = []
    most = 0
    for _ in range(2_000):
        session.take(Load(do="load", document=document))
        most = max(most, threading.active_count())
    session.take(Load(do="load", document={"format": "of another kind"}))
    assert most <= before + 1
    answers = []
    until(lambda: answers.append(session.loaded()) or (answers[-1] or {}).get("is") == "problem")
