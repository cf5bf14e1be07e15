"""What pipelines rely on, through the real command in a fresh process: files kept, codes, streams, pipes."""

from __future__ import annotations

import json
import struct
import subprocess
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf

from tests.conftest import RATE, harmonic_tone
from tests.core.test_decoding import write
from tests.servers import BLOOM


def ran(*words: object, **how: object) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [BLOOM, *map(str, words)], capture_output=True, text=True, timeout=300, **how
    )


@pytest.fixture
def wire(tmp_path) -> Path:
    sf.write(tmp_path / "wire.wav", harmonic_tone(220.0, 2.0), RATE, "PCM_24")
    (tmp_path / "recipe.json").write_text('{"steps": [{"do": "normalise"}]}')
    assert ran("new", "wire.wav", "--out", "wire.json", cwd=tmp_path).returncode == 0
    return tmp_path / "wire.wav"


def test_an_output_never_eats_an_input(wire):
    before = wire.read_bytes()
    done = ran("prepare", wire, "--recipe", wire.with_name("recipe.json"), "--out", wire, "--force")
    assert (done.returncode, done.stdout) == (1, "")
    assert done.stderr == f"'{wire}' is an input and stays as it is: choose another name.\n"
    done = ran("render", wire.with_name("wire.json"), "--out", wire, "--force")
    assert (done.returncode, done.stdout) == (1, "")
    assert wire.read_bytes() == before


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["spectrum", "analyse", "wire.wav", "--root", "Q", "--out", "a.spectrum"], "--root"),
        (["morph", "wire.wav", "wire.wav", "--seconds", "700", "--out", "a.wav"], "--seconds"),
        (
            ["render", "wire.json", "--midi", "a.mid", "--note", "C3", "--out", "a.wav"],
            "--midi says",
        ),
        (["render", "wire.json", "--out", "a.mp3"], "has to end in"),
        (["prepare", "wire.wav", "--out", "a.wav"], "--recipe"),
        (["no such thing"], "No such command"),
    ],
)
def test_usage_is_refused_with_two_and_nothing_is_printed(wire, words, said):
    done = ran(*words, cwd=wire.parent)
    assert (done.returncode, done.stdout) == (2, "")
    assert said in done.stderr
    assert "Traceback" not in done.stderr


def test_a_broken_pipe_ends_silently(wire):
    many = " ".join(["wire.wav"] * 40)
    done = subprocess.run(
        ["bash", "-c", f"'{BLOOM}' inspect {many} --brief --json | head -n 1"],
        capture_output=True, text=True, cwd=wire.parent, timeout=300,
    )  # fmt: skip
    assert json.loads(done.stdout)["root_note"] == "A3"
    assert done.stderr == ""


def test_results_go_out_one_way_and_errors_the_other(wire):
    done = ran("inspect", "wire.wav", "nothing.wav", "--brief", "--json", cwd=wire.parent)
    assert done.returncode == 1
    one, other = map(json.loads, done.stdout.splitlines())
    assert one["duration_s"] == 2.0
    assert "nothing.wav" in other["error"]
    assert done.stderr == ""


def test_the_sound_track_of_a_film_is_a_sound(tmp_path):
    write(tmp_path / "film.mp4", "aac", "fltp", harmonic_tone(220.0, 1.0), "mpeg4")
    done = ran("new", "film.mp4", "--out", "film.zip", cwd=tmp_path)
    assert done.returncode == 0, done.stderr
    done = ran("render", "film.zip", "--note", "A3,E4", "--seconds", "0.3", "--rate", "44100",
               "--out", "film.wav", cwd=tmp_path)  # fmt: skip
    assert done.returncode == 0, done.stderr
    samples, rate = sf.read(tmp_path / "film.wav")
    assert rate == 44_100
    assert np.abs(samples).max() > 0.01


def test_what_is_wrong_with_a_document_is_said_with_its_path(wire):
    document = json.loads(wire.with_name("wire.json").read_text())
    document["layers"][0]["settings"]["sise"] = 3
    wire.with_name("wrong.json").write_text(json.dumps(document))
    done = ran("validate", "wrong.json", "wire.json", cwd=wire.parent)
    assert done.returncode == 1
    wrong, right = done.stdout.splitlines()
    assert wrong.startswith("wrong.json: The instrument cannot be read: layers.0.settings.sise: ")
    assert wrong.endswith("the nearest is 'size'.")
    assert right == "wire.json: instrument, whole, 1 recording found."


def test_midi_in_smpte_division_plays_at_its_times(wire):
    """25 frames of 40 parts: a tick a millisecond (Standard MIDI Files 1.0)."""
    track = bytes((0x00, 0x90, 57, 100, 0x83, 0x74, 0x80, 57, 0, 0x00, 0xFF, 0x2F, 0x00))
    head = struct.pack(">4sIHHbB", b"MThd", 6, 0, 1, -25, 40)
    wire.with_name("part.mid").write_bytes(head + struct.pack(">4sI", b"MTrk", len(track)) + track)
    for name, words in (
        ("midi", ["--midi", "part.mid"]),
        ("note", ["--note", "A3", "--seconds", "0.5"]),
    ):
        done = ran("render", "wire.json", *words, "--out", f"{name}.wav", cwd=wire.parent)
        assert done.returncode == 0, done.stderr
    lengths = [sf.info(wire.with_name(f"{name}.wav")).frames for name in ("midi", "note")]
    assert lengths[0] == pytest.approx(lengths[1], abs=64)


def test_short_and_truncated_sounds_are_told(tmp_path):
    sf.write(tmp_path / "short.wav", harmonic_tone(220.0, 0.1), RATE, "PCM_16")
    sf.write(tmp_path / "cut.wav", harmonic_tone(220.0, 2.0), RATE, "PCM_16")
    whole = (tmp_path / "cut.wav").read_bytes()
    (tmp_path / "cut.wav").write_bytes(whole[: len(whole) // 2])
    done = ran("inspect", "short.wav", "cut.wav", "--brief", cwd=tmp_path)
    lines = done.stdout.splitlines()
    assert "LUFS (momentary)" in lines[0]
    assert "The file is cut short: the last 1.00 s of 2.00 s are missing." in lines[2]
