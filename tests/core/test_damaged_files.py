"""Files from elsewhere, damaged in any way: each reader reads them or refuses them in one sentence."""

from __future__ import annotations

import io
import json
import zipfile
from contextlib import suppress
from pathlib import Path
from tempfile import TemporaryDirectory

import mido
import numpy as np
import pytest
import soundfile as sf
from hypothesis import given, settings
from hypothesis import strategies as st

from innerbloom.core.analysis.examine import examine
from innerbloom.core.deliver.bundle import unpack_bundle, write_bundle
from innerbloom.core.deliver.sources import beside
from innerbloom.core.deliver.take_file import unpack_take, write_take
from innerbloom.core.errors import BloomError
from innerbloom.core.materials.spectrum.analyse import analyse
from innerbloom.core.materials.spectrum.files import read_spectrum, write_spectrum
from innerbloom.core.materials.wavetable.files import write_table
from innerbloom.core.materials.wavetable.guess import layout_of
from innerbloom.core.materials.wavetable.table import HARMONICS, Table
from innerbloom.core.performance.events import Event
from innerbloom.core.performance.midi import MOST_BYTES, events_from_midi
from innerbloom.core.performance.midi_out import midi_of
from innerbloom.core.performance.take import Take as Performed
from innerbloom.core.performance.take_format import header_of
from innerbloom.core.prepare.recipe import parse_recipe
from innerbloom.core.sound.loop import Loop
from innerbloom.core.sound.metadata import Origin, riff_chunks
from innerbloom.core.sound.sampler import add_sampler
from innerbloom.core.sound.takes import Take, add_ixml, add_markers
from innerbloom.core.sound.writing import write_sound
from innerbloom.core.timeline.scene_lists import read_scenes
from tests.engines import RATE, cloud, sine


def _take(folder: Path) -> bytes:
    document = cloud().model_dump(mode="json")
    events = (Event("on", 1, 60.0, 0.8), Event("off", 1, 60.0, 0.0, 4_800))
    take = Performed(document, events=events, frames=RATE)
    sf.write(folder / "s.wav", np.zeros((RATE, 2)), RATE, "FLOAT")
    write_take(
        folder / "a.take", header_of(take, instrument=1, name="Reeds"), take, folder / "s.wav"
    )
    return (folder / "a.take").read_bytes()


def _bundle(folder: Path) -> bytes:
    sf.write(folder / "tone.wav", sine(220.0, 0.2), RATE)
    document = cloud()
    document.layers[0].sounds[0].path = "tone.wav"
    write_bundle(document, beside(folder), folder / "b.zip")
    return (folder / "b.zip").read_bytes()


def _spectrum(folder: Path) -> bytes:
    write_spectrum(folder / "s.spectrum", analyse(sine(220.0, 0.3)[:, None], RATE, 220.0))
    return (folder / "s.spectrum").read_bytes()


def _midi(folder: Path) -> bytes:
    events = (Event("on", 1, 60.0, 0.8), Event("off", 1, 60.0, 0.0, 4_800))
    return midi_of(Performed(cloud().model_dump(mode="json"), events=events, frames=RATE))


def _wav(folder: Path) -> bytes:
    """A recording with every chunk that is read: of its origin, take, markers, root and loop."""
    path = folder / "r.wav"
    origin = Origin("Reeds", "By the weir", "A. Listener", "CC0", "2031-03-03")
    write_sound(path, [sine(220.0, 0.2)[:, None]], RATE, 1, form="wav16", origin=origin)
    add_ixml(path, Take(scene="4", take="2", note="wind", place="Weir", frames_a_second=25.0))
    add_markers(path, [100, 2_000])
    add_sampler(path, RATE, 57.0, Loop(1_000, 5_000))
    return path.read_bytes()


def _wavetable(folder: Path) -> bytes:
    spectra = np.zeros((3, HARMONICS), complex)
    spectra[:, 0], spectra[1, 4] = 0.6, 0.3
    write_table(folder / "t 2048.wav", Table(spectra), "t")
    return (folder / "t 2048.wav").read_bytes()


