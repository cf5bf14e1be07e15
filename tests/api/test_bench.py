"""The Bench through the API: recipes with undo, stages, pictures, findings, materials."""

from __future__ import annotations

import io
import json

import numpy as np
import pytest
import soundfile as sf

from innerbloom.core.analysis.spectrogram import ROWS, base_level
from innerbloom.core.sound.loop import Loop
from innerbloom.core.sound.sampler import add_sampler, read_sampler
from tests.revised import Revised
from tests.sounds import RATE, gliding_tone

CUT = {"do": "cut", "start": 0.5, "end": 1.5, "fade_in": 0, "fade_out": 0}


@pytest.fixture
def recording(shelf, write_wav):
    """Two seconds of A3 between half seconds of near silence."""
    tone = gliding_tone(np.full(2 * RATE, 220.0))
    gap = 1e-4 * np.random.default_rng(4).standard_normal(RATE // 2)
    return shelf.recording(write_wav(np.concatenate((gap, tone, gap)), name="wire.wav"))


class Bench(Revised):
    """One recording on the bench."""

    def __init__(self, client, shelf, recording) -> None:
        super().__init__(shelf, f"/api/recordings/{recording['id']}/bench")
        self.recording = recording

    @property
    def steps(self):
        return self.state()["document"]["steps"]

    def store(self, *steps, revision=None, label="Change"):
        return self.edit(lambda recipe: recipe.update(steps=list(steps)), label, revision)

    def stage(self, upto):
        answer = self.client.post(f"{self.url}/stage", json={"upto": upto}).json
        if answer["job"]:
            job = self.shelf.ended(answer["job"])
            assert job["state"] == "done", job
            answer["stage"] = self.client.get(f"/api/stages/{answer['key']}").json
        return answer["stage"]

    def keep(self, *pieces):
        answer = self.client.post(f"{self.url}/keep", json={"pieces": list(pieces)})
        assert answer.status_code == 202, answer.json
        return self.shelf.ended(answer.json["job"])


@pytest.fixture
def bench(client, shelf, recording) -> Bench:
    return Bench(client, shelf, recording)


def test_kinds_are_as_declared(client):
    kinds = client.get("/api/bench/steps").json["kinds"]
    loop = next(kind for kind in kinds if kind["id"] == "loop")
    assert {p["id"] for p in loop["declared"]} == {
        *("start", "end", "crossfade"),
        *("curve", "direction", "release"),
    }
    assert all(kind["help"].endswith(".") for kind in kinds)


def test_a_recipe_is_kept_undone_and_redone(bench):
    def kinds(state):
        return [step["do"] for step in state["document"]["steps"]]

    assert kinds(bench.state()) == ["cut", "normalise"]
    assert bench.state()["undo"] is None
    bench.store(CUT, {"do": "reverse"}, label="Turn it")
    state = bench.store(CUT, label="Turn it back").json
    assert state["sentences"] == ["0.50 s to 1.50 s"]
    assert state["undo"] == "Turn it back"
    assert kinds(bench.step("undo")) == ["cut", "reverse"]
    state = bench.step("undo")
    assert kinds(state) == ["cut", "normalise"]
    assert (state["undo"], state["redo"]) == (None, "Turn it")
    assert kinds(bench.step("redo")) == ["cut", "reverse"]


def test_bad_and_outdated_changes_lose_nothing(bench):
    before = bench.state()
    answer = bench.store({"do": "highpass", "cutoff": 1})
    assert answer.status_code == 400
    assert "Step 1, High-pass: cutoff" in answer.json["message"]
    assert bench.store(CUT, revision=7).status_code == 409
    assert bench.state() == before


def test_stages_are_measured_and_kept(bench, client):
    bench.store(CUT, {"do": "gain", "level": 6})
    assert bench.stage(0)["key"] == bench.recording["digest"]
    one = bench.stage(1)
    assert one["duration_s"] == 1.0
    assert one["root_note"] == "A3"
    two = bench.stage(2)
    assert two["peak_dbfs"] == pytest.approx(one["peak_dbfs"] + 6, abs=0.02)
    again = client.post(f"{bench.url}/stage", json={"upto": 2}).json
    assert again["job"] is None
    assert again["stage"] == two
    assert client.get(f"/api/stages/{'0' * 64}").status_code == 404


def test_a_step_that_cannot_be_done_says_so(bench, client):
    bench.store({"do": "cut", "start": 2.0, "end": 50})
    answer = client.post(f"{bench.url}/stage", json={"upto": 1}).json
    job = bench.shelf.ended(answer["job"])
    assert job["state"] == "failed"
    assert job["error"].startswith("Step 1, Cut: The region ends at 50.00 s")


def test_tiles_of_recording_and_stage(bench, client):
    bench.store(CUT)
    stage = bench.stage(1)
    for key, frames in ((bench.recording["digest"], 3 * RATE), (stage["key"], RATE)):
        for level in (0, 4, 8, 11, 20):
            data = client.get(f"/api/sounds/{key}/wave/{level}/0").data
            pairs = np.frombuffer(data, "<i2").reshape(-1, 2)
            assert len(pairs) == min(512, -(-frames // 2**level))
            assert (pairs[:, 0] <= pairs[:, 1]).all()
        for axis in ("log", "linear"):
            for level in (4, 9, base_level(frames), 15):
                data = client.get(f"/api/sounds/{key}/spectrum/{axis}/{level}/0").data
                assert len(data) == ROWS * min(256, -(-frames // 2**level))
        for bad in ("wave/27/0", "wave/0/99999", "spectrum/log/1/0", "wave/3/4000"):
            answer = client.get(f"/api/sounds/{key}/{bad}")
            assert answer.status_code in (400, 404)
    assert client.get(f"/api/sounds/{'g' * 64}/wave/1/0").status_code == 404


def test_fine_and_coarse_tiles_agree(bench, client):
    """The samples themselves, their extremes, and the stored picture tell one story."""
    key = bench.recording["digest"]

    def wave(level, index=0):
        return np.frombuffer(client.get(f"/api/sounds/{key}/wave/{level}/{index}").data, "<i2")

    fine = np.concatenate([wave(7, i).reshape(-1, 2) for i in range(2)])
    coarse = wave(9).reshape(-1, 2)
    assert np.array_equal(fine[:, 0].reshape(-1, 4).min(axis=1), coarse[:256, 0])
    assert np.array_equal(fine[:, 1].reshape(-1, 4).max(axis=1), coarse[:256, 1])


def test_pitch_onsets_loops_seam_notes_and_snap(bench, client):
    path = f"/api/sounds/{bench.recording['digest']}"
    pitch = client.get(f"{path}/pitch", query_string={"start": 0.6, "end": 2.4}).json
    assert pitch["root"] == pytest.approx(57, abs=0.02)
    assert pitch["steadiest"]["spread_cents"] < 3
    loops = client.get(f"{path}/loops", query_string={"start": 0.6, "end": 2.4}).json
    best = loops["loops"][0]
    assert best["closes"] > 0.9
    assert 0.6 <= best["start"] < best["end"] <= 2.4
    query = {"start": best["start"], "end": best["end"], "crossfade": best["crossfade_ms"]}
    seam = client.get(f"{path}/seam", query_string=query).json
    assert seam["step"] <= 1
    assert len(seam["heard"]) == len(seam["leaving"])
    notes = client.get(f"{path}/notes", query_string={"start": 0.6, "end": 2.4}).json["notes"]
    assert [round(one["note"]) for one in notes] == [57]
    snapped = client.get(f"{path}/snap", query_string={"at": 1.0, "way": 1}).json["at"]
    assert 1.0 < snapped < 1.01


@pytest.mark.parametrize(
    ("what", "words"),
    [
        ("loops?start=50&end=60", "outside the sound"),
        ("loops?start=1&end=1.02", "too short"),
        ("seam?start=1&end=1.00001", "at least 2 samples"),
        ("seam?start=1&end=1.1&crossfade=500", "longer than the loop"),
        ("seam?start=1&end=90", "outside"),
        ("notes?start=0&end=0.4", "notes"),
        ("pitch?start=9", "outside"),
        ("snap?at=99", "outside"),
    ],
)
def test_what_does_not_fit_is_one_sentence(bench, client, what, words):
    answer = client.get(f"/api/sounds/{bench.recording['digest']}/{what}")
    assert answer.status_code == 400
    assert words in answer.json["message"]


def test_notes_are_those_of_the_projects_tuning(shelf, client, bench):
    """220 Hz is A3 at 440, and 12 log2(440 / 432) = 31.77 cents above it where A4 is 432 Hz."""
    url = f"/api/sounds/{bench.recording['digest']}"

    def steadiest():
        return client.get(f"{url}/pitch?start=0.6&end=2.4").json["steadiest"]["note"]

    assert steadiest() == pytest.approx(57.0, abs=0.01)
    client.patch("/api/settings", json={"tuning": 432})
    assert steadiest() == pytest.approx(57.3177, abs=0.01)
    (found,) = client.get(f"{url}/notes?start=0.6&end=2.4").json["notes"]
    assert found["note"] == pytest.approx(57.3177, abs=0.01)


def test_loops_written_in_a_file_are_offered_first(shelf, client, write_wav):
    path = write_wav(gliding_tone(np.full(RATE, 220.0)), name="looped.wav", subtype="PCM_24")
    add_sampler(path, RATE, 57.0, Loop(1_000, 20_000))
    found = shelf.recording(path)
    assert found["measured"]["loops"][0]["start"] == 1_000
    loops = client.get(f"/api/sounds/{found['digest']}/loops").json["loops"]
    assert loops[0]["from_file"]
    assert loops[0]["end"] == pytest.approx(20_000 / RATE)


def test_keep_as_material_with_lineage(bench, client):
    bench.store(CUT, {"do": "root", "note": 57.1}, {"do": "loop", "start": 0.2, "end": 0.8})
    job = bench.keep({"name": "Wire, loop"})
    assert job["state"] == "done", job
    made = client.get(f"/api/recordings/{job['result']['recordings'][0]}").json
    assert (made["kind"], made["name"]) == ("clip", "Wire, loop")
    assert made["measured"]["duration_s"] == 1.0
    assert made["measured"]["root_hz"] == pytest.approx(440 * 2 ** ((57.1 - 69) / 12), rel=1e-6)
    assert made["measured"]["loops"] == [
        {"start": 9_600, "end": 38_400, "direction": "forward", "stay": True}
    ]
    lineage = client.get(f"/api/recordings/{made['id']}/lineage").json
    assert [one["name"] for one in lineage["made_from"]] == ["wire"]
    lineage = client.get(f"/api/recordings/{bench.recording['id']}/lineage").json
    assert [one["name"] for one in lineage["made_into"]] == ["Wire, loop"]
    grown = client.post(f"/api/recordings/{made['id']}/instrument", json={}).json
    assert grown["document"]["layers"][0]["sounds"][0]["root"] == pytest.approx(57.1, abs=1e-3)


def test_no_clear_pitch_is_remembered(bench, client):
    bench.store(CUT, {"do": "root", "how": "no clear pitch"})
    made = client.get(
        f"/api/recordings/{bench.keep({'name': 'Air'})['result']['recordings'][0]}"
    ).json
    assert made["measured"]["root_hz"] is None


def test_a_kept_material_is_what_the_recipe_replays(bench, client, tmp_path):
    bench.store(CUT, {"do": "stretch", "ratio": 1.5}, {"do": "loop", "start": 0.3, "end": 0.9})
    first = bench.keep({"name": "One"})["result"]["recordings"]
    again = bench.keep({"name": "One"})["result"]
    # identical samples and metadata: it is there already, and that is said
    assert (again["recordings"], again["known"]) == ([], first)
    bench.store(CUT, {"do": "gain", "level": -3})
    other = bench.keep({"name": "One"})["result"]["recordings"]
    assert client.get(f"/api/recordings/{other[0]}").json["name"] == "One 2"
    files = client.application.extensions["innerbloom"].files
    made = client.get(f"/api/recordings/{first[0]}").json
    assert read_sampler(files.find(made["digest"])).loops[0].start == round(0.3 * RATE)


def test_pieces_become_materials_and_a_bad_one_fails_alone(bench, client):
    bench.store(CUT, {"do": "normalise", "to": "loudness"})
    job = bench.keep(
        {"name": "A", "start": 0.6, "end": 1.4}, {"name": "B", "start": 1.5, "end": 1.52},
        {"name": "C", "start": 1.0, "end": 2.0},
    )  # fmt: skip
    assert len(job["result"]["recordings"]) == 2
    assert job["result"]["problems"] == [
        "B: Step 2, Normalise: Loudness needs 0.4 s of sound above \u221270 LUFS: "
        "normalise to a peak instead."
    ]
    refused = client.post(
        f"{bench.url}/keep", json={"pieces": [{"name": "D", "start": 2, "end": 1}]}
    )
    assert refused.status_code == 400
    assert "its end has to lie after its start" in refused.json["message"]


@pytest.fixture
def stones(shelf, write_wav):
    """Three strikes, a second apart."""
    rng = np.random.default_rng(2)
    sound = 1e-4 * rng.standard_normal(3 * RATE)
    for k in range(3):
        sound[k * RATE + 2_400 :][:9_600] += rng.standard_normal(9_600) * np.exp(
            -np.arange(9_600) / 1_500
        )
    return shelf.recording(write_wav(0.2 * sound, name="stones.wav"))


def test_pieces_and_what_is_decided_of_them_are_kept_with_revisions(client, shelf, stones):
    pieces = Revised(shelf, f"/api/recordings/{stones['id']}/pieces")
    found = client.get(f"{pieces.url}/found").json
    assert [one["start"] for one in found["pieces"]] == pytest.approx([0.05, 1.05, 2.05], abs=0.003)
    assert len(found["strength"]) == len(found["threshold"]) <= 2_000
    key = found["pieces"][1]["key"]
    pieces.edit(lambda doc: doc["decisions"].update({key: {"name": "Flat", "kept": False}}), "Drop")
    pieces.edit(lambda doc: doc.update(removed=[float(found["pieces"][2]["key"])]), "Join")
    assert len(client.get(f"{pieces.url}/found").json["pieces"]) == 2
    pieces.step("undo")
    # the recipe beside it has a history of its own
    bench = client.get(f"/api/recordings/{stones['id']}/bench").json
    assert (bench["undo"], pieces.state()["undo"]) == (None, "Drop")
    again = client.get(f"{pieces.url}/found").json
    assert len(again["pieces"]) == 3
    assert pieces.state()["document"]["decisions"][key] == {"name": "Flat", "kept": False}
    refused = pieces.edit(lambda doc: doc.update(gap=-1))
    assert refused.status_code == 400
    assert "gap" in refused.json["message"]


def test_pieces_made_together_keep_their_dynamics(bench, client):
    bench.store({"do": "cut"}, {"do": "normalise"})
    stretches = [{"name": f"P{i}", "start": i / 4, "end": (i + 1) / 4} for i in range(1, 4)]
    answer = client.post(f"{bench.url}/keep", json={"pieces": stretches, "together": True})
    made = bench.shelf.ended(answer.json["job"])["result"]["recordings"]
    steps = [client.get(f"/api/recordings/{one}").json["lineage"]["steps"] for one in made]
    peaks = [client.get(f"/api/recordings/{one}").json["measured"]["peak_dbfs"] for one in made]
    assert steps == [2, 2, 2]
    assert max(peaks) == pytest.approx(-0.3, abs=0.05)
    assert min(peaks) < -20


def test_recipe_is_copied_to_others_and_exported(bench, client, shelf, write_wav):
    other = shelf.recording(write_wav(gliding_tone(np.full(RATE, 330.0)), name="other.wav"))
    bench.store({"do": "gain", "level": -3}, label="Softer")
    answer = client.post(f"{bench.url}/copy", json={"recordings": [other["id"]]})
    assert answer.json == {"copied": 1}
    theirs = client.get(f"/api/recordings/{other['id']}/bench").json
    assert [step["do"] for step in theirs["document"]["steps"]] == ["gain"]
    assert theirs["undo"] == "Recipe of wire"
    exported = json.loads(client.get(f"/api/exports/recipe/{bench.recording['id']}/recipe").data)
    assert exported["format"] == "inner-bloom/recipe"
    assert exported["steps"] == theirs["document"]["steps"]


def test_a_stage_survives_half_written_files(bench, client):
    """A kill while a stage is written leaves no stage, and the next look makes it anew."""
    bench.store(CUT, {"do": "gain", "level": 2})
    stage = bench.stage(2)
    files = client.application.extensions["innerbloom"].files
    folder = files.stages.folder(stage["key"])
    (folder / "summary.json").write_text('{"key": "half')
    (folder / "sound.wav").write_bytes(b"RIFF")
    assert bench.stage(2)["peak_dbfs"] == stage["peak_dbfs"]


@pytest.mark.parametrize(
    "samples", [np.zeros(RATE), np.ones(RATE), np.tile([[0.9, 0.9]], (RATE, 1))]
)
def test_silent_clipped_and_dual_mono_files_can_be_worked_on(shelf, client, samples):
    data = io.BytesIO()
    sf.write(data, samples, RATE, format="WAV", subtype="PCM_24")
    job = shelf.add(data.getvalue(), "odd.wav")
    assert job["state"] == "done"
    bench = Bench(client, shelf, client.get(f"/api/recordings/{job['result']['recording']}").json)
    bench.store({"do": "dc"}, {"do": "channels", "take": "mid"})
    assert bench.stage(2)["channels"] == 1
    assert client.get(f"/api/sounds/{bench.recording['digest']}/pitch").status_code == 200
