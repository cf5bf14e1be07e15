"""The night job of docs/night.md, on a small card: the very script, in a shell."""

from __future__ import annotations

import json
import os
import subprocess
from pathlib import Path

import numpy as np
import soundfile as sf

from tests.conftest import RATE, harmonic_tone
from tests.servers import BLOOM

SCRIPT = Path(__file__).parents[2] / "docs" / "night" / "job.sh"


def test_a_card_goes_in_and_all_of_it_comes_out_with_a_manifest(tmp_path):
    card, out = tmp_path / "card", tmp_path / "out"
    card.mkdir()
    for name, hz in (("wire, 4th take", 220.0), ("jar_02", 330.0)):
        sf.write(card / f"{name}.wav", harmonic_tone(hz, 2.0), RATE, "PCM_24")
    (card / "notes.wav").write_text("not a sound")
    there = {**os.environ, "PATH": f"{BLOOM.parent}{os.pathsep}{os.environ['PATH']}"}
    done = subprocess.run(
        ["bash", SCRIPT, card, out], env=there, capture_output=True, text=True, timeout=600
    )
    assert done.returncode == 0, done.stderr
    assert "2 sampled instruments" in done.stdout.splitlines()[-1]
    prepared = [json.loads(line) for line in (out / "prepared.ndjson").read_text().splitlines()]
    assert ["error" in one for one in prepared] == [False, True, False]
    assert "notes.wav" in (out / "errors.txt").read_text()
    listed = (out / "manifest.sha256").read_text().splitlines()
    assert len(listed) > 10
    checked = subprocess.run(["sha256sum", "--quiet", "-c", "manifest.sha256"], cwd=out)
    assert checked.returncode == 0
    for name in ("wire, 4th take", "jar_02"):
        assert len(list((out / "samples" / name).glob("*.sfz"))) == 1
        assert np.abs(sf.read(out / "flac" / f"{name}.flac")[0]).max() > 0.5