def _on_disk(read):
    def of(data: bytes):
        with TemporaryDirectory() as folder:
            path = Path(folder) / "file"
            path.write_bytes(data)
            return read(path, Path(folder))

    return of


READERS = {
    "take": _on_disk(unpack_take),
    "bundle": _on_disk(unpack_bundle),
    "spectrum": _on_disk(lambda path, folder: read_spectrum(path)),
    "wav": _on_disk(lambda path, folder: examine(path)),
    "wavetable": _on_disk(lambda path, folder: layout_of(path)),
    "midi": lambda data: events_from_midi(data, RATE, 2.0),
}
_MAKERS = {
    "take": _take,
    "bundle": _bundle,
    "spectrum": _spectrum,
    "wav": _wav,
    "wavetable": _wavetable,
    "midi": _midi,
}


@pytest.fixture(scope="module")
def valid():
    """A whole file of each kind."""
    found = {}
    for kind, make in _MAKERS.items():
        with TemporaryDirectory() as folder:
            found[kind] = make(Path(folder))
    return found


def refused_or_read(kind: str, data: bytes) -> str:
    """The sentence; empty where it was read. Anything else that is raised fails the test."""
    try:
        READERS[kind](data)
        return ""
    except BloomError as error:
        said = str(error)
    assert "\n" not in said
    assert said.endswith(".")
    return said


@pytest.mark.parametrize("kind", READERS)
def test_whole_files_are_read(kind, valid):
    assert refused_or_read(kind, valid[kind]) == ""


@pytest.mark.parametrize("kind", READERS)
@settings(max_examples=150, deadline=None)
@given(data=st.data())
def test_however_a_file_is_damaged_it_is_read_or_refused(kind, valid, data):
    whole = bytearray(valid[kind])
    for _ in range(data.draw(st.integers(1, 6))):
        at = data.draw(st.integers(0, len(whole) - 1))
        whole[at] = data.draw(st.integers(0, 255))
    cut = data.draw(st.one_of(st.just(len(whole)), st.integers(0, len(whole))))
    refused_or_read(kind, bytes(whole[:cut]))


@pytest.mark.parametrize("kind", ["wav", "wavetable"])
def test_a_wav_file_may_end_anywhere_in_what_it_says_beside_its_sound(kind, valid):
    """Chunk by chunk, after each of its first words: RIFF MCI 1.0."""
    whole = valid[kind]
    for name, offset, size in riff_chunks(io.BytesIO(whole)):
        for kept in (0, 3, min(size, 40)):
            if name != b"data":
                refused_or_read(kind, whole[: offset + kept])


def test_a_key_that_does_not_exist_is_no_reason_to_fall_over(valid):
    signature = bytes((0x00, 0xFF, 0x59, 0x02, 0x30, 0x00))  # 48 sharps
    track = valid["midi"].index(b"MTrk") + 8
    assert refused_or_read("midi", valid["midi"][:track] + signature + valid["midi"][track:])


def _zip(members: dict[str, bytes], method: int = zipfile.ZIP_STORED) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", method) as made:
        for name, content in members.items():
            made.writestr(name, content)
    return out.getvalue()


@pytest.mark.parametrize("method", [zipfile.ZIP_DEFLATED, zipfile.ZIP_BZIP2, zipfile.ZIP_LZMA])
@pytest.mark.parametrize(
    ("kind", "name"),
    [("take", "take.json"), ("bundle", "instrument.json"), ("spectrum", "spectrum.json")],
)
def test_packed_data_that_is_bad_is_refused(method, kind, name):
    whole = _zip({name: json.dumps({"name": "x" * 4_000}).encode()}, method)
    at = whole.index(name.encode()) + len(name) + 4
    hurt = whole[:at] + bytes(255 - byte for byte in whole[at : at + 12]) + whole[at + 12 :]
    assert refused_or_read(kind, hurt)


@pytest.mark.parametrize("name", ["a" * 5_000, "a/" * 2_000 + "b", "\x00b", "con:"])
def test_names_that_no_disk_takes_are_refused(name):
    document = cloud().model_dump(mode="json")
    document["layers"][0]["sounds"][0]["path"] = name
    assert refused_or_read(
        "bundle", _zip({"instrument.json": json.dumps(document).encode(), "x": b""})
    )


