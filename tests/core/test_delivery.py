"""Rendering, bundles, MIDI files and the command line."""

from __future__ import annotations

import io
import json
import zipfile
from pathlib import Path

import mido
import numpy as np
import pytest
import soundfile as sf

from innerbloom.core.deliver.bundle import MOST_FILES, unpack_bundle, write_bundle
from innerbloom.core.deliver.opening import open_playable
from innerbloom.core.deliver.render import render_blocks
from innerbloom.core.deliver.sources import beside, file_materials
from innerbloom.core.digest import file_digest
from innerbloom.core.engine import compile_program
from innerbloom.core.errors import BloomError, BundleError, DocumentError, PerformanceError
from innerbloom.core.instrument.grow import grow_cloud
from innerbloom.core.performance.events import Event, single_note
from innerbloom.core.performance.midi import events_from_midi
from tests.conftest import RATE, harmonic_tone
from tests.engines import cloud, material_of, program_of, sine
from tests.shell import bloom, lines


def midi_file(*messages: mido.Message) -> bytes:
    file = mido.MidiFile(ticks_per_beat=480)
    track = mido.MidiTrack(messages)
    file.tracks.append(track)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


NOTES = midi_file(
    mido.Message("note_on", note=57, velocity=100),
    mido.Message("note_on", note=61, velocity=90, time=240),
    mido.Message("pitchwheel", pitch=8191, time=120),
    mido.Message("control_change", control=64, value=127, time=0),
    mido.Message("note_off", note=57, time=240),
    mido.Message("note_on", note=61, velocity=0, time=240),
    mido.Message("control_change", control=64, value=0, time=240),
)


# -- rendering ------------------------------------------------------------------


def test_a_render_starts_at_once_and_ends_in_silence():
    program = program_of(cloud(release=200), material_of(sine(440.0, 4.0)))
    sound = np.concatenate(list(render_blocks(program, single_note(69, 0.5, RATE))))
    assert np.abs(sound[:400]).max() > 0.001
    assert np.abs(sound[-100:]).max() < 1e-4
    assert 0.7 <= len(sound) / RATE < 0.9


def test_a_note_that_is_never_let_go_still_ends():
    program = program_of(cloud(), material_of(sine(440.0, 1.0)))
    sound = np.concatenate(list(render_blocks(program, [Event("on", 1, 69.0, 1.0)])))
    assert 39 < len(sound) / RATE < 42


# -- MIDI files -----------------------------------------------------------------


def test_a_midi_file_becomes_events_at_its_tempo():
    """120 bpm by default, so that 480 ticks are half a second (SMF 1.0)."""
    events = events_from_midi(NOTES, RATE, 2.0)
    kinds = [(event.kind, event.time) for event in events]
    assert kinds == [
        ("on", 0), ("on", 12_000), ("bend", 18_000), ("bend", 18_000), ("hold", 18_000),
        ("off", 30_000), ("off", 42_000), ("hold", 54_000),
    ]  # fmt: skip
    assert events[2].value == pytest.approx(2.0, abs=0.001)
    assert events[0].value == pytest.approx(100 / 127)


def test_repeated_keys_are_separate_notes():
    data = midi_file(
        mido.Message("note_on", note=60, velocity=1),
        mido.Message("note_on", note=60, velocity=1, time=10),
        mido.Message("note_off", note=60, time=10),
        mido.Message("note_off", note=60, time=10),
    )
    notes = [(event.kind, event.note) for event in events_from_midi(data, RATE, 2.0)]
    assert notes == [("on", 1), ("on", 2), ("off", 1), ("off", 2)]


@pytest.mark.parametrize(
    "data",
    [b"", b"MThd", b"not midi at all", NOTES[:20], NOTES[:-9], midi_file()],
    ids=["empty", "header", "text", "cut header", "cut track", "no notes"],
)
def test_a_midi_file_that_cannot_be_played_is_refused(data):
    with pytest.raises(PerformanceError):
        events_from_midi(data, RATE, 2.0)


# -- bundles --------------------------------------------------------------------


@pytest.fixture
def instrument(tone_file: Path):
    document = grow_cloud("Tone", duration_s=2.0, root=57.0, loudness_lufs=-15.0,
                          recording=file_digest(tone_file))  # fmt: skip
    document.layers[0].sound.path = tone_file.name
    return document


