"""Commands over many files: patterns for names, several processes, bad ones among them, pipes."""

from __future__ import annotations

import io
import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf
from wavinfo import WavInfoReader

from innerbloom.core.prepare.lineage import read_lineage
from innerbloom.core.prepare.recipe import parse_recipe
from innerbloom.core.prepare.run import run_recipe
from innerbloom.core.prepare.source import FileSource
from innerbloom.core.sound.metadata import Origin, read_history
from innerbloom.core.sound.sampler import read_sampler
from innerbloom.core.sound.writing import write_sound
from tests.conftest import RATE, harmonic_tone
from tests.servers import BLOOM
from tests.shell import bloom, lines

NOTES = {"reed": 220.0, "wire": 247.0, "hull": 330.0}


@pytest.fixture
def shelf(tmp_path) -> Path:
    folder = tmp_path / "card"
    folder.mkdir()
    for name, hz in NOTES.items():
        sf.write(folder / f"{name}.wav", harmonic_tone(hz, 1.0), RATE, "PCM_24")
    (tmp_path / "recipe.json").write_text(
        json.dumps({"steps": [{"do": "cut", "start": 0.1, "end": 0.6}, {"do": "normalise"}]})
    )
    (tmp_path / "hall.json").write_text(
        json.dumps({"name": "Hall", "effects": [{"id": "e1", "kind": "drive"}]})
    )
    return folder


def recordings(shelf: Path) -> list[Path]:
    return sorted(shelf.glob("*.wav"))


def fresh(*words: object, **how: object) -> subprocess.CompletedProcess[bytes]:
    """The real command in a process of its own."""
    return subprocess.run([BLOOM, *map(str, words)], capture_output=True, timeout=300, **how)


@pytest.mark.parametrize("jobs", [1, 2])
def test_each_goes_by_the_pattern_and_a_bad_one_stops_none(shelf, tmp_path, jobs):
    bad = shelf / "notes.wav"
    bad.write_text("not a sound")
    done = fresh(
        "prepare", *recordings(shelf), "--recipe", tmp_path / "recipe.json",
        "--out", tmp_path / "out" / "{number}-{name}-{folder}.wav", "--jobs", jobs,
    )  # fmt: skip
    assert done.returncode == 1
    made = sorted(one.name for one in (tmp_path / "out").iterdir())
    assert made == ["001-hull-card.wav", "003-reed-card.wav", "004-wire-card.wav"]
    said = done.stdout.decode().splitlines()
    assert [line.split(",")[0].rsplit("/", 1)[-1] for line in said[:-1]] == made
    assert said[-1] == "Wrote 3 of 4 files."
    errors = done.stderr.decode().splitlines()
    assert errors == [f"{bad}: 'notes.wav' is text, not sound."]


def test_several_processes_write_the_same_files(shelf, tmp_path):
    for jobs in (1, 2):
        done = bloom(
            "prepare", *recordings(shelf), "--recipe", tmp_path / "recipe.json",
            "--out", f"{tmp_path / str(jobs)}/", "--jobs", jobs,
        )  # fmt: skip
        assert done.exit_code == 0, done.output
    for name in NOTES:
        one, other = (tmp_path / str(jobs) / f"{name}.wav" for jobs in (1, 2))
        assert one.read_bytes() == other.read_bytes()


COMMANDS = {
    "new": (["new"], ".zip"),
    "process": (["process", "--chain", "hall.json"], ".wav"),
    "prepare": (["prepare", "--recipe", "recipe.json"], ".wav"),
    "spectrum analyse": (["spectrum", "analyse"], ".spectrum"),
    "spectrum render": (["spectrum", "render", "--seconds", "0.2"], ".wav"),
    "wavetable extract": (["wavetable", "extract", "--frames", "4"], ".wav"),
}


@pytest.mark.parametrize("command", COMMANDS)
def test_every_such_command_takes_many_and_tells_them_as_objects(
    shelf, tmp_path, command, monkeypatch
):
    monkeypatch.chdir(tmp_path)
    words, suffix = COMMANDS[command]
    done = bloom(*words, *recordings(shelf), tmp_path / "none.wav", "--out", "made/", "--json")
    assert done.exit_code == 1
    found = lines(done)
    assert [one["input"] for one in found] == [
        *map(str, recordings(shelf)),
        str(tmp_path / "none.wav"),
    ]
    assert [Path(one["output"]).name for one in found[:-1]] == [
        f"{name}{suffix}" for name in sorted(NOTES)
    ]
    assert all(Path(one["output"]).stat().st_size > 100 for one in found[:-1])
    assert "none" in found[-1]["error"]
    assert done.stderr == ""


