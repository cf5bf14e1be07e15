"""The description of the API, as programs read it: whole, served, readable, and enough to generate a client that works."""

from __future__ import annotations

import importlib
import io
import json
import os
import subprocess
import sys
import time
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile as sf

from tests.conftest import RATE, harmonic_tone
from tests.servers import running

METHODS = ("get", "post", "put", "patch", "delete")


@pytest.fixture
def description(client) -> dict[str, Any]:
    answer = client.get("/api/openapi.json")
    assert answer.status_code == 200
    return answer.json


def operations(description) -> list[tuple[str, str, dict[str, Any]]]:
    return [
        (path, method, one[method])
        for path, one in description["paths"].items()
        for method in METHODS
        if method in one
    ]


def test_what_is_served_is_what_lies_in_the_docs(description):
    kept = json.loads((Path(__file__).parents[2] / "docs" / "openapi.json").read_text())
    assert description == kept


def test_every_answer_that_is_not_empty_says_what_it_holds(description):
    lacking = [
        (path, method, status)
        for path, method, one in operations(description)
        for status, answer in one["responses"].items()
        if status != "204"
        and not all(
            content["schema"] for content in answer.get("content", {"": {"schema": {}}}).values()
        )
    ]
    assert lacking == []


def test_bodies_that_are_files_are_told(description):
    taken = {
        f"{method} {path}"
        for path, method, one in operations(description)
        if "application/octet-stream" in one.get("requestBody", {}).get("content", {})
    }
    assert taken >= {"post /api/recordings", "post /api/bundles", "post /api/takes/file"}


def test_refusals_are_one_schema_and_changes_of_revisions_may_conflict(description):
    for path, method, one in operations(description):
        for status, answer in one["responses"].items():
            if status[0] in "45":
                schema = answer["content"]["application/json"]["schema"]
                assert schema == {"$ref": "#/components/schemas/Refusal"}, (path, method)
        if method == "patch" and "EditIn" in json.dumps(one.get("requestBody", {})):
            assert {"400", "404", "409", "422"} <= set(one["responses"])


def test_titles_are_told_once(description):
    titles = [one["title"] for one in description["components"]["schemas"].values()]
    assert len(titles) == len(set(titles))


def test_it_can_be_read_as_a_page(client, description):
    page = client.get("/api/").text
    for path, _, _ in operations(description):
        assert path in page
    assert 'href="/api/openapi.json"' in page
    assert client.get("/api/page.css").mimetype == "text/css"


class TestWholeDocuments:
    def test_one_is_entered(self, shelf, tone_file):
        digest = shelf.recording(tone_file)["digest"]
        sound = {"recording": digest, "root": 57.0}
        layer = {"id": "l1", "name": "Tone", "kind": "cloud", "sounds": [sound]}
        answer = shelf.client.post(
            "/api/instruments", json={"document": {"name": "By hand", "layers": [layer]}}
        )
        assert answer.status_code == 201
        assert answer.json["document"]["layers"][0]["sounds"][0]["recording"] == digest
        assert answer.json["revision"] == 0
        again = shelf.client.get(f"/api/instruments/{answer.json['id']}").json
        assert again["document"] == answer.json["document"]

    @pytest.mark.parametrize(
        ("layer", "said"),
        [
            ({"id": "l1", "name": "x", "kind": "clod"}, "nearest to 'cloud'"),
            ({"id": "l1", "name": "x", "kind": "noise", "settings": {"levle": 1}}, "nearest is 'level'"),
            ({"id": "l1", "name": "x", "kind": "cloud", "sounds": [{"recording": "0" * 64}]}, "is not on the shelf"),
            ({"id": "l1", "name": "x", "kind": "cloud", "sounds": [{"path": "a.wav"}]}, "is not on the shelf"),
        ],
    )  # fmt: skip
    def test_what_is_wrong_is_said_and_nothing_is_entered(self, client, layer, said):
        answer = client.post(
            "/api/instruments", json={"document": {"name": "x", "layers": [layer]}}
        )
        assert answer.status_code == 400
        assert said in answer.json["message"]
        assert client.get("/api/instruments").json["instruments"] == []