def rendered(document, folder: Path) -> np.ndarray:
    program = compile_program(document, file_materials(beside(folder)))
    return np.concatenate(list(render_blocks(program, single_note(57, 0.5, RATE))))


def test_a_bundle_sounds_as_its_instrument(instrument, tone_file, tmp_path):
    target = tmp_path / "bundle.zip"
    write_bundle(instrument, beside(tone_file.parent), target)
    with open_playable(target) as (document, locate):
        sound = np.concatenate(
            list(
                render_blocks(
                    compile_program(document, file_materials(locate)), single_note(57, 0.5, RATE)
                )
            )
        )
    # the recording has 24 bits, so that FLAC holds it without loss
    np.testing.assert_array_equal(sound, rendered(instrument, tone_file.parent))


def test_a_recording_above_full_scale_is_lowered_and_made_up_for(tmp_path):
    loud = tmp_path / "loud.wav"
    sf.write(loud, 3.0 * harmonic_tone(220.0, 1.0, level=0.5), RATE, subtype="FLOAT")
    document = grow_cloud("Loud", duration_s=1.0, root=57.0, loudness_lufs=-3.0)
    document.layers[0].sound.path = "loud.wav"
    target = tmp_path / "bundle.zip"
    write_bundle(document, beside(tmp_path), target)
    unpacked = unpack_bundle(target, tmp_path / "out")
    assert unpacked.layers[0].sound.recording is None
    there, here = rendered(unpacked, tmp_path / "out"), rendered(document, tmp_path)
    assert np.abs(there - here).max() < 1e-4


def spoilt(instrument, tmp_path, change) -> Path:
    """A bundle whose members a function has changed."""
    good, bad = tmp_path / "good.zip", tmp_path / "bad.zip"
    write_bundle(instrument, beside(tmp_path), good)
    with zipfile.ZipFile(good) as source:
        members = {name: source.read(name) for name in source.namelist()}
    change(members)
    with zipfile.ZipFile(bad, "w", zipfile.ZIP_DEFLATED) as out:
        for name, data in members.items():
            out.writestr(name, data)
    return bad


@pytest.mark.parametrize(
    "change",
    [
        lambda m: m.update({"../evil.txt": b"x"}),
        lambda m: m.update({"/evil.txt": b"x"}),
        lambda m: m.update({"..\\evil.txt": b"x"}),
        lambda m: m.update({"bomb.bin": b"\0" * (40 << 20)}),
        lambda m: m.update({f"{i}.txt": b"" for i in range(MOST_FILES)}),
        lambda m: m.pop("instrument.json"),
        lambda m: m.pop("recordings/1.flac"),
        lambda m: m.update({"instrument.json": b"{"}),
        lambda m: m.update({"instrument.json": m["instrument.json"].replace(b"recordings/1", b"../../x")}),
    ],
    ids=["parent", "root", "backslash", "bomb", "too many", "no document", "no sound", "json", "path"],
)  # fmt: skip
def test_an_unsafe_or_broken_bundle_is_refused(instrument, tone_file, tmp_path, change):
    bad = spoilt(instrument, tmp_path, change)
    folder = tmp_path / "inner" / "out"
    folder.mkdir(parents=True)
    with pytest.raises((BundleError, DocumentError)) as caught:
        unpack_bundle(bad, folder)
    assert "\n" not in str(caught.value)
    assert not list(tmp_path.rglob("evil*"))


def test_a_damaged_zip_is_refused(tmp_path):
    path = tmp_path / "bundle.zip"
    path.write_bytes(b"PK\x03\x04" + bytes(500))
    with pytest.raises(BloomError), open_playable(path):
        pass


# -- the command line -----------------------------------------------------------