def test_many_instruments_are_rendered(shelf, tmp_path):
    assert bloom("new", *recordings(shelf), "--out", shelf / "{name}.json").exit_code == 0
    documents = sorted(shelf.glob("*.json"))
    done = bloom(
        "render", *documents, "--seconds", 0.2, "--out", tmp_path / "{name}.flac", "--json"
    )
    assert done.exit_code == 0, done.output
    for one in lines(done):
        assert sf.info(one["output"]).duration == pytest.approx(one["seconds"], abs=1e-4)


def test_several_takes_differ_by_chance_and_are_those_of_their_seeds(shelf, tmp_path):
    document = shelf / "reed.json"
    assert bloom("new", shelf / "reed.wav", "--out", document).exit_code == 0
    words = ["render", document, "--seconds", 0.3, "--float"]
    done = bloom(
        *words, "--seed", 7, "--takes", 3, "--out", tmp_path / "{name} {take}.wav", "--json"
    )
    assert done.exit_code == 0, done.output
    names = [Path(one["output"]).name for one in lines(done)]
    assert names == ["reed 01.wav", "reed 02.wav", "reed 03.wav"]
    takes = [sf.read(tmp_path / name)[0] for name in names]
    assert not np.array_equal(takes[0][:9_000], takes[1][:9_000])
    assert bloom(*words, "--seed", 8, "--out", tmp_path / "eight.wav").exit_code == 0
    assert np.array_equal(sf.read(tmp_path / "eight.wav")[0], takes[1])
    refused = bloom(*words, "--takes", 2, "--out", tmp_path / "{name}.wav")
    assert refused.exit_code == 2
    assert "{take}" in refused.stderr


class TestNames:
    def test_several_need_a_pattern(self, shelf, tmp_path):
        done = bloom("new", *recordings(shelf), "--out", tmp_path / "one.zip")
        assert done.exit_code == 2
        assert "{name}" in done.stderr

    def test_two_to_one_place_are_refused_before_anything_is_done(self, shelf, tmp_path):
        twice = [recordings(shelf)[0], recordings(shelf)[0]]
        done = bloom("new", *twice, "--out", tmp_path / "{name}.zip")
        assert done.exit_code == 2
        assert "Two files would be written" in done.stderr
        assert not list(tmp_path.glob("*.zip"))

    def test_a_field_that_there_is_not_is_named(self, shelf, tmp_path):
        done = bloom("new", *recordings(shelf), "--out", tmp_path / "{nmae}.zip")
        assert done.exit_code != 0
        assert "{nmae}" in done.stderr

    def test_inputs_stay(self, shelf, tmp_path):
        before = [one.read_bytes() for one in recordings(shelf)]
        done = bloom(
            "prepare", *recordings(shelf), "--recipe", tmp_path / "recipe.json",
            "--out", shelf / "{name}.wav", "--force",
        )  # fmt: skip
        assert done.exit_code == 1
        assert done.stderr.count("is an input and stays as it is") == len(NOTES)
        assert [one.read_bytes() for one in recordings(shelf)] == before


class TestPipes:
    def test_a_sound_goes_through_standard_input_and_output(self, shelf, tmp_path):
        done = fresh(
            "prepare", "-", "--recipe", tmp_path / "recipe.json", "--out", "-",
            input=(shelf / "reed.wav").read_bytes(),
        )  # fmt: skip
        assert done.returncode == 0, done.stderr
        samples, rate = sf.read(io.BytesIO(done.stdout))
        assert len(samples) / rate == pytest.approx(0.5, abs=1e-3)
        assert np.abs(samples).max() == pytest.approx(10 ** (-0.3 / 20), abs=1e-3)
        assert done.stderr.startswith(b"Wrote standard output, 0.50 s")

    def test_what_is_none_is_named_as_standard_input(self):
        done = fresh("inspect", "-", "--brief", input=b"not a sound")
        assert done.returncode == 1
        assert done.stdout.decode().strip() == "-: 'standard input' is text, not sound."

    def test_standard_output_takes_one_file_and_no_objects(self, shelf):
        words = ("spectrum", "analyse")
        assert bloom(*words, *recordings(shelf), "--out", "-").exit_code == 2
        assert bloom(*words, recordings(shelf)[0], "--out", "-", "--json").exit_code == 2

    def test_a_bar_is_drawn_on_a_terminal_only_and_results_go_where_they_are_sent(
        self, shelf, tmp_path
    ):
        pty = pytest.importorskip("pty")
        parent, child = pty.openpty()
        out = tmp_path / "found.json"
        with out.open("wb") as kept:
            done = subprocess.Popen(
                [BLOOM, "inspect", *recordings(shelf), "--brief", "--json"],
                stdout=kept, stderr=child, env={**os.environ, "TERM": "xterm"},
            )  # fmt: skip
            os.close(child)
            drawn = b""
            while True:
                try:
                    drawn += os.read(parent, 4_096)
                except OSError:
                    break
        assert done.wait() == 0
        os.close(parent)
        assert b"Measuring" in drawn
        assert [json.loads(one)["root_note"] for one in out.read_text().splitlines()] == [
            "E4",
            "A3",
            "B3",
        ]


