"""Every operation of the API with requests made of its description, on a project with something of everything.

Schemathesis (a general-purpose tool for APIs that are described) makes them: as the schemas allow, and as they
forbid. No answer is a fault of the server's, and none is a traceback.
"""

from __future__ import annotations

import json
import zlib
from collections.abc import Callable, Iterator
from concurrent.futures import Executor, Future
from pathlib import Path
from typing import Any

import pytest
import schemathesis
import soundfile as sf
from hypothesis import HealthCheck, Phase, given, seed, settings
from hypothesis import strategies as st
from hypothesis.errors import Unsatisfiable
from hypothesis.stateful import run_state_machine_as_test
from schemathesis.generation import GenerationMode

from innerbloom.web.app import create_app
from tests.conftest import FakeLive, Shelf, harmonic_tone
from tests.trust.conftest import WHOLE, many

RATE = 48_000
DOCS = Path(__file__).parents[2] / "docs"
EXAMPLES = many(2, 25)


class Cancelling(Executor):
    """Takes jobs and does none of them: each is cancelled at once."""

    def submit(self, fn: Callable[..., Any], /, *args: Any, **kwargs: Any) -> Future[Any]:
        future: Future[Any] = Future()
        future.cancel()
        future.set_running_or_notify_cancel()
        return future


class Switched(Executor):
    """Does jobs at once until it is told to take them and do none."""

    working = True

    def submit(self, fn: Callable[..., Any], /, *args: Any, **kwargs: Any) -> Future[Any]:
        if not Switched.working:
            return Cancelling().submit(fn)
        future: Future[Any] = Future()
        future.set_running_or_notify_cancel()
        try:
            future.set_result(fn(*args, **kwargs))
        except BaseException as error:
            future.set_exception(error)
        return future


@pytest.fixture(scope="module")
def app(tmp_path_factory) -> Iterator[Any]:
    """An application on a project in which there is something of everything."""
    folder = tmp_path_factory.mktemp("filled")
    Switched.working = True
    made = create_app(folder / "project", FakeLive(), make_executor=lambda **_: Switched())
    made.config["PROPAGATE_EXCEPTIONS"] = False
    with made.test_client() as client:
        fill(client, folder)
    Switched.working = False
    yield made
    made.extensions["innerbloom"].jobs.close()


def fill(client: Any, folder: Any) -> None:
    recordings, shelf = [], Shelf(client)
    for number, hz in enumerate((220.0, 330.0), 1):
        path = folder / f"tone {number}.wav"
        sf.write(path, harmonic_tone(hz, 1.0), RATE, "PCM_24")
        recordings.append(shelf.recording(path))
    made = client.post(f"/api/recordings/{recordings[0]['id']}/instrument", json={}).json
    add = [
        {"op": "add", "path": "/modulators/-", "value": {"id": "m9", "name": "Tide", "kind": "lfo"}},
        {"op": "add", "path": "/effects/-", "value": {"id": "e9", "kind": "room"}},
        {"op": "add", "path": "/buses/-", "value": {"id": "b9", "name": "Hall"}},
    ]  # fmt: skip
    edited = client.patch(
        f"/api/instruments/{made['id']}", json={"revision": made["revision"], "patch": add}
    )
    assert edited.status_code == 200, edited.json
    for path, body in (
        ("/api/ensembles", {"name": "All"}),
        ("/api/variations", {"instrument": made["id"], "recording": None, "take": None}),
        ("/api/samples", {"instrument": made["id"]}),
        ("/api/timelines", {"name": "Weir"}),
    ):
        answer = client.post(path, json=body)
        assert answer.status_code < 500, (path, answer.json)
    render = client.post(f"/api/instruments/{made['id']}/render", json={"seconds": 0.1})
    shelf.ended(render.json["job"])


@pytest.fixture(scope="module")
def described(app) -> Any:
    return schemathesis.openapi.from_wsgi("/api/openapi.json", app)


OPERATIONS = [
    (method, path)
    for path, one in json.loads((DOCS / "openapi.json").read_text())["paths"].items()
    for method in ("get", "post", "put", "patch", "delete")
    if method in one
]


@pytest.mark.parametrize(("method", "path"), OPERATIONS)
def test_no_operation_is_at_fault(method, path, described, app):
    operation = described[path][method]
    valid = operation.as_strategy(generation_mode=GenerationMode.POSITIVE)
    invalid = operation.as_strategy(generation_mode=GenerationMode.NEGATIVE)

    @given(case=st.one_of(valid, invalid))
    @settings(
        max_examples=EXAMPLES, deadline=None, derandomize=True, database=None,
        phases=[Phase.explicit, Phase.generate], suppress_health_check=list(HealthCheck),
    )  # fmt: skip
    def asked(case):
        lead_somewhere(case, app)
        answer = case.call()
        assert answer.status_code < 500 or answer.status_code == 507, answer.text[:400]
        if answer.status_code >= 400:
            assert answer.json()["message"].endswith((".", "?", "!")), answer.text[:400]

    try:
        asked()
    except Unsatisfiable:
        pytest.skip("nothing can be made of its description")


def lead_somewhere(case: Any, app: Any) -> None:
    """Every other time the numbers of an address lead to what there is."""
    if not case.path_parameters or zlib.crc32(str(case.path_parameters).encode()) % 2:
        return
    known = ids_of(app)
    for name in case.path_parameters:
        if name in known:
            case.path_parameters[name] = known[name]


def ids_of(app: Any) -> dict[str, Any]:
    """What numbers and hashes there are, by the names that addresses have for them."""
    if "ids" not in app.extensions:
        found: dict[str, Any] = {}
        with app.test_client() as client:
            recording = client.get("/api/recordings").json["recordings"][0]
            found |= {"recording_id": recording["id"], "digest": recording["digest"]}
            for kind in ("instrument", "ensemble", "timeline"):
                lines = client.get(f"/api/{kind}s").json[f"{kind}s"]
                found[f"{kind}_id"] = lines[0]["id"]
            jobs = client.get("/api/jobs").json["jobs"]
            found["job_id"] = jobs[0]["id"]
            for kind in ("variations", "samples"):
                answer = client.get(f"/api/{kind}").json
                lines = next(iter(answer.values()))
                if lines:
                    found[f"{kind}_id"] = lines[0]["id"]
        app.extensions["ids"] = found
    return app.extensions["ids"]


@pytest.mark.skipif(not WHOLE, reason="long; part of make trust")
def test_chains_of_operations_are_at_no_fault(described):
    """Answers lead to further requests (numbers, hashes, revisions), as far as the description tells that they do."""

    class Chains(described.as_state_machine()):
        def validate_response(self, response, case, **_):
            assert response.status_code < 500 or response.status_code == 507, response.text[:400]

    few = settings(
        max_examples=2, stateful_step_count=8, deadline=None, database=None,
        phases=[Phase.generate], suppress_health_check=list(HealthCheck),
    )  # fmt: skip
    for number in range(30):
        # each begins anew: what is learnt of a chain does not hold once a project has changed
        run_state_machine_as_test(seed(number)(Chains), settings=few)
