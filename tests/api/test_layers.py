"""Building, varying, tuning and portraying instruments over HTTP and the live session."""

from __future__ import annotations

import numpy as np
import pytest

from innerbloom.core.errors import SoundFileError
from tests.conftest import RATE, harmonic_tone


@pytest.fixture
def instrument(client, shelf, write_wav):
    """An instrument grown from a tone at A3, and how to act on it."""
    recording = shelf.recording(write_wav(harmonic_tone(220.0, 3.0), name="jar.wav"))
    made = client.post(f"/api/recordings/{recording['id']}/instrument", json={}).json
    return Acting(client, made, recording)


class Acting:
    def __init__(self, client, made, recording):
        self.client, self.id, self.recording = client, made["id"], recording
        self.revision = made["revision"]
        self.path = f"/api/instruments/{made['id']}"

    def act(self, do, **more):
        body = {"action": {"do": do, "revision": self.revision, **more}}
        answer = self.client.post(f"{self.path}/layers", json=body)
        if answer.status_code == 200:
            self.revision = answer.json["revision"]
        return answer

    def document(self):
        return self.client.get(self.path).json["document"]


def test_layers_are_built_step_by_step_and_taken_back(instrument):
    recording = instrument.recording["id"]
    assert instrument.act("add", kind="loop", recording=recording).status_code == 200
    instrument.act("tuned wave", layer=0, shape="sine", octave=-1)
    instrument.act("click")
    instrument.act("add", kind="noise", shape="pink")
    kinds = [layer["kind"] for layer in instrument.document()["layers"]]
    assert kinds == ["cloud", "loop", "wave", "wave", "noise"]
    instrument.act("move", layer=4, to=0)
    instrument.act("duplicate", layer=1)
    layers = instrument.document()["layers"]
    assert layers[0]["settings"]["colour"] == "pink"
    assert layers[2]["settings"] == layers[1]["settings"]
    instrument.act("remove", layer=2)
    undone = instrument.client.post(
        f"{instrument.path}/undo", json={"revision": instrument.revision}
    )
    assert len(undone.json["document"]["layers"]) == 6
    assert undone.json["redo"] == "Remove a layer"


def test_clouds_start_out_where_a_recording_sounds(client, shelf, write_wav):
    """Grown or added: inside the one second of eight that is no silence, at one loudness."""
    quiet = np.zeros(8 * RATE)
    quiet[5 * RATE : 6 * RATE] = 0.01 * harmonic_tone(220.0, 1.0)
    recording = shelf.recording(write_wav(quiet, name="late.wav"))
    made = client.post(f"/api/recordings/{recording['id']}/instrument", json={}).json
    acting = Acting(client, made, recording)
    assert acting.act("add", kind="cloud", recording=recording["id"]).status_code == 200
    document = acting.document()
    grown, added = document["layers"]
    for layer in (grown, added):
        assert 62.5 < layer["settings"]["position"] < 75.0
        assert layer["settings"]["alignment"] == layer["settings"]["evenness"] == 100
    (one,), (other,) = grown["sounds"], added["sounds"]
    # what is grown is played and measured, what is added to it is brought to a level by estimate
    assert one["gain_db"] == pytest.approx(other["gain_db"], abs=2.0)
    assert one["gain_db"] > 24
    assert one | {"gain_db": 0} == other | {"gain_db": 0}
    assert [one["name"] for one in document["modulators"]] == ["Wander", "Breath"]
    moved = {one["parameter"] for one in document["routes"] if one["source"].startswith("m:")}
    assert moved == {"position", "cutoff", "level"}


def test_a_moment_that_is_asked_for_is_where_the_cloud_starts(client, shelf, write_wav):
    recording = shelf.recording(write_wav(harmonic_tone(220.0, 8.0), name="long.wav"))
    made = client.post(f"/api/recordings/{recording['id']}/instrument", json={"at_s": 6.0}).json
    position = made["document"]["layers"][0]["settings"]["position"]
    assert position == pytest.approx(75.0, abs=8.0)


def test_sounds_are_added_swapped_spread_and_removed(instrument, shelf, write_wav):
    other = shelf.recording(write_wav(harmonic_tone(330.0, 2.0), name="lid.wav"))
    instrument.act("add sounds", layer=0, recordings=[other["id"]])
    instrument.act("spread", layer=0, by="key")
    layer = instrument.document()["layers"][0]
    assert [sound["name"] for sound in layer["sounds"]] == ["jar", "lid"]
    assert [(p["key_low"], p["key_high"]) for p in layer["picks"]] == [(0, 63), (64, 127)]
    instrument.act("remove sound", layer=0, which=0)
    instrument.act("swap sound", layer=0, which=0, recording=instrument.recording["id"])
    sounds = instrument.document()["layers"][0]["sounds"]
    assert [sound["recording"] for sound in sounds] == [instrument.recording["digest"]]
    last = instrument.act("remove sound", layer=0, which=0)
    assert last.status_code == 400
    assert "keeps its last sound" in last.json["message"]