def test_quiet_prints_errors_only(shelf, tmp_path):
    done = bloom(
        "new", *recordings(shelf), shelf / "x.wav", "--out", f"{tmp_path / 'a'}/", "--quiet"
    )
    assert done.exit_code == 1
    assert done.stdout == ""
    assert done.stderr.count("\n") == 1


def ended(group: int, within: float = 30.0) -> bool:
    """Whether no process of a group is left."""
    until = time.monotonic() + within
    while time.monotonic() < until:
        try:
            os.killpg(group, 0)
        except ProcessLookupError:
            return True
        time.sleep(0.05)
    return False


def test_ctrl_c_ends_all_processes(shelf, tmp_path):
    code = (
        "import signal, sys; signal.signal(signal.SIGINT, signal.default_int_handler);"
        "from innerbloom.cli.main import main; main()"
    )
    recipe = {"steps": [{"do": "stretch", "ratio": 4}]}
    (tmp_path / "slow.json").write_text(json.dumps(recipe))
    done = subprocess.Popen(
        [sys.executable, "-c", code, "prepare", *recordings(shelf), "--jobs", "2", "--recipe",
         tmp_path / "slow.json", "--out", f"{tmp_path / 'a'}/"],
        stdout=subprocess.PIPE, stderr=subprocess.PIPE, start_new_session=True,
    )  # fmt: skip
    assert done.stdout.readline().startswith(b"Wrote")
    os.killpg(done.pid, signal.SIGINT)
    _, said = done.communicate(timeout=60)
    if done.returncode != 0:  # it may just have been done
        assert (done.returncode, said) == (130, b"Stopped.\n")
    assert ended(done.pid)


class TestLineage:
    @pytest.fixture
    def made(self, shelf, tmp_path):
        source = shelf / "reed.wav"
        history = "A=PCM,F=48000,W=24,M=mono,T=A recorder\r\n"
        write_sound(
            source, [harmonic_tone(220.0, 1.0)[:, None].astype(np.float32)], RATE, 1,
            origin=Origin("Reed", "By the weir", "A. Listener"), history=history,
        )  # fmt: skip
        out = tmp_path / "out.wav"
        done = bloom("prepare", source, "--recipe", tmp_path / "recipe.json", "--out", out)
        assert done.exit_code == 0, done.output
        return source, out

    def test_the_coding_history_gains_a_line(self, made):
        """EBU R 98; read by wavinfo."""
        _, out = made
        told = WavInfoReader(str(out)).bext.coding_history
        assert told.splitlines() == [
            "A=PCM,F=48000,W=24,M=mono,T=A recorder",
            "A=PCM,F=48000,W=24,M=mono,T=Inner Bloom: cut; normalise",
        ]
        assert read_history(out).splitlines() == told.splitlines()

    def test_its_recipe_makes_it_again(self, made):
        source, out = made
        told = read_lineage(out)
        assert told["source"] == "reed.wav"
        again = run_recipe(parse_recipe(told["recipe"]), FileSource(source))
        kept = sf.read(out, dtype="float32", always_2d=True)[0]
        # libsndfile cuts to 24 bits: less than a step
        assert np.abs(again.samples - kept).max() <= 2.0**-23

    def test_other_readers_find_it_in_ixml(self, made):
        _, out = made
        assert "recipe" in WavInfoReader(str(out)).ixml.source.decode("utf-8")

    def test_what_has_no_pitch_has_no_root(self, shelf, tmp_path):
        rng = np.random.default_rng(1)
        sf.write(shelf / "hiss.wav", 0.1 * rng.standard_normal(RATE), RATE)
        out = tmp_path / "hiss.wav"
        bloom("prepare", shelf / "hiss.wav", "--recipe", tmp_path / "recipe.json", "--out", out)
        assert read_sampler(out) is None
        assert read_lineage(out)["root"] is None
