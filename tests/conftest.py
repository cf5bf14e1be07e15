"""Shared fixtures: made-up sounds, projects in temporary folders, an app without processes."""

from __future__ import annotations

import gc
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile as sf
from apiflask import APIFlask
from flask.testing import FlaskClient
from hypothesis import HealthCheck, settings

from innerbloom.core.engine import Engine, compile_program
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.performance.events import Event
from innerbloom.store.prepared import DiskMaterials
from innerbloom.web.app import app_without_project, open_project
from tests.slow import is_slow, listed

settings.register_profile(
    "bloom", deadline=None, max_examples=30, suppress_health_check=list(HealthCheck)
)
settings.load_profile("bloom")

# what thousands of tests are listed with stays: looked through again and again, it takes seconds
gc.set_threshold(20_000, 20, 20)

RATE = 48_000

LONGEST_FIRST = (
    "trust/test_kills.py", "trust/test_malformed.py",
    "core/test_readme.py", "core/test_batches.py", "core/test_demo.py", "reference/test_repair.py",
    "reference/test_real_recordings.py", "core/test_real_command.py", "api/test_one_server.py",
    "core/test_stems.py", "api/test_stalled.py", "reference/test_pitch_track.py",
    "reference/test_voices.py", "core/test_night_job.py", "core/test_recordings.py",
    "ui/test_story.py", "ui/test_bench_story.py", "ui/test_layer_story.py", "ui/test_walk_story.py",
)  # fmt: skip
"""Modules that take minutes, by ``--durations``: begun last, one of them would run on alone."""


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Begin with what takes longest, the others keep their order; mark what is slow."""
    here, slow = Path(__file__).parent, listed()
    for item in items:
        if is_slow(item.nodeid, slow):
            item.add_marker(pytest.mark.slow)
    ranks = {here / name: rank for rank, name in enumerate(LONGEST_FIRST)}
    items.sort(key=lambda one: ranks.get(one.path, len(ranks)))


class FakeLive:
    """Hands out tickets that no engine knows."""

    def ticket(self, origin: str) -> tuple[int, str]:
        return 40_000, f"ticket-for-{origin}"


@pytest.fixture
def write_wav(tmp_path: Path) -> Callable[..., Path]:
    def write(
        samples: np.ndarray, rate: int = RATE, name: str = "sound.wav", subtype: str = "FLOAT"
    ) -> Path:
        path = tmp_path / name
        sf.write(path, samples, rate, subtype=subtype)
        return path

    return write


@cache
def _app() -> APIFlask:
    """One for all tests of a process: its two hundred addresses take longer than most tests."""
    return app_without_project()


@pytest.fixture
def client(tmp_path: Path) -> Iterator[FlaskClient]:
    """The API on an empty project; jobs run in threads, which end with the test."""
    executors: list[ThreadPoolExecutor] = []

    def make_executor(**_: object) -> ThreadPoolExecutor:
        executors.append(ThreadPoolExecutor(1))
        return executors[-1]

    app = _app()
    project = open_project(tmp_path / "project", FakeLive(), make_executor)
    app.extensions["innerbloom"] = project
    with app.test_client() as test_client:
        yield test_client
    project.jobs.close()
    for executor in executors:
        executor.shutdown(cancel_futures=True)


class Shelf:
    """The steps that most API tests begin with."""

    def __init__(self, client: FlaskClient) -> None:
        self.client = client

    def played(self, document: dict[str, Any], note: float) -> np.ndarray:
        """A second of one note of an instrument, shape (48000, 2)."""
        files = self.client.application.extensions["innerbloom"].files
        engine = Engine(compile_program(parse_instrument(document), DiskMaterials(files)))
        return engine.render(RATE, [Event("on", 1, note, 0.8)])

    def ended(self, job: str, within: float = 30.0) -> dict[str, Any]:
        """Wait for a job to end."""
        until = time.monotonic() + within
        while time.monotonic() < until:
            state = self.client.get(f"/api/jobs/{job}").json
            if state["state"] not in ("queued", "running"):
                return state
            time.sleep(0.02)
        raise AssertionError(f"job {job} did not end")

    def add(self, data: bytes, name: str) -> dict[str, Any]:
        """Add a file and give the job it became, ended."""
        answer = self.client.post("/api/recordings", query_string={"name": name}, data=data)
        assert answer.status_code == 202, answer.json
        return self.ended(answer.json["job"])

    def recording(self, path: Path) -> dict[str, Any]:
        """Add a sound file and give its entry on the shelf."""
        job = self.add(path.read_bytes(), path.name)
        assert job["state"] == "done", job
        return self.client.get(f"/api/recordings/{job['result']['recording']}").json

    def instrument(self, path: Path) -> dict[str, Any]:
        """Add a sound file and grow an instrument from it."""
        recording = self.recording(path)
        answer = self.client.post(f"/api/recordings/{recording['id']}/instrument", json={})
        assert answer.status_code == 201, answer.json
        return answer.json


@pytest.fixture
def shelf(client: FlaskClient) -> Shelf:
    return Shelf(client)


def harmonic_tone(
    hz: float, seconds: float = 2.0, rate: int = RATE, partials: int = 20, level: float = 0.2
) -> np.ndarray:
    """A steady tone whose partials fall off as 1/k."""
    t = np.arange(round(seconds * rate)) / rate
    ks = [k for k in range(1, partials + 1) if k * hz < 0.45 * rate]
    return level * sum(np.sin(2 * np.pi * k * hz * t + k) / k for k in ks)


@pytest.fixture
def tone_file(write_wav: Callable[..., Path]) -> Path:
    """Two seconds of A3 as a WAV file."""
    return write_wav(harmonic_tone(220.0), name="tone.wav", subtype="PCM_24")