@pytest.mark.parametrize(
    ("do", "more", "words"),
    [
        ("add", {"kind": "cloud"}, "A cloud layer needs a sound"),
        ("remove", {"layer": 0}, "keeps at least one layer"),
        ("duplicate", {"layer": 5}, "There is no layer 6"),
        ("add", {"kind": "wave", "shape": "wobble"}, "layers.1.settings.shape"),
        ("add", {"kind": "organ"}, "organ"),
        ("add", {"kind": "cloud", "recording": 999}, "not on the shelf"),
    ],
)
def test_what_cannot_be_built_is_said_in_a_sentence_and_changes_nothing(
    instrument, do, more, words
):
    before = instrument.document()
    answer = instrument.act(do, **more)
    assert answer.status_code in (400, 404, 422)
    said = answer.json["message"]
    assert words in said
    assert instrument.document() == before


def test_variants_are_neighbours_that_a_patch_keeps(instrument):
    body = {"groups": ["Grain"], "amount": 0.2, "count": 3, "seed": 5}
    found = instrument.client.post(f"{instrument.path}/variants", json=body).json
    assert len(found["variants"]) == 3
    assert {one["parameter"] for one in found["ranges"]} >= {"size", "density"}
    patch = found["variants"][1]["patch"]
    edit = {"revision": instrument.revision, "label": "Keep a variant", "patch": patch}
    kept = instrument.client.patch(instrument.path, json=edit).json
    assert kept["document"] == found["variants"][1]["document"]
    again = instrument.client.post(f"{instrument.path}/undo", json={"revision": kept["revision"]})
    assert again.json["document"] != kept["document"]


def test_a_portrait_is_a_job_made_once_for_each_revision(instrument, shelf):
    url = f"{instrument.path}/portrait"
    assert instrument.client.get(url).json == {"job": None, "keys": None, "held": None}
    started = instrument.client.post(url).json["job"]
    assert shelf.ended(started, within=90)["state"] == "done"
    shown = instrument.client.get(url).json
    assert [key["key"] for key in shown["keys"]] == list(range(21, 109))
    assert abs(next(k for k in shown["keys"] if k["key"] == 57)["cents"]) < 12
    # grown of a steady tone: no holes, no flutter, wide, and it moves
    assert shown["held"]["lowest_db"] > -8
    assert shown["held"]["flutter"] < 0.15
    assert -12.5 < shown["held"]["side_db"] < -3
    assert shown["held"]["moves_db"] > 0.5
    assert instrument.client.post(url).json["job"] == started
    instrument.act("click")
    assert instrument.client.get(url).json["keys"] is None


def test_a_scala_tuning_is_read_and_a_bad_one_refused(instrument):
    url = f"{instrument.path}/tuning"
    scale = "five\n5\n240.\n480.\n720.\n960.\n2/1\n"
    tuned = instrument.client.put(url, json={"revision": instrument.revision, "scale": scale})
    assert tuned.json["document"]["tuning"]["name"] == "five"
    assert tuned.json["document"]["tuning"]["cents"][61] == pytest.approx(140.0)
    revision = tuned.json["revision"]
    bad = instrument.client.put(url, json={"revision": revision, "scale": "x\n2\nhalf\n2/1"})
    assert bad.status_code == 400
    assert "Line 3 of the scale is not a pitch" in bad.json["message"]


# -- the live session, without a socket ------------------------------------------------


class OneSound:
    """Materials of a live session that need no files."""

    def __init__(self):
        from innerbloom.core.engine import prepare_material
        from innerbloom.core.materials.held import HeldMaterials

        tone = np.sin(2 * np.pi * 220 * np.arange(2 * RATE) / RATE).astype(np.float32)
        self.held = HeldMaterials(prepare_material(0.4 * tone[:, None], RATE))

    def get(self, request):
        if request.stretch and request.stretch.path == "gone.wav":
            raise SoundFileError("This recording cannot be found: was its file deleted?")
        return self.held.get(request)