def test_a_seed_rolls_the_dice_anew_and_the_same_seed_the_same(shelf, tone_file):
    recording = shelf.recording(tone_file)
    grown = shelf.client.post(f"/api/recordings/{recording['id']}/instrument", json={}).json
    made = []
    for seed in (None, 5, 5):
        asked = {"seconds": 0.3, "format": "wav32f", "seed": seed}
        job = shelf.client.post(f"/api/instruments/{grown['id']}/render", json=asked).json["job"]
        assert shelf.ended(job, 120)["state"] == "done"
        sound = sf.read(io.BytesIO(shelf.client.get(f"/api/jobs/{job}/file").data))[0]
        made.append(sound)
    assert np.array_equal(made[1], made[2])
    assert not np.array_equal(made[0][: len(made[1])], made[1][: len(made[0])])


@pytest.fixture(scope="module")
def generated(tmp_path_factory):
    """A client made by a generator that knows nothing of us; gives its package's name."""
    folder = tmp_path_factory.mktemp("generated")
    docs = Path(__file__).parents[2] / "docs" / "openapi.json"
    there = {**os.environ, "PATH": f"{Path(sys.executable).parent}{os.pathsep}{os.environ['PATH']}"}
    done = subprocess.run(
        [sys.executable, "-m", "openapi_python_client", "generate", "--path", docs,
         "--output-path", folder / "bloom_client", "--meta", "none"],
        capture_output=True, text=True, env=there,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert "Unable" not in done.stdout + done.stderr
    sys.path.insert(0, str(folder))
    yield "bloom_client"
    sys.path.remove(str(folder))


def test_a_generated_client_does_the_whole_job(generated, tmp_path):
    def of(resource: str, operation: str) -> Any:
        return importlib.import_module(f"{generated}.api.{resource}.{operation}").sync_detailed

    models = importlib.import_module(f"{generated}.models")
    types = importlib.import_module(f"{generated}.types")
    sound = io.BytesIO()
    sf.write(sound, harmonic_tone(220.0, 2.0), RATE, "PCM_24", format="WAV")
    with running(tmp_path / "project") as server:
        client = importlib.import_module(f"{generated}.client").Client(server.url, timeout=60)

        def ended(job: str) -> Any:
            while True:
                state = of("jobs", "get_api_jobs_job_id")(job, client=client).parsed
                if state.state not in ("queued", "running"):
                    assert state.state == "done", state.error
                    return state
                time.sleep(0.1)

        upload = of("recordings", "post_api_recordings")
        body = types.File(payload=io.BytesIO(sound.getvalue()), file_name="wire.wav")
        job = upload(client=client, body=body, name="wire.wav").parsed.job
        recording = ended(job).result.recording
        grow = of("recordings", "post_api_recordings_recording_id_instrument")
        grown = grow(recording, client=client, body=models.GrowIn()).parsed
        change = models.EditIn.from_dict(
            {"revision": grown.revision, "label": "Larger",
             "patch": [{"op": "replace", "path": "/layers/0/settings/size", "value": 300}]}
        )  # fmt: skip
        patch = of("instruments", "patch_api_instruments_instrument_id")
        patched = patch(grown.id, client=client, body=change)
        assert patched.parsed.document.layers[0].settings.size == 300
        late = patch(grown.id, client=client, body=change)
        assert late.status_code == 409
        assert late.parsed.message.endswith(".")
        render = of("instruments", "post_api_instruments_instrument_id_render")
        asked = models.RenderIn(key=57, seconds=0.5, seed=3)
        job = render(grown.id, client=client, body=asked).parsed.job
        ended(job)
        kept = of("jobs", "get_api_jobs_job_id_file")(job, client=client).parsed.payload.read()
    samples, rate = sf.read(io.BytesIO(kept))
    assert rate == RATE
    assert np.abs(samples).max() > 0.01
