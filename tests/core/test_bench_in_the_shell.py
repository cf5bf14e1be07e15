"""The Bench in the shell: prepare, loops, slice, inspect; and the published recipe schema."""

from __future__ import annotations

import json
from pathlib import Path

import jsonschema
import numpy as np
import pytest
import soundfile as sf

from innerbloom.core.prepare.recipe import STEP_KINDS, default_steps, parse_recipe
from innerbloom.core.sound.metadata import read_origin
from innerbloom.core.sound.sampler import read_sampler
from tests.shell import bloom, lines
from tests.sounds import RATE, gliding_tone


@pytest.fixture
def wire(tmp_path) -> Path:
    path = tmp_path / "wire.wav"
    sf.write(path, gliding_tone(np.full(3 * RATE, 111.3)), RATE, "PCM_24")
    return path


@pytest.fixture
def stones(tmp_path) -> Path:
    rng = np.random.default_rng(1)
    samples = 1e-4 * rng.standard_normal(3 * RATE)
    for k in range(4):
        start = round((0.2 + 0.7 * k) * RATE)
        samples[start : start + 9_000] += (
            0.3 * rng.standard_normal(9_000) * np.exp(-np.arange(9_000) / 900)
        )
    path = tmp_path / "stones.wav"
    sf.write(path, samples, RATE, "PCM_16")
    return path


def recipe_file(folder: Path, *steps: dict) -> Path:
    path = folder / "recipe.json"
    path.write_text(json.dumps({"steps": steps}))
    return path


def test_prepare_writes_what_the_recipe_makes(wire, tmp_path):
    recipe = recipe_file(
        tmp_path, {"do": "cut", "start": 0.5, "end": 2.5}, {"do": "pull"}, {"do": "normalise"},
        {"do": "loop", "start": 0.5, "end": 1.5, "crossfade": 50},
    )  # fmt: skip
    out = tmp_path / "held.wav"
    result = bloom("prepare", wire, "--recipe", recipe, "--out", out)
    assert result.exit_code == 0, result.output
    samples, rate = sf.read(out)
    assert rate == RATE
    assert 20 * np.log10(np.abs(samples).max()) == pytest.approx(-0.3, abs=0.02)
    found = read_sampler(out)
    assert found.root == pytest.approx(45.0, abs=0.03)
    assert (found.loops[0].start, found.loops[0].end) == (RATE // 2, 3 * RATE // 2)
    assert read_origin(out).title == "held"
    again = tmp_path / "again.wav"
    bloom("prepare", wire, "--recipe", recipe, "--out", again)
    assert np.array_equal(sf.read(again)[0], samples)


@pytest.mark.parametrize(
    ("steps", "words"),
    [
        ([{"do": "fly"}], "no known kind"),
        ([{"do": "cut", "start": 50, "end": 60}], "only 3.00 s long"),
        ([{"do": "loop", "start": 1, "end": 1.01, "crossfade": 900}], "longer than the loop"),
    ],
)
def test_prepare_says_what_is_wrong_and_writes_nothing(wire, tmp_path, steps, words):
    out = tmp_path / "out.wav"
    result = bloom("prepare", wire, "--recipe", recipe_file(tmp_path, *steps), "--out", out)
    assert result.exit_code == 1
    assert words in result.output
    assert "Traceback" not in result.output
    assert not out.exists()
    assert bloom("prepare", wire, "--recipe", tmp_path / "none.json", "--out", out).exit_code == 1
    assert (
        bloom(
            "prepare", tmp_path / "none.wav", "--recipe", recipe_file(tmp_path), "--out", out
        ).exit_code
        == 1
    )


def test_loops_are_ranked(wire):
    found = lines(bloom("loops", wire, "--json"))
    assert found[0]["closes"] > 0.9
    assert all(one["end_s"] - one["start_s"] >= 0.2 for one in found)
    ranks = [one["rank"] for one in found]
    assert ranks == sorted(ranks, reverse=True)
    for one in found:
        assert one["rank"] == pytest.approx(one["worth"] - (one["seam"] > 0.98), abs=1e-3)
    told = bloom("loops", wire).output.splitlines()
    assert [f"rank {one['rank']:5.2f}" in line for one, line in zip(found, told, strict=True)]
    result = bloom("loops", wire, "--from", 9)
    assert result.exit_code == 1
    assert "outside the sound" in result.output


def test_slices_are_files_of_their_own(stones, tmp_path):
    out = tmp_path / "pieces"
    recipe = recipe_file(tmp_path, {"do": "cut", "fade_out": 5}, {"do": "normalise"})
    result = bloom("slice", stones, "--out", out, "--recipe", recipe)
    assert result.exit_code == 0, result.output
    files = sorted(out.iterdir())
    assert [path.name for path in files] == [f"stones-{k:03d}.wav" for k in range(1, 5)]
    for path in files:
        samples, _ = sf.read(path)
        assert np.abs(samples).max() == pytest.approx(10 ** (-0.3 / 20), abs=0.002)
        # it begins where its sound does
        assert np.abs(samples[:1_500]).max() > 0.3


def test_what_peaks_above_full_scale_is_said_and_kept_as_float(stones, tmp_path):
    recipe = recipe_file(tmp_path, {"do": "normalise"}, {"do": "gain", "level": 6.3})
    out = tmp_path / "loud.wav"
    refused = bloom("prepare", stones, "--recipe", recipe, "--out", out)
    assert refused.exit_code == 1
    assert "'loud' peaks at +6.0 dBFS and would be clipped: choose WAV float" in refused.output
    assert not out.exists()
    kept = bloom("prepare", stones, "--recipe", recipe, "--out", out, "--float")
    assert kept.exit_code == 0, kept.output
    assert np.abs(sf.read(out)[0]).max() == pytest.approx(10 ** (6 / 20), abs=0.01)
    # pieces alike, each by its name
    refused = bloom("slice", stones, "--out", tmp_path / "pieces", "--recipe", recipe)
    assert "stones-001: 'stones-001' peaks" in refused.output
    kept = bloom("slice", stones, "--out", tmp_path / "pieces", "--recipe", recipe, "--float")
    assert kept.exit_code == 0, kept.output
    assert max(np.abs(sf.read(one)[0]).max() for one in (tmp_path / "pieces").iterdir()) > 1.5


def test_inspect_reports_pitch_onsets_and_loops(wire, stones):
    tone, struck = lines(bloom("inspect", wire, stones, "--json"))
    voiced = [note for note in tone["pitch"]["notes"] if note is not None]
    assert np.median(voiced) == pytest.approx(45.2, abs=0.05)
    assert tone["pitch"]["steadiest"]["spread_cents"] < 2
    assert tone["loops_found"][0]["closes"] > 0.9
    assert len(struck["onsets_s"]) == 4
    text = bloom("inspect", wire).output
    assert "steadiest" in text
    assert "loop:" in text
    assert "steadiest" not in bloom("inspect", "--brief", wire).output


def test_recipes_follow_the_published_schema():
    schema = json.loads((Path(__file__).parents[2] / "docs" / "recipe.schema.json").read_text())
    plain = parse_recipe({"steps": [{"do": kind} for kind in STEP_KINDS]}).plain()
    jsonschema.validate(plain, schema)
    jsonschema.validate({"steps": list(default_steps(9))}, schema)
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate({"steps": [{"do": "gain", "level": 900}]}, schema)