@pytest.fixture
def session(tmp_path):
    import time

    from innerbloom.live.messages import parse_message
    from innerbloom.live.session import LiveSession
    from innerbloom.store.files import FileStore
    from tests.engines import layered

    class Live(LiveSession):
        def say(self, **message):
            import json

            return self.take(parse_message(json.dumps(message)))

        def open(self, document):
            self.say(do="load", document=document.model_dump(mode="json"))
            for _ in range(200):
                answer = self.loaded()
                if answer:
                    return answer
                time.sleep(0.02)
            raise AssertionError("nothing was loaded")

        def hear(self, blocks):
            sound = b"".join(self.block() for _ in range(blocks))
            return np.frombuffer(sound, "<f4").reshape(-1, 2)

    store = FileStore(tmp_path / "project")
    live = Live(OneSound(), store)
    live.layered = layered
    return live


def test_a_keyboard_speaks_mpe_to_the_session(session):
    session.open(session.layered({"kind": "wave"}))
    for data in ([0xB0, 101, 0], [0xB0, 100, 6], [0xB0, 6, 3], [0x91, 57, 100], [0xE1, 0, 0x48]):
        session.say(do="midi", data=data)
    session.hear(20)
    (note,) = session.look()["notes"]
    assert note[1] == pytest.approx(57 + 48 / 8)
    session.say(do="midi", data=[0xB0, 21, 64])
    assert session.look()["moved"] == 21
    session.say(do="midi", data=[0x81, 57, 0])
    session.hear(20)
    assert session.look()["notes"] == []


def test_layers_change_while_a_note_is_held(session):
    session.open(session.layered({"kind": "loop"}))
    session.say(do="on", note=1, key=57, value=0.9)
    assert np.abs(session.hear(60)).max() > 0.05
    session.open(session.layered({"kind": "loop"}, {"kind": "wave"}))
    session.hear(10)
    assert [len(layer["heads"]) for layer in session.look()["layers"]] == [1, 1]
    gone = session.layered({"kind": "cloud", "sounds": [{"path": "gone.wav"}]})
    assert "cannot be found" in session.open(gone)["text"]
    # what sounded goes on
    assert np.abs(session.hear(60)).max() > 0.05


def test_choices_and_depths_are_set_live_and_wrong_ones_refused(session):
    session.open(session.layered(
        {"kind": "wave"}, routes=[{"source": "slide", "parameter": "pitch", "depth": 2}]))  # fmt: skip
    session.say(do="on", note=1, key=57, value=0.9)
    assert session.say(do="set", owner="l1", parameter="mute", value="on") is None
    session.hear(80)
    assert np.abs(session.hear(10)).max() < 1e-3
    wrong = session.say(do="set", owner="l1", parameter="mute", value="perhaps")
    assert wrong["text"] == "mute is one of off, on."
    assert session.say(do="set", owner="r0", parameter="depth", value=12) is None
    gone = session.say(do="set", owner="r9", parameter="depth", value=1)["text"]
    assert "no longer there" in gone


def test_variants_are_sketched_as_they_sound_and_say_what_differs(shelf, tone_file):
    instrument = shelf.instrument(tone_file)
    body = {"groups": ["Grain", "Where"], "amount": 0.4, "count": 2, "seed": 3, "key": 57}
    made = shelf.client.post(f"/api/instruments/{instrument['id']}/variants", json=body).json
    assert all(" to " in words for one in made["variants"] for words in one["words"])
    assert shelf.ended(made["job"])["state"] == "done"
    answer = shelf.client.get(f"/api/sketches/{made['job']}")
    count, rows, columns = map(int, answer.headers["X-Shape"].split(","))
    pictures = np.frombuffer(answer.data, np.uint8).reshape(count, rows, columns)
    assert count == 3
    # the tone's partials stand out of what lies between them
    assert pictures[0].max() > np.median(pictures[0]) + 90
    assert not np.array_equal(pictures[1], pictures[2])
    assert shelf.client.get("/api/sketches/0").status_code == 404


def test_one_recording_stands_in_for_all_with_stretch_and_loop(client, shelf, write_wav):
    """Where all is alike the stretch stays in its place; the loop is one that closes in what is there now."""
    t = np.arange(4 * RATE) / RATE
    old = shelf.instrument(write_wav(harmonic_tone(220.0, 2.0), name="old.wav"))
    beats = (0.3 * np.sin(2 * np.pi * 330 * t) * (1.2 + np.sin(2 * np.pi * 2 * t)))[:, None]
    new = shelf.recording(write_wav(beats, name="new.wav"))
    url = f"/api/instruments/{old['id']}"

    def act(do, **more):
        now = client.get(url).json
        body = {"action": {"do": do, "revision": now["revision"], **more}}
        answer = client.post(f"{url}/layers", json=body)
        assert answer.status_code == 200, answer.json
        return answer.json["document"]

    act("add", kind="loop", recording=1)
    now = client.get(url).json
    patch = [{"op": "replace", "path": "/layers/1/sounds/0/start", "value": 0.5},
             {"op": "replace", "path": "/layers/1/sounds/0/length", "value": 1.5},
             {"op": "replace", "path": "/layers/1/settings/loop_length", "value": 500}]  # fmt: skip
    client.patch(url, json={"revision": now["revision"], "patch": patch, "label": "x"})
    cloud, loop = act("swap all", recording=new["id"])["layers"]
    assert {one["sounds"][0]["recording"] for one in (cloud, loop)} == {new["digest"]}
    assert loop["sounds"][0]["start"] == pytest.approx(1.0, abs=0.2)
    assert loop["sounds"][0]["length"] == 1.5
    # it beats twice a second: what closes is a whole number of beats, at least half as long
    assert loop["settings"]["loop_length"] >= 250
    beats_in_it = loop["settings"]["loop_length"] / 500
    assert beats_in_it == pytest.approx(round(beats_in_it), abs=0.02)
    back = client.post(f"{url}/undo", json={"revision": client.get(url).json["revision"]}).json
    assert back["document"]["layers"][1]["settings"]["loop_length"] == 500


