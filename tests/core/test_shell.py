"""The shell's manners: options that are refused, hashes that are checked, exit codes, what goes where."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import mido
import numpy as np
import pytest
import soundfile as sf

from innerbloom.cli.main import main
from tests.conftest import RATE, harmonic_tone
from tests.servers import BLOOM
from tests.shell import bloom


@pytest.fixture
def wire(tmp_path) -> Path:
    """An instrument with its recording beside it."""
    sf.write(tmp_path / "wire.wav", harmonic_tone(220.0, 2.0), RATE, "PCM_24")
    assert bloom("new", tmp_path / "wire.wav", "--out", tmp_path / "wire.json").exit_code == 0
    return tmp_path / "wire.json"


def misused(*words: object, said: str) -> None:
    """Usage that is refused: code 2, on stderr, without a traceback."""
    done = bloom(*words)
    assert done.exit_code == 2, done.output
    assert said in done.stderr
    assert done.stdout == ""


@pytest.mark.parametrize("name", main.list_commands(None))
def test_every_command_of_the_list_is_there(name):
    done = bloom(name, "--help")
    assert done.exit_code == 0
    assert f"bloom {name}" in done.output or "Usage: main" in done.output


def test_the_list_loads_no_command():
    """Nor anything of the engine: what is asked most often comes at once."""
    code = "import sys, innerbloom.cli.main; print([m for m in ('numpy', 'pydantic') if m in sys.modules])"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


class TestHashes:
    def test_a_recording_that_has_changed_is_said(self, wire):
        sf.write(wire.with_name("wire.wav"), harmonic_tone(330.0, 2.0), RATE, "PCM_24")
        out = wire.with_name("out.wav")
        done = bloom("render", wire, "--out", out)
        assert done.exit_code == 1
        assert "'wire.wav' has changed since the document was made" in done.stderr
        assert not out.exists()

    def test_trust_goes_on(self, wire):
        sf.write(wire.with_name("wire.wav"), harmonic_tone(330.0, 2.0), RATE, "PCM_24")
        out = wire.with_name("out.wav")
        assert bloom("render", wire, "--trust", "--seconds", 1, "--out", out).exit_code == 0
        assert out.is_file()

    @pytest.mark.parametrize("command", [["vary"], ["sample"], ["export", "--as", "bundle"]])
    def test_whatever_opens_it_checks(self, wire, command):
        sf.write(wire.with_name("wire.wav"), harmonic_tone(330.0, 2.0), RATE, "PCM_24")
        done = bloom(command[0], wire, *command[1:], "--out", wire.with_name("made"))
        assert done.exit_code == 1
        assert "has changed" in done.stderr

    def test_a_bundle_holds_the_sound_in_another_format(self, wire):
        bundle = wire.with_name("wire.zip")
        assert bloom("new", wire.with_name("wire.wav"), "--out", bundle).exit_code == 0
        out = wire.with_name("out.wav")
        assert bloom("render", bundle, "--seconds", 0.5, "--out", out).exit_code == 0


class TestValidate:
    def test_whole_documents_are_said_to_be(self, wire):
        bundle = wire.with_name("wire.zip")
        bloom("new", wire.with_name("wire.wav"), "--out", bundle)
        recipe = wire.with_name("recipe.json")
        recipe.write_text('{"format": "inner-bloom/recipe", "steps": [{"do": "normalise"}]}')
        done = bloom("validate", wire, bundle, recipe, "--json")
        assert done.exit_code == 0, done.output
        found = [json.loads(line) for line in done.stdout.splitlines()]
        assert [one["kind"] for one in found] == ["instrument", "instrument", "recipe"]
        assert [one["sounds"] for one in found] == [1, 1, 0]

    @pytest.mark.parametrize(
        ("change", "said"),
        [
            (lambda it: it["layers"][0]["settings"].update(cutof=3), "layers.0.settings.cutof"),
            (lambda it: it["layers"][0].update(kind="clod"), "a layer is one of cloud, loop"),
            (lambda it: it["layers"][0]["sounds"][0].update(path="gone.wav"), "'gone.wav' is not"),
        ],
    )
    def test_what_is_wrong_is_named_and_the_rest_is_checked(self, wire, change, said):
        plain = json.loads(wire.read_text())
        change(plain)
        bad = wire.with_name("bad.json")
        bad.write_text(json.dumps(plain))
        # documents that do not say their format are told by what they hold
        plain = wire.with_name("plain.json")
        plain.write_text('{"steps": [{"do": "normalis"}]}')
        assert "the nearest is 'normalise'" in bloom("validate", plain).stdout
        done = bloom("validate", bad, wire, wire.with_name("nothing.json"))
        assert done.exit_code == 1
        first, second, third = done.stdout.splitlines()
        assert said in first
        assert second.endswith("instrument, whole, 1 recording found.")
        assert "There is no file" in third

    def test_a_recording_that_has_changed_is_found(self, wire):
        sf.write(wire.with_name("wire.wav"), harmonic_tone(330.0, 2.0), RATE, "PCM_24")
        assert "has changed" in bloom("validate", wire).stdout
        assert bloom("validate", "--trust", wire).exit_code == 0


class TestOptions:
    def test_notes_are_checked_wherever_they_are_given(self, wire):
        sound, out = wire.with_name("wire.wav"), wire.with_name("out.wav")
        for command in (
            ["render", wire, "--note", "Q"],
            ["render", wire, "--note", "C3,"],
            ["render", wire, "--note", "C3,C3"],
            ["wavetable", "extract", sound, "--root", "Q"],
            ["spectrum", "analyse", sound, "--root", "H2"],
            ["morph", sound, sound, "--seconds", 1, "--note", "x"],
            ["swap", wire, sound, "--note", "200"],
        ):
            misused(*command, "--out", out, said="Invalid value")
        assert not out.exists()

    def test_a_morph_lasts_as_long_as_its_shape_may(self, wire):
        sound = wire.with_name("wire.wav")
        out = wire.with_name("out.wav")
        misused("morph", sound, sound, "--seconds", 700, "--out", out, said="--seconds")

    @pytest.mark.parametrize("option", [["--note", "C3"], ["--seconds", 4], ["--velocity", 90]])
    def test_a_midi_file_says_what_is_played(self, wire, option):
        midi = wire.with_name("played.mid")
        mido.MidiFile(tracks=[mido.MidiTrack()]).save(midi)
        out = wire.with_name("out.wav")
        misused(
            "render", wire, "--midi", midi, *option, "--out", out, said=f"leave {option[0]} out"
        )


def partials(path: Path) -> set[int]:
    """Keys whose fundamentals stand out in a file."""
    sound, rate = sf.read(path, always_2d=True)
    power = np.abs(np.fft.rfft(sound.mean(axis=1) * np.hanning(len(sound)))) ** 2
    hz = np.fft.rfftfreq(len(sound), 1 / rate)
    keys = range(40, 72)
    bands = {key: 440 * 2 ** ((key - 69) / 12) for key in keys}
    level = {k: power[(hz > f / 1.02) & (hz < f * 1.02)].max() for k, f in bands.items()}
    return {key for key in keys if level[key] > 0.05 * max(level.values())}


def test_a_chord_sounds_with_all_of_its_keys(wire):
    out = wire.with_name("chord.wav")
    done = bloom("render", wire, "--note", "A2,C#3,E3", "--seconds", 2, "--out", out)
    assert done.exit_code == 0, done.output
    assert {45, 49, 52} <= partials(out)
    alone = wire.with_name("alone.wav")
    bloom("render", wire, "--note", "A2", "--seconds", 2, "--out", alone)
    assert not {49, 52} & partials(alone)


@pytest.mark.parametrize("rate", [44_100, 96_000])
def test_a_render_comes_at_the_rate_that_is_asked_for(wire, rate):
    own, other = wire.with_name("own.wav"), wire.with_name("other.wav")
    assert bloom("render", wire, "--seconds", 1, "--out", own).exit_code == 0
    assert bloom("render", wire, "--seconds", 1, "--rate", rate, "--out", other).exit_code == 0
    sound, found = sf.read(other)
    assert found == rate
    assert len(sound) / rate == pytest.approx(sf.info(own).duration, abs=1e-3)
    # the same sound: its level is that of the other
    assert np.std(sound) == pytest.approx(np.std(sf.read(own)[0]), rel=0.02)


def test_ctrl_c_ends_with_the_shells_code_and_leaves_nothing(wire):
    out = wire.with_name("long.wav")
    command = [str(BLOOM), "render", str(wire), "--seconds", "3600", "--out", str(out)]
    # whoever runs the tests in the background has had the signal ignored, which is inherited
    running = subprocess.Popen(
        command, stderr=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
        preexec_fn=lambda: signal.signal(signal.SIGINT, signal.SIG_DFL),
    )  # fmt: skip
    # the file is written beside its place
    end = time.monotonic() + 120
    while not list(wire.parent.glob(".*long.wav")):
        assert time.monotonic() < end
        time.sleep(0.05)
    running.send_signal(signal.SIGINT)
    _, said = running.communicate(timeout=60)
    assert running.returncode == 130
    assert "Traceback" not in said
    assert list(wire.parent.glob("*long.wav")) == []


def test_a_pipe_that_is_closed_ends_it_silently(wire):
    reading, writing = os.pipe()
    os.close(reading)
    command = [str(BLOOM), "inspect", str(wire.with_name("wire.wav"))]
    with os.fdopen(writing, "wb") as out:
        done = subprocess.run(
            command, stdout=out, stderr=subprocess.PIPE, text=True, timeout=120, check=False
        )
    assert done.stderr == ""


def test_measuring_a_wav_file_loads_neither_a_compiler_nor_what_takes_as_long(tmp_path):
    """Under a second for a short file, since there is nothing in it that takes longer."""
    sf.write(tmp_path / "tone.wav", harmonic_tone(220.0, 0.5), RATE, "PCM_24")
    code = (
        "import sys; from innerbloom.cli.main import main; "
        "main(['inspect', '--brief', sys.argv[1]], standalone_mode=False); "
        "print([m for m in ('numba', 'scipy.signal', 'scipy.stats', 'av') if m in sys.modules])"
    )
    done = subprocess.run(
        [sys.executable, "-c", code, tmp_path / "tone.wav"],
        capture_output=True,
        text=True,
        check=True,
    )
    assert done.stdout.splitlines()[-1] == "[]"
