"""What a command writes never eats what it reads."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf

from tests.conftest import RATE, harmonic_tone
from tests.shell import bloom


@pytest.fixture
def wire(tmp_path) -> Path:
    path = tmp_path / "wire.wav"
    sf.write(path, harmonic_tone(220.0, 2.0), RATE, "PCM_24")
    return path


def refused(*words: object, said: str) -> None:
    done = bloom(*words)
    assert done.exit_code == 1, done.output
    assert said in done.output
    assert "Traceback" not in done.output


def test_no_command_writes_over_its_input(wire):
    before = wire.read_bytes()
    recipe = wire.with_name("recipe.json")
    recipe.write_text(json.dumps({"steps": [{"do": "normalise"}]}))
    chain = wire.with_name("chain.json")
    chain.write_text(json.dumps({"name": "x", "effects": [{"id": "e1", "kind": "drive"}]}))
    for command in (
        ["prepare", wire, "--recipe", recipe],
        ["process", wire, "--chain", chain],
        ["wavetable", "extract", wire],
        ["morph", wire, wire, "--seconds", 1],
    ):
        refused(*command, "--out", wire, "--force", said="an input and stays as it is")
    # by another way to the same file, too
    link = wire.with_name("other.wav")
    link.symlink_to(wire)
    refused("prepare", wire, "--recipe", recipe, "--out", link, "--force", said="an input")
    assert wire.read_bytes() == before


def test_what_an_instrument_plays_is_not_written_over(wire):
    before = wire.read_bytes()
    document = wire.with_name("wire.json")
    assert bloom("new", wire, "--out", document).exit_code == 0
    refused("render", document, "--out", wire, "--force", said="played by 'wire.json'")
    assert wire.read_bytes() == before


def test_what_is_there_stays_unless_it_is_forced(wire):
    document = wire.with_name("wire.json")
    assert bloom("new", wire, "--out", document).exit_code == 0
    kept = document.read_text()
    refused("new", wire, "--out", document, said="is there already")
    out = wire.with_name("pad.wav")
    out.write_bytes(b"dear to somebody")
    refused("render", document, "--seconds", 0.2, "--out", out, said="say --force")
    assert out.read_bytes() == b"dear to somebody"
    assert bloom("render", document, "--seconds", 0.2, "--out", out, "--force").exit_code == 0
    assert np.abs(sf.read(out)[0]).max() > 0
    assert document.read_text() == kept


def test_a_document_that_is_none_is_no_hindrance(wire, tmp_path):
    broken = tmp_path / "broken.json"
    broken.write_text('{"path": ["not", {"path": 3}], "deep": ' + "[" * 2_000)
    out = tmp_path / "there.wav"
    out.write_bytes(b"x")
    refused("render", broken, "--out", out, said="is there already")