def test_a_stretch_is_found_again_where_the_other_recording_is_as_the_old_one_was(
    client, shelf, write_wav
):
    """A strike over a bed stands for a strike over a bed, wherever it lies."""

    def struck(seconds: float, at: float, hz: float, seed: int) -> np.ndarray:
        made = 0.004 * np.random.default_rng(seed).standard_normal(round(seconds * RATE))
        t = np.arange(len(made) - round(at * RATE)) / RATE
        made[-len(t) :] += 0.4 * np.sin(2 * np.pi * hz * t) * np.exp(-5 * t)
        return made[:, None]

    made = shelf.instrument(write_wav(struck(3.0, 1.0, 220, 1), name="old.wav"))
    new = shelf.recording(write_wav(struck(6.0, 4.2, 330, 2), name="new.wav"))
    url = f"/api/instruments/{made['id']}"
    patch = [{"op": "replace", "path": "/layers/0/sounds/0/start", "value": 0.9},
             {"op": "replace", "path": "/layers/0/sounds/0/length", "value": 0.8}]  # fmt: skip
    change = {"revision": made["revision"], "patch": patch, "label": "x"}
    revision = client.patch(url, json=change).json["revision"]
    action = {"do": "swap all", "recording": new["id"], "revision": revision}
    (layer,) = client.post(f"{url}/layers", json={"action": action}).json["document"]["layers"]
    assert layer["sounds"][0]["start"] == pytest.approx(4.1, abs=0.02)
    assert layer["sounds"][0]["length"] == 0.8


def test_a_printed_note_is_a_layer_that_plays_it_once_at_its_key(client, shelf, write_wav):
    made = shelf.instrument(write_wav(harmonic_tone(220.0, 2.0), name="tone.wav"))
    url = f"/api/instruments/{made['id']}"
    body = {"key": 45, "seconds": 0.5, "velocity": 0.8, "format": "wav24", "title": "Note"}
    render = shelf.ended(client.post(f"{url}/render", json=body).json["job"])
    kept = shelf.ended(client.post(f"/api/jobs/{render['id']}/keep").json["job"])
    action = {"do": "print", "recording": kept["result"]["recording"], "revision": made["revision"]}
    layer = client.post(f"{url}/layers", json={"action": action}).json["document"]["layers"][-1]
    assert (layer["kind"], layer["name"], layer["settings"]["loop"]) == ("loop", "Note", "off")
    assert layer["sounds"][0]["root"] == 45


def test_a_printed_chord_is_levelled_looped_and_rooted_at_its_lowest_key(client, shelf, write_wav):
    """Its file says so to others too: the smpl chunk of the RIFF specification."""
    made = shelf.instrument(write_wav(harmonic_tone(220.0, 2.0), name="tone.wav"))
    url = f"/api/instruments/{made['id']}"
    body = {"key": 57, "keys": [45, 64], "seconds": 3.0, "velocity": 0.8, "format": "wav24",
            "title": "Chord", "printed": True}  # fmt: skip
    render = shelf.ended(client.post(f"{url}/render", json=body).json["job"])
    assert render["state"] == "done", render
    kept = shelf.ended(client.post(f"/api/jobs/{render['id']}/keep").json["job"])
    row = client.get(f"/api/recordings/{kept['result']['recording']}").json
    assert row["measured"]["peak_dbfs"] == pytest.approx(-0.3, abs=0.02)
    assert len(row["measured"]["loops"]) == 1
    action = {"do": "print", "recording": row["id"], "revision": made["revision"]}
    layer = client.post(f"{url}/layers", json={"action": action}).json["document"]["layers"][-1]
    assert layer["settings"]["loop"] == "forward"
    assert layer["sounds"][0]["root"] == 45
