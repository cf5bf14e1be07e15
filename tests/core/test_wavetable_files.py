"""Wavetables as files: written, read back, looked into, guessed; and the command."""

from __future__ import annotations

import json

import numpy as np
import pytest
import soundfile as sf
from click.testing import CliRunner
from hypothesis import given, settings
from hypothesis import strategies as st
from wavinfo import WavInfoReader

from innerbloom.cli.main import main
from innerbloom.core.declare.sound import Sound
from innerbloom.core.deliver.bundle import unpack_bundle, write_bundle
from innerbloom.core.deliver.sources import beside, file_materials
from innerbloom.core.instrument.grow import grow_wave
from innerbloom.core.materials.protocol import Stretch
from innerbloom.core.materials.wavetable import document as d
from innerbloom.core.materials.wavetable.build import build
from innerbloom.core.materials.wavetable.files import write_table
from innerbloom.core.materials.wavetable.guess import guess_cycle, layout_of
from innerbloom.core.materials.wavetable.prepared import WavetableRequest
from innerbloom.core.materials.wavetable.shape import from_cycles
from innerbloom.core.materials.wavetable.table import CYCLE, HARMONICS, Table, TableError, waves_of
from innerbloom.core.sound.metadata import Origin

RNG = np.random.default_rng(5)


def bells(frames=16):
    operators = [
        d.Operator(id="a"),
        d.Operator(id="b", harmonic=3, start=0.0, end=2.0, into="a"),
    ]
    return build(d.FromWaves(frames=frames, operators=operators))


def test_a_table_written_is_read_back_identical(tmp_path):
    path = tmp_path / "Bells.wav"
    made = bells()
    write_table(path, made, "Bells", Origin(recordist="I. M."))
    samples, _ = sf.read(path, dtype="float32")
    np.testing.assert_array_equal(samples, made.waves().reshape(-1).astype(np.float32))
    again = from_cycles([(samples[:, None], layout_of(path).cycle)])
    # but for rounding in the Fourier transform of what is nearly 0
    np.testing.assert_allclose(again.waves(), samples.reshape(-1, CYCLE), atol=1e-7)


def test_its_chunks_are_read_by_others(tmp_path):
    """Read with the wavinfo library; fields by RIFF MCI 1.0 (1994 rev. 3, from memory)."""
    path = tmp_path / "bells.wav"
    write_table(path, bells(5), "Bells")
    info = WavInfoReader(str(path))
    assert [cue.sample_offset for cue in info.cues.cues] == [0, 2_048, 4_096, 6_144, 8_192]
    sampler = info.smpl
    assert sampler.sample_period_ns == 20_833
    # a frame a period at 48 kHz: 23.4375 Hz, between F sharp 0 and G 0
    note = sampler.midi_note + (sampler.midi_pitch_detune_cents % 2**32) / 2**32
    assert 440 * 2 ** ((note - 69) / 12) == pytest.approx(48_000 / 2_048, rel=1e-6)
    (loop,) = sampler.sample_loops
    # the end is inclusive
    assert (loop.start, loop.end) == (0, 2_047)
    assert info.info.title == "Bells"
    assert "2048 samples a frame, 5 frames" in info.info.comment


@pytest.mark.parametrize("says", ["text", "markers", "loop", "name"])
def test_what_a_file_says_of_itself_is_believed(tmp_path, says):
    from innerbloom.core.sound.loop import Loop
    from innerbloom.core.sound.sampler import add_sampler
    from innerbloom.core.sound.takes import add_markers
    from innerbloom.core.sound.writing import write_sound

    path = tmp_path / ("dusk 600.wav" if says == "name" else "dusk.wav")
    noise = RNG.standard_normal((3_000, 1)).astype(np.float32) * 0.1
    notes = "600 samples per frame" if says == "text" else ""
    write_sound(path, [noise], 48_000, 1, form="wav32f", origin=Origin(notes=notes))
    if says == "markers":
        add_markers(path, range(0, 3_000, 600))
    if says == "loop":
        add_sampler(path, 48_000, None, Loop(0, 600))
    found = layout_of(path)
    assert (found.cycle, found.frames, found.sure) == (600, 5, True)


def generated(rng):
    """A table as people make them: harmonics that fall, and change smoothly or suddenly."""
    frames = int(rng.integers(2, 200))
    cycle = int(rng.choice([256, 512, 600, 1_024, 2_048, 4_096]))
    count = int(rng.integers(1, 60))
    falls = np.arange(1, count + 1) ** -rng.uniform(0.3, 2.0)
    knots = rng.standard_normal((2, int(rng.integers(2, 7)), count)) * falls
    at = np.linspace(0, knots.shape[1] - 1, frames)
    rows = [
        np.stack([np.interp(at, np.arange(k.shape[0]), k[:, h]) for h in range(count)], 1)
        for k in knots
    ]
    spectra = np.zeros((frames, HARMONICS), complex)
    spectra[:, :count] = rows[0] + 1j * rows[1]
    # a frame has a fundamental, or it would be shorter
    spectra[:, 0] += 1.0
    return waves_of(spectra, cycle).reshape(-1), cycle