def test_from_recording_to_sound_in_the_shell(tone_file, tmp_path):
    document, bundle = tmp_path / "tone.json", tmp_path / "tone.zip"
    assert bloom("new", tone_file, "--out", document).exit_code == 0
    assert bloom("new", tone_file, "--out", bundle).exit_code == 0
    for source in (document, bundle):
        for name in ("a.wav", "a.flac"):
            result = bloom(
                "render",
                source,
                "--note",
                "A3",
                "--seconds",
                1,
                "--out",
                tmp_path / name,
                "--force",
            )
            assert result.exit_code == 0, result.output
    wav, rate = sf.read(tmp_path / "a.wav")
    flac, _ = sf.read(tmp_path / "a.flac")
    assert rate == RATE
    assert sf.info(tmp_path / "a.wav").subtype == "PCM_24"
    # the two writers round the last of 24 bits differently
    np.testing.assert_allclose(wav, flac, atol=2**-23)
    found = json.loads(bloom("inspect", tmp_path / "a.wav", "--json").stdout)
    assert found["root_note"] == "A3"


def test_a_seed_rolls_again(tone_file, tmp_path):
    bloom("new", tone_file, "--out", tmp_path / "t.json")
    sounds = []
    for seed in (1, 1, 2):
        out = tmp_path / "o.wav"
        bloom(
            "render", tmp_path / "t.json", "--seconds", 0.3, "--seed", seed, "--out", out, "--force"
        )
        sounds.append(sf.read(out)[0])
    np.testing.assert_array_equal(sounds[0], sounds[1])
    assert np.abs(sounds[0] - sounds[2]).max() > 1e-3


def test_a_midi_file_is_rendered(tone_file, tmp_path):
    (tmp_path / "n.mid").write_bytes(NOTES)
    bloom("new", tone_file, "--out", tmp_path / "t.json")
    out = tmp_path / "o.wav"
    result = bloom(
        "render", tmp_path / "t.json", "--midi", tmp_path / "n.mid", "--float", "--out", out
    )
    assert result.exit_code == 0, result.output
    assert sf.info(out).subtype == "FLOAT"
    assert sf.info(out).duration > 54_000 / RATE


def test_inspect_goes_on_past_a_bad_file(tone_file, tmp_path):
    bad = tmp_path / "bad.wav"
    bad.write_text("nonsense")
    result = bloom("inspect", bad, tone_file, tmp_path / "missing.wav", "--json")
    found = lines(result)
    assert result.exit_code == 1
    assert [entry["path"] for entry in found] == [
        str(bad),
        str(tone_file),
        str(tmp_path / "missing.wav"),
    ]
    assert set(found[0]) == {"path", "error"}
    assert set(found[1]) == {
        "path", "duration_s", "rate", "channels", "root_hz", "root_note", "cents", "confidence",
        "partial_hz", "partial_share",
        "lufs", "momentary_lufs", "true_peak_dbtp", "noise_floor_dbfs", "tonalness", "timbre", "remarks",
        "loops", "pitch",
        "onsets_s", "loops_found",
    }  # fmt: skip
    assert found[1]["root_note"] == "A3"
    assert "A3" in bloom("inspect", tone_file).output


@pytest.mark.parametrize(
    "words",
    [
        ["render", "nowhere.json", "--out", "o.wav"],
        ["render", "{tone}", "--out", "o.wav"],
        ["render", "{json}", "--out", "o.mp3"],
        ["render", "{json}", "--note", "H9", "--out", "o.wav"],
        ["render", "{json}", "--midi", "{tone}", "--out", "o.wav"],
        ["render", "{json}", "--midi", "nowhere.mid", "--out", "o.wav"],
        ["render", "{json}", "--out", "/nowhere/at/all/o.wav"],
        ["new", "nowhere.wav", "--out", "o.json"],
        ["new", "{tone}", "--out", "o.txt"],
        ["new", "{tone}", "--out", "{elsewhere}/o.json"],
        ["serve", "--host", "0.0.0.0"],
    ],
)
def test_what_cannot_be_done_is_said_without_a_traceback(words, tone_file, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    elsewhere = tmp_path / "elsewhere"
    elsewhere.mkdir()
    bloom("new", tone_file, "--out", tmp_path / "t.json")
    filled = [
        word.format(tone=tone_file, json=tmp_path / "t.json", elsewhere=elsewhere) for word in words
    ]
    result = bloom(*filled)
    assert result.exit_code in (1, 2)
    assert result.exception is None or isinstance(result.exception, SystemExit)
    assert "Traceback" not in result.output


def test_bench_prints_ratios():
    output = bloom("bench", "--voices", 2, "--grains", 2, "--seconds", 1).output
    assert "real-time factor" in output
