"""The README's commands and its Python run as they are written, one after the other."""

from __future__ import annotations

import os
import re
import subprocess
import sys
import zipfile
from pathlib import Path

import mido
import numpy as np
import pytest
import soundfile as sf

from innerbloom.core.deliver.bundle import write_bundle
from innerbloom.core.deliver.exporters import EXPORTERS
from innerbloom.core.deliver.exporters import subjects as sub
from innerbloom.core.deliver.first_note import grow_file
from innerbloom.core.deliver.sources import beside
from innerbloom.core.ensemble.working import add_player, new_ensemble
from innerbloom.core.performance.events import Event
from innerbloom.core.performance.take import Take
from innerbloom.core.performance.take_format import header_of
from innerbloom.store.database import open_database
from innerbloom.store.files import FileStore
from innerbloom.store.linked import link
from tests.conftest import RATE, harmonic_tone
from tests.servers import BLOOM

README = (Path(__file__).parents[2] / "README.md").read_text("utf-8")
_NOT_RUN = ("worker", "bench")
"""One ends with its scheduler only, the other measures; both have tests of their own."""


def commands() -> list[str]:
    """Lines of the shell's section, without what is said of them."""
    section = README.split("## In the shell")[1].split("\n## ")[0]
    lines = [line.strip() for line in section.splitlines() if line.startswith("    bloom ")]
    return [re.sub(r"\s+# .*", "", line) for line in lines]


def python_blocks() -> list[str]:
    section = README.split("## From Python")[1].split("\n## ")[0]
    return re.findall(r"```python\n(.*?)```", section, re.DOTALL)


def stones() -> np.ndarray:
    """Five short noises with silence between them."""
    random = np.random.default_rng(3)
    sound = np.zeros(5 * RATE // 2, np.float32)
    for at in range(5):
        start = at * RATE // 2 + 4_800
        sound[start : start + 4_800] = random.uniform(-0.5, 0.5, 4_800) * np.linspace(1, 0, 4_800)
    return sound


@pytest.fixture
def folder(tmp_path, monkeypatch) -> Path:
    """What the README takes as given lies here."""
    for name, hz in (("wire", 110.0), ("jar", 165.0), ("pump", 220.0)):
        sf.write(tmp_path / f"{name}.wav", harmonic_tone(hz, 10.0), RATE, "PCM_24")
    sf.write(tmp_path / "stones.wav", stones(), RATE, "PCM_24")
    saw = np.tile(np.linspace(-0.5, 0.5, 2_048, dtype=np.float32), 8)
    sf.write(tmp_path / "found.wav", saw, RATE, "FLOAT")
    (tmp_path / "recipe.json").write_text('{"steps": [{"do": "normalise"}]}')
    (tmp_path / "bells.json").write_text(
        '{"format": "inner-bloom/wavetable", "name": "Bells", '
        '"source": {"kind": "waves", "operators": [{"id": "o1", "wave": "saw"}]}}'
    )
    (tmp_path / "hall.json").write_text(
        '{"name": "Hall", "effects": [{"id": "e1", "kind": "room"}]}'
    )
    track = mido.MidiTrack([mido.Message("note_on", note=57, time=0)])
    track.append(mido.Message("note_off", note=57, time=480))
    mido.MidiFile(tracks=[track]).save(tmp_path / "part.mid")
    _project_and_take(tmp_path)
    monkeypatch.chdir(tmp_path)
    return tmp_path


def _project_and_take(folder: Path) -> None:
    """An ensemble, and a take whose recording lies in a project."""
    store = FileStore(folder / "project")
    open_database(store.database)
    digest = link(store, folder / "wire.wav")
    document = grow_file(folder / "wire.wav")
    ensemble = add_player(new_ensemble("All"), "Wire", document=document.model_dump(mode="json"))
    write_bundle(ensemble, beside(folder), folder / "ensemble.zip")
    plain = document.model_dump(mode="json")
    plain["layers"][0]["sounds"][0] |= {"recording": digest, "path": None}
    events = (Event("on", 1, 57.0, 0.8), Event("off", 1, 57.0, 0.0, RATE))
    take = Take(plain, events=events, frames=2 * RATE)
    played = folder / "project" / "played.wav"
    sf.write(played, np.stack([harmonic_tone(110.0, 2.0)] * 2, axis=1), RATE, "FLOAT")
    header = header_of(take, instrument=1, name="Wire", tempo=96.0)
    EXPORTERS["take"].write(sub.TakeSubject(header, take, played), folder / "mine.take")


def test_the_shells_examples_run_as_they_are_written(folder):
    every = commands()
    assert len(every) > 25
    there = {**os.environ, "PATH": f"{Path(BLOOM).parent}{os.pathsep}{os.environ['PATH']}"}
    for command in every:
        if command.split()[1] in _NOT_RUN:
            continue
        done = subprocess.run(["bash", "-c", command], env=there, capture_output=True, text=True)
        assert done.returncode == 0, f"{command}\n{done.stderr}"
        out = re.search(r"--out (\"[^\"]+\"|\S+)", command)
        if out and "{" not in out[1] and out[1] != "-":
            assert (folder / out[1].strip('"')).exists(), command
    assert {one.name for one in (folder / "held").iterdir()} >= {"wire.wav", "jar.wav"}
    assert (folder / "held-2.wav").read_bytes()[:4] == b"RIFF"


def test_the_python_examples_run_as_they_are_written(folder):
    there: dict = {}
    for block in python_blocks():
        exec(block, there)
    assert there["sound"].ndim == 2
    assert np.abs(there["sound"]).max() > 0.01
    assert sf.info(folder / "held.wav").duration == pytest.approx(6.5, abs=1e-3)
    assert np.abs(sf.read(folder / "pad.flac")[0]).max() > 0.01
    assert zipfile.is_zipfile(folder / "pad.zip")


def test_the_python_examples_are_typed(folder):
    """mypy --strict, as a user has it: without our configuration."""
    script = folder / "script.py"
    script.write_text("\n".join(python_blocks()))
    done = subprocess.run(
        [sys.executable, "-m", "mypy", "--strict", "--config-file", os.devnull, script],
        capture_output=True, text=True, cwd=folder,
    )  # fmt: skip
    assert done.returncode == 0, done.stdout