@pytest.mark.parametrize(
    ("what", "value"),
    [
        ("root_hz", float("nan")),
        ("root_hz", -5.0),
        ("window", 0),
        ("window", 10**9),
        ("tonal", float("inf")),
    ],
)
def test_a_spectrum_with_a_figure_that_is_none_is_refused(what, value, valid):
    with zipfile.ZipFile(io.BytesIO(valid["spectrum"])) as opened:
        members = {one: opened.read(one) for one in opened.namelist()}
    name = next(one for one in members if one.endswith(".json"))
    members[name] = json.dumps({**json.loads(members[name]), what: value}).encode()
    assert "no spectrum, or it is damaged" in refused_or_read("spectrum", _zip(members))


def test_midi_that_divides_by_nothing_or_is_huge_is_refused(valid):
    nothing = bytearray(valid["midi"])
    nothing[12:14] = b"\x00\x00"
    assert "not a MIDI file" in refused_or_read("midi", bytes(nothing))
    file = mido.MidiFile()
    track = mido.MidiTrack()
    track.extend(mido.Message("note_on", note=60, velocity=64, time=0) for _ in range(400_000))
    file.tracks.append(track)
    out = io.BytesIO()
    file.save(file=out)
    assert len(out.getvalue()) > MOST_BYTES
    assert "is the most" in refused_or_read("midi", out.getvalue())


# -- over HTTP ---------------------------------------------------------------------------


@pytest.mark.parametrize(
    "path", ["instruments", "recordings", "takes", "timelines", "variations", "samples"]
)
def test_a_number_that_no_database_holds_leads_nowhere(client, path):
    assert client.get(f"/api/{path}/{2**63}").status_code == 404


@pytest.mark.parametrize("kind", [{}, [], 7, None])
def test_a_kind_that_is_no_word_is_named_with_its_path(kind):
    document = {"steps": [{"do": kind}]}
    with pytest.raises(BloomError, match="no known kind") as said:
        parse_recipe(document)
    assert "\n" not in str(said.value)


def test_a_list_of_scenes_with_a_stray_return_is_read_or_refused_in_a_sentence():
    for text in (b"start,name\r01:00:00:00,Lid\r", b'start,name\n"01:00:00:00\r,Lid\n', b"a\rb\0c"):
        with suppress(BloomError):
            read_scenes(text, "list.csv", "24", False, 0)


@pytest.mark.parametrize(
    ("path", "body"),
    [
        ("recordings/names", {"recordings": [2**63], "template": "{name}"}),
        ("recordings/batch", {"recordings": [2**64], "action": "tag", "tag": "x"}),
        ("samples", {"instrument": 2**63}),
        ("ensembles", {"instruments": [10**30]}),
    ],
)
def test_such_a_number_in_a_body_leads_nowhere_either(client, path, body):
    assert client.post(f"/api/{path}", json=body).status_code in (200, 404, 409, 422)


def test_json_that_is_nested_deeply_gets_a_sentence(client):
    deep = "[" * 200_000 + "]" * 200_000
    answer = client.post("/api/timelines", data=deep, content_type="application/json")
    assert answer.status_code in (400, 422)
    assert answer.json["message"]


def test_a_change_that_doubles_a_document_is_refused(shelf, tone_file):
    recording = shelf.recording(tone_file)
    grown = shelf.client.post(f"/api/recordings/{recording['id']}/instrument", json={}).json
    patch = [{"op": "copy", "from": "/layers", "path": "/layers/0"} for _ in range(40)]
    body = {"revision": grown["revision"], "label": "Grow", "patch": patch}
    answer = shelf.client.patch(f"/api/instruments/{grown['id']}", json=body)
    assert answer.status_code == 400
    assert "copies more than" in answer.json["message"]
    body["patch"] = [{"op": "replace", "path": "/name", "value": "x" * (33 << 20)}]
    answer = shelf.client.patch(f"/api/instruments/{grown['id']}", json=body)
    assert answer.status_code in (400, 413)
