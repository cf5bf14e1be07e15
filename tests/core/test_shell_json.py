"""``--json`` of every command that finds something out: one object a line, and it says what was written."""

from __future__ import annotations

import json
from collections.abc import Iterator

import click
import numpy as np
import pytest
import soundfile as sf

from innerbloom.cli.main import main
from innerbloom.core.deliver.contents import Contents
from tests.conftest import RATE, harmonic_tone
from tests.shell import bloom, lines

STAY = {"bloom serve", "bloom demo", "bloom worker"}
"""Commands that run until they are ended, and have no result."""


@pytest.fixture(scope="module")
def wire(tmp_path_factory):
    """An instrument with its recording, and another recording, in a folder."""
    folder = tmp_path_factory.mktemp("json")
    sf.write(folder / "wire.wav", harmonic_tone(220.0, 2.0), RATE, "PCM_24")
    sf.write(folder / "rail.wav", harmonic_tone(247.0, 2.0), RATE, "PCM_24")
    assert bloom("new", folder / "wire.wav", "--out", folder / "wire.json").exit_code == 0
    return folder / "wire.json"


def commands(group: click.Group, name: str) -> Iterator[tuple[str, click.Command]]:
    context = click.Context(group)
    for word in group.list_commands(context):
        command = group.get_command(context, word)
        assert command is not None
        if isinstance(command, click.Group):
            yield from commands(command, f"{name} {word}")
        else:
            yield f"{name} {word}", command


def test_every_command_with_a_result_says_it_as_json_too():
    silent = {
        name
        for name, command in commands(main, "bloom")
        if not any("--json" in one.opts for one in command.params)
    }
    assert silent == STAY


def the_one(*words: object) -> dict:
    done = bloom(*words, "--json")
    assert done.exit_code == 0, done.stderr
    (facts,) = lines(done)
    return facts


def test_variations_are_listed_as_their_contents_list_them(wire, tmp_path):
    out = tmp_path / "out"
    facts = the_one("vary", wire, "--out", out, "--drawn", 4, "--kept", 2, "--seconds", 1)
    assert facts["files"] == json.loads((out / "contents.json").read_text())["files"]
    assert len(Contents.model_validate_json((out / "contents.json").read_text()).files) == 2
    assert facts["output"] == str(out)
    assert facts["least_unlike"] > 0.0


def test_samples_are_listed_with_keys_and_problems(wire, tmp_path):
    out = tmp_path / "out"
    low_to_high = ("--key-low", 55, "--key-high", 59, "--velocities", 1, "--seconds", 1)
    facts = the_one("sample", wire, "--out", out, *low_to_high)
    written = {path.name for path in out.rglob("*.wav")}
    assert {path.rsplit("/", 1)[-1] for path in (one["file"] for one in facts["files"])} == written
    assert facts["keys"] == len({one["lineage"]["key"] for one in facts["files"]}) >= 1
    assert facts["problems"] == []


def test_a_swap_says_the_figures_of_its_table(wire, tmp_path):
    out = tmp_path / "out"
    facts = the_one("swap", wire, wire.with_name("rail.wav"), "--out", out, "--seconds", 1)
    table = [line.split(",") for line in (out / "sheet.csv").read_text().splitlines()]
    assert [list(map(str, one.values())) for one in facts["entries"]] == table[1:]
    assert [one["recording"] for one in facts["entries"]] == ["as it is", "rail"]


def test_a_bench_gives_figures_not_words():
    facts = the_one("bench", "--voices", 1, "--grains", 1, "--seconds", 1)
    assert 0.0 < facts["p50"] <= facts["p99"]
    assert np.isfinite(facts["real_time_factor"])
