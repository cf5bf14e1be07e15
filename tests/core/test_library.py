"""The front door to the library: what it gives, what it loads, how it is typed, and its notebook."""

from __future__ import annotations

import base64
import io
import re
import subprocess
import sys
from pathlib import Path

import nbformat
import numpy as np
import pytest
import soundfile as sf
from nbclient import NotebookClient
from pydantic import ValidationError

import innerbloom as ib
from innerbloom.cli.typed import sources
from innerbloom.core.instrument.catalogue import EFFECT_KINDS, LAYER_KINDS, MODULATOR_KINDS
from innerbloom.core.prepare.recipe import STEP_KINDS, parse_recipe
from innerbloom.core.sound.sampler import read_sampler
from tests.conftest import RATE, harmonic_tone
from tests.shell import bloom, lines

NOTEBOOK = Path(__file__).parents[2] / "docs" / "notebook.ipynb"


@pytest.fixture
def wire(tmp_path) -> ib.Sound:
    path = tmp_path / "wire.wav"
    sf.write(path, harmonic_tone(220.0, 3.0), RATE, "PCM_24")
    return ib.open(path)


def test_a_sound_tells_what_it_is(wire):
    assert repr(wire) == "<Sound 'wire', 3.00 s, 48000 Hz, mono>"
    assert wire.samples.shape == (3 * RATE, 1)
    found = wire.measure()
    # A4 = 440 Hz is note 69 (MIDI 1.0), so 220 Hz is 57
    assert found.root == pytest.approx(57.0, abs=0.03)
    assert found.note.startswith("A3")


def test_paths_may_be_text(wire):
    assert ib.open(str(wire.path)).seconds == wire.seconds
    assert repr(ib.grow(str(wire.path))) == "<Instrument 'wire': l1 cloud>"


def test_preparing_makes_another_and_leaves_the_first(wire, tmp_path):
    before = wire.path.read_bytes()
    held = wire.prepare([ib.steps.cut(start=0.5, end=2.0), ib.steps.root(), ib.steps.normalise()])
    assert held.seconds == pytest.approx(1.5, abs=1e-3)
    assert np.abs(held.samples).max() == pytest.approx(10 ** (-0.3 / 20), abs=1e-4)
    written = held.write(tmp_path / "held.wav")
    assert read_sampler(written.path).root == pytest.approx(57.0, abs=0.05)
    assert wire.path.read_bytes() == before


def test_it_makes_what_the_shell_makes(wire, tmp_path):
    recipe = tmp_path / "recipe.json"
    recipe.write_text('{"steps": [{"do": "cut", "start": 0.2, "end": 0.9}, {"do": "reverse"}]}')
    out = tmp_path / "out.wav"
    done = bloom("prepare", wire.path, "--recipe", recipe, "--out", out, "--float")
    assert done.exit_code == 0, done.output
    assert np.array_equal(wire.prepare(recipe).samples, ib.open(out).samples)
    bloom("new", wire.path, "--out", tmp_path / "wire.json")
    bloom(
        "render", tmp_path / "wire.json", "--note", "A2,E3", "--seconds", 0.5, "--seed", 3,
        "--float", "--out", tmp_path / "pad.wav",
    )  # fmt: skip
    again = ib.render(ib.grow(wire), ["A2", 52], seconds=0.5, seed=3)
    assert np.array_equal(again.samples, ib.open(tmp_path / "pad.wav").samples)


def test_loops_are_those_of_the_shell(wire):
    found = lines(bloom("loops", wire.path, "--json"))
    assert [one.plain() for one in wire.loops()] == found


def test_wavetables_and_spectra(wire, tmp_path):
    table = wire.wavetable(frames=8, root="A3")
    assert len(table) == 8
    assert table.waves.shape == (8, 2048)
    assert sf.info(table.write(tmp_path / "t.wav")).frames == 8 * 2048
    spectrum = wire.spectrum()
    assert spectrum.tonal > 0.9
    assert spectrum.write(tmp_path / "s.spectrum").stat().st_size > 1_000
    assert "partials" in repr(spectrum)
    assert table._repr_html_().count("<path") == 8


def test_a_chain_is_its_effects_a_document_or_a_file(wire, tmp_path):
    effects = [{"id": "e1", "kind": "drive", "settings": {"drive": 12}}]
    file = tmp_path / "chain.json"
    file.write_text(
        '{"name": "x", "effects": [{"id": "e1", "kind": "drive", "settings": {"drive": 12}}]}'
    )
    ways = (effects, {"name": "x", "effects": effects}, file)
    one, other, third = (wire.process(way).samples for way in ways)
    assert np.array_equal(one, other)
    assert np.array_equal(one, third)
    assert np.abs(one[: 3 * RATE] - wire.samples).max() > 0.01