def test_wrong_guesses_are_fewer_than_two_in_a_hundred():
    rng = np.random.default_rng(11)
    wrong = 0
    for _ in range(200):
        sound, cycle = generated(rng)
        wrong += guess_cycle(sound)[0] != cycle
    assert wrong < 4


@settings(max_examples=25, deadline=None)
@given(st.integers(1, 256), st.floats(-1, 1), st.integers(0, 2**31))
def test_any_table_survives_its_file(tmp_path_factory, frames, level, seed):
    rng = np.random.default_rng(seed)
    spectra = np.zeros((frames, HARMONICS), complex)
    spectra[:, : rng.integers(1, 200)] = level * np.exp(1j * rng.uniform(0, 6, (frames, 1)))
    spectra[:, 0] += 0.5
    path = tmp_path_factory.mktemp("tables") / "one.wav"
    write_table(path, Table(spectra), "One")
    found = layout_of(path)
    assert (found.cycle, found.frames) == (CYCLE, frames)


def run(*arguments):
    return CliRunner().invoke(main, ["wavetable", *map(str, arguments)])


def test_the_command_takes_builds_and_looks_into_tables(tmp_path):
    t = np.arange(48_000) / 48_000
    tone = sum(np.sin(2 * np.pi * 110 * k * t) * np.exp(-k * t) / k for k in range(1, 20))
    sf.write(tmp_path / "wire.wav", 0.2 * tone, 48_000)
    made = run(
        "extract", tmp_path / "wire.wav", "--out", tmp_path / "wire 2048.wav", "--frames", 32
    )
    assert made.exit_code == 0, made.output
    assert "32 frames by cycles" in made.output
    assert "retraces the sound within" in made.output
    seen = json.loads(run("inspect", tmp_path / "wire 2048.wav", "--json").output)
    assert (seen["cycle"], seen["frames"], seen["sure"]) == (2_048, 32, True)
    assert seen["highest_harmonic"] <= 20
    recipe = {"name": "Bells", "source": {"kind": "waves", "operators": [{"id": "a"}]}}
    (tmp_path / "bells.json").write_text(json.dumps(recipe))
    built = run("build", tmp_path / "bells.json", "--out", tmp_path / "bells.wav")
    assert built.exit_code == 0
    assert len(sf.read(tmp_path / "bells.wav")[0]) == 64 * CYCLE
    # a folder of single cycles, in the order of their names
    folder = tmp_path / "cycles"
    folder.mkdir()
    for number in (1, 2, 3):
        sf.write(
            folder / f"{number}.wav", np.sin(2 * np.pi * number * np.arange(600) / 600), 44_100
        )
    assert run("extract", folder, "--out", tmp_path / "three.wav").exit_code == 0
    samples = sf.read(tmp_path / "three.wav")[0].reshape(3, CYCLE)
    assert np.abs(np.fft.rfft(samples, axis=1)).argmax(axis=1).tolist() == [1, 2, 3]


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["extract", "nothing.wav", "--out", "x.wav"], "not beside"),
        (["build", "nothing.json", "--out", "x.wav"], "no recipe"),
        (["inspect", "nothing.wav"], ""),
    ],
)
def test_the_command_says_what_is_wrong_in_one_sentence(tmp_path, arguments, says):
    result = run(arguments[0], tmp_path / arguments[1], *arguments[2:])
    assert result.exit_code != 0
    assert says in result.output
    assert "Traceback" not in result.output


def test_too_short_a_file_is_refused(tmp_path):
    sf.write(tmp_path / "dot.wav", np.zeros(5), 48_000)
    with pytest.raises(TableError, match="too few"):
        layout_of(tmp_path / "dot.wav")


def test_a_bundle_carries_a_table_as_flac(tmp_path):
    """An instrument packed and unpacked reads the same frames, to 24 bits."""
    made = bells(8)
    write_table(tmp_path / "bells.wav", made, "Bells")
    sound = Sound(path="bells.wav", cycle=CYCLE, name="Bells")
    document = grow_wave("Bells", sound)
    write_bundle(document, beside(tmp_path), tmp_path / "bells.zip")
    folder = tmp_path / "unpacked"
    folder.mkdir()
    again = unpack_bundle(tmp_path / "bells.zip", folder)
    held = again.layers[0].sounds[0]
    assert held.path.endswith(".flac")
    assert held.cycle == CYCLE
    one, other = (
        file_materials(beside(where)).get(WavetableRequest(Stretch.of(of), "table", of.cycle))
        for where, of in ((tmp_path, sound), (folder, held))
    )
    np.testing.assert_allclose(one.audio, other.audio, atol=3e-6)