class TestInstruments:
    def test_settings_are_typed_and_checked(self, wire):
        pad = ib.grow(wire)
        cloud = pad.layer(0, ib.settings.CloudSettings)
        cloud.size = 300
        assert pad.document.layers[0].settings.size == 300
        with pytest.raises(ValidationError, match="size"):
            cloud.size = -1
        with pytest.raises(TypeError, match="is of kind cloud, not loop"):
            pad.layer("l1", ib.settings.LoopSettings)
        with pytest.raises(KeyError, match="there is l1"):
            pad.layer("l9", ib.settings.CloudSettings)
        pad.settings.voices = 8
        assert pad.document.settings.voices == 8

    @pytest.mark.parametrize("name", ["pad.json", "pad.zip"])
    def test_written_and_opened_it_sounds_the_same(self, wire, name):
        pad = ib.grow(wire)
        written = pad.write(wire.path.with_name(name))
        again = ib.open_instrument(written)
        one, other = (ib.render(which, "A3", seconds=0.3).samples for which in (pad, again))
        # a bundle's FLAC has the 24 bits of its recording
        assert np.array_equal(one, other)

    def test_what_is_made_leaves_as_a_bundle_only(self, wire, tmp_path):
        pad = ib.grow(wire.prepare([ib.steps.reverse()]))
        with pytest.raises(ib.BloomError, match=r"write a bundle\.zip"):
            pad.write(tmp_path / "pad.json")
        assert pad.write(tmp_path / "pad.zip").is_file()
        with pytest.raises(ValueError, match=r"\.json or \.zip"):
            pad.write(tmp_path / "pad.txt")

    def test_a_changed_recording_is_said(self, wire, tmp_path):
        document = ib.grow(wire).write(tmp_path / "wire.json")
        sf.write(wire.path, harmonic_tone(330.0, 3.0), RATE, "PCM_24")
        with pytest.raises(ib.BloomError, match="has changed"):
            ib.render(document, seconds=0.1)
        assert ib.render(ib.open_instrument(document, trusted=True), seconds=0.1).seconds > 0.1

    def test_rendering_can_be_stopped(self, wire):
        told: list[float] = []
        with pytest.raises(ib.BloomError, match="Stopped"):
            ib.render(ib.grow(wire), seconds=5, progress=lambda share: told.append(share) or False)
        assert len(told) == 1

    def test_other_rates(self, wire):
        assert ib.render(ib.grow(wire), seconds=0.1, rate=96_000).rate == 96_000


class TestNotebook:
    def test_a_sound_shows_its_picture_and_plays(self, wire):
        shown = wire._repr_html_()
        data = re.search(r'base64,([^"]+)"', shown)[1]
        samples, rate = sf.read(io.BytesIO(base64.b64decode(data)))
        assert (rate, len(samples)) == (RATE, 3 * RATE)
        assert np.abs(samples - wire.samples[:, 0]).max() < 2**-15
        assert "<svg" in shown

    def test_the_notebook_does_the_whole_job(self, tmp_path):
        opened = nbformat.read(NOTEBOOK, as_version=4)
        assert not any(cell.get("outputs") for cell in opened.cells)
        client = NotebookClient(
            opened, timeout=300, resources={"metadata": {"path": str(tmp_path)}}
        )
        done = client.execute()
        html = [
            output.data["text/html"]
            for cell in done.cells
            for output in cell.get("outputs", [])
            if "text/html" in output.get("data", {})
        ]
        assert sum("<audio" in one for one in html) == 4
        made = {one.name for one in (tmp_path / "notebook").iterdir()}
        assert {"pad.zip", "held.wav", "wire.spectrum", "pad_01_A2.flac"} <= made


class TestDeclarations:
    @pytest.mark.parametrize("name", sources())
    def test_what_is_derived_is_up_to_date(self, name):
        kept = (Path(ib.__file__).parent / name).read_text("utf-8")
        assert kept == sources()[name], "run: make reference"

    def test_steps_are_all_there_with_their_defaults(self):
        made = [getattr(ib.steps, kind)() for kind in STEP_KINDS]
        assert parse_recipe({"steps": made}) == parse_recipe(
            {"steps": [{"do": kind} for kind in STEP_KINDS]}
        )

    def test_settings_are_all_there(self):
        for registry in (LAYER_KINDS, MODULATOR_KINDS, EFFECT_KINDS):
            for kind in registry.values():
                typed = getattr(ib.settings, kind.settings_name)
                assert kind.id == typed.KIND
                declared = [one.id for one in kind.declared]
                assert [one for one in typed.__annotations__ if one != "KIND"] == declared


def test_importing_loads_nothing_heavy_and_dir_helps():
    """import under half a second, since there is nothing in it that takes longer."""
    code = (
        "import sys, innerbloom as ib; ib.open, ib.grow, ib.render;"
        "heavy = [m for m in ('numpy', 'scipy', 'numba', 'pydantic', 'av') if m in sys.modules];"
        "print(heavy, {'open', 'grow', 'render', 'steps', 'settings'} <= set(dir(ib)))"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.split("\n")[0] == "[] True"
    with pytest.raises(AttributeError, match="no attribute 'opn'"):
        ib.opn  # noqa: B018
