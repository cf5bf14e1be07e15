"""Spectrum files, which any program can read, and spectra in the shell."""

from __future__ import annotations

import dataclasses
import io
import json
import re
import zipfile
from pathlib import Path

import numpy as np
import pytest
import scipy.signal
import soundfile as sf

from innerbloom.core.errors import BloomError
from innerbloom.core.materials.spectrum.analyse import analyse, partials_alone
from innerbloom.core.materials.spectrum.files import read_spectrum, write_spectrum
from innerbloom.core.materials.spectrum.noise import noise_sound
from innerbloom.core.materials.spectrum.partials import sound_of
from innerbloom.core.materials.spectrum.parts import part_sounds
from tests.engines import strongest_hz
from tests.shell import bloom
from tests.sounds import RATE, cents, gliding_tone, vowel
from tests.spectra import heard, log_spectral_distance, taken

NOISE = np.random.default_rng(4).standard_normal(2 * RATE)


@pytest.fixture(scope="module")
def spectrum():
    struck = gliding_tone(np.full(2 * RATE, 330.0)) * np.exp(-np.arange(2 * RATE) / RATE)
    struck[:300] += 0.4 * NOISE[:300]
    return taken(struck + 0.002 * NOISE, 330.0)


@pytest.fixture
def folder(tmp_path):
    sf.write(tmp_path / "wire.wav", gliding_tone(np.full(2 * RATE, 220.0)), RATE)
    sf.write(tmp_path / "voice.wav", vowel(147.0, 2.0), RATE)
    sf.write(tmp_path / "rain.wav", 0.1 * NOISE, RATE)
    return tmp_path


def test_a_file_gives_the_spectrum_back(tmp_path, spectrum):
    path = tmp_path / "one.spectrum"
    write_spectrum(path, spectrum, "one")
    again = read_spectrum(path)
    assert (again.seconds, again.root_hz, again.window) == (
        spectrum.seconds, spectrum.root_hz, spectrum.window)  # fmt: skip
    assert len(again.strikes) == len(spectrum.strikes) == 1
    np.testing.assert_array_equal(again.noise, spectrum.noise)
    np.testing.assert_array_equal(partials_alone(again), partials_alone(spectrum))
    np.testing.assert_array_equal(heard(again, seconds=1.0), heard(spectrum, seconds=1.0))
    before = path.read_bytes()
    write_spectrum(path, spectrum, "one")
    assert path.read_bytes() == before


def test_a_file_is_read_without_us(tmp_path, spectrum):
    """As docs/spectra.md says: a zip of a JSON text and NumPy arrays."""
    path = tmp_path / "one.spectrum"
    write_spectrum(path, spectrum, "one")
    with zipfile.ZipFile(path) as archive:
        about = json.loads(archive.read("spectrum.json"))
        arrays = {
            name: np.load(io.BytesIO(archive.read(name)))
            for name in archive.namelist() if name.endswith(".npy")
        }  # fmt: skip
    assert (about["rate"], about["hop"], len(about["band_hz"])) == (48_000, 256, 60)
    assert arrays["noise.npy"].shape[1] == 60
    assert arrays["births.npy"][:, 1].sum() == len(arrays["hz.npy"])
    _first, length = arrays["births.npy"][0]
    np.testing.assert_array_equal(arrays["hz.npy"][:length], spectrum.tracks[0].hz)


@pytest.mark.parametrize("harm", ["cut short", "no zip", "outside", "no number", "another version"])
def test_a_damaged_file_says_so_in_a_sentence(tmp_path, spectrum, harm):
    path = tmp_path / "one.spectrum"
    if harm == "outside":
        track = dataclasses.replace(spectrum.tracks[0], first=spectrum.moments + 5)
        spectrum = dataclasses.replace(spectrum, tracks=(track,))
    elif harm == "no number":
        spectrum = dataclasses.replace(spectrum, noise=spectrum.noise * np.nan)
    write_spectrum(path, spectrum, "one")
    data = path.read_bytes()
    if harm == "cut short":
        path.write_bytes(data[: len(data) // 2])
    elif harm == "no zip":
        path.write_bytes(b"RIFF" + data)
        path.write_bytes(b"not a spectrum at all")
    elif harm == "another version":
        with zipfile.ZipFile(path) as archive:
            parts = {name: archive.read(name) for name in archive.namelist()}
        parts["spectrum.json"] = parts["spectrum.json"].replace(b'"version": 1', b'"version": 9')
        with zipfile.ZipFile(path, "w") as archive:
            for name, part in parts.items():
                archive.writestr(name, part)
    with pytest.raises(BloomError, match=r"'one\.spectrum' is") as error:
        read_spectrum(path)
    assert str(error.value).endswith(".")


def test_parts_add_up_to_the_whole(spectrum):
    parts = part_sounds(spectrum)
    total = parts["partials"] + parts["strikes"] + parts["noise"]
    np.testing.assert_allclose(parts["together"], total, atol=1e-6)
    assert np.abs(parts["strikes"][:400]).max() > 0.1
    assert not parts["strikes"][RATE:].any()


def test_a_spectrum_is_taken_and_played_in_the_shell(folder):
    said = bloom("spectrum", "analyse", folder / "wire.wav", "--out", folder / "wire.spectrum")
    assert said.exit_code == 0, said.output
    assert "partials" in said.output
    for source in ("wire.wav", "wire.spectrum"):
        out = folder / f"up from {source}.wav"
        made = bloom(
            "spectrum", "render", folder / source, "--pitch", 7, "--speed", 0.5, "--out", out
        )
        assert made.exit_code == 0, made.output
        sound, rate = sf.read(out)
        assert len(sound) / rate == pytest.approx(4.0, abs=0.2)
        piece = sound[RATE : 2 * RATE, 0]
        assert abs(cents(strongest_hz(piece), 220 * 2 ** (7 / 12))) < 2


def test_a_frozen_render_holds_still(folder):
    out = folder / "still.wav"
    made = bloom(
        "spectrum", "render", folder / "voice.wav", "--freeze", 50, "--seconds", 2, "--out", out
    )
    assert made.exit_code == 0, made.output
    sound = sf.read(out)[0][RATE // 4 : 2 * RATE, 0]
    levels = np.sqrt(np.mean(sound[: 15 * 4_800].reshape(15, 4_800) ** 2, axis=1))
    # no more than the beating of a tenth of a second of it
    assert np.ptp(20 * np.log10(levels)) < 1.5
    assert log_spectral_distance(sound[: RATE // 2], sound[RATE // 2 : RATE]) < 2.0


def test_a_morph_begins_and_ends_with_its_sounds(folder):
    out = folder / "morph.wav"
    made = bloom("morph", folder / "wire.wav", folder / "voice.wav", folder / "rain.wav",
                 "--seconds", 6, "--out", out)  # fmt: skip
    assert made.exit_code == 0, made.output
    sound = sf.read(out)[0][:, 0]

    def flatness(piece):
        power = np.abs(np.fft.rfft(piece * np.hanning(len(piece)))) ** 2 + 1e-12
        return np.exp(np.log(power).mean()) / power.mean()

    begin, end = sound[4_800 : 4_800 + 8_192], sound[-12_000:-3_808]
    assert 10 * flatness(begin) < flatness(end)
    assert abs(cents(strongest_hz(begin), 220.0)) < 30


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("morph", "wire.wav"), "two to eight sounds"),
        (("morph", "wire.wav", "nowhere.wav"), "There is no sound"),
        (("spectrum", "render", "nowhere.wav"), "There is no sound"),
    ],
)
def test_what_cannot_be_done_in_the_shell_is_said_in_a_sentence(folder, arguments, words):
    command = [one if not one.endswith(".wav") else folder / one for one in arguments]
    seconds = ("--seconds", 2) if command[0] == "morph" else ()
    said = bloom(*command, *seconds, "--out", folder / "out.wav")
    assert said.exit_code == 1
    assert words in said.output
    assert "Traceback" not in said.output


@pytest.fixture(scope="module")
def page() -> dict:
    text = (Path(__file__).parents[2] / "docs" / "spectra.md").read_text("utf-8")
    (code,) = re.findall(r"```python\n(.*?)```", text, re.DOTALL)
    assert len([line for line in code.splitlines() if line.strip()]) <= 60
    there: dict = {}
    exec(code, there)
    return there


@pytest.fixture(scope="module")
def file(tmp_path_factory) -> Path:
    """A struck, sliding tone in noise."""
    random = np.random.default_rng(2)
    seconds = np.arange(2 * RATE) / RATE
    slide = np.cumsum(220.0 * 2.0 ** (0.3 * seconds)) / RATE
    tone = sum(0.2 / k * np.sin(2 * np.pi * k * slide) for k in range(1, 6))
    tone[: RATE // 2] = 0.0
    click = np.zeros(2 * RATE)
    click[RATE : RATE + 96] = random.uniform(-0.8, 0.8, 96)
    mixed = tone + click + 0.02 * random.standard_normal(2 * RATE)
    path = tmp_path_factory.mktemp("page") / "made.spectrum"
    write_spectrum(path, analyse(mixed[:, None].astype(np.float32), RATE, None))
    return path


class TestFromThePage:
    """The page's code alone makes the sound again."""

    def test_partials_are_the_same(self, page, file):
        spectrum = read_spectrum(file)
        about, held = page["read"](file)
        frames = round(spectrum.seconds * RATE)
        made = page["partials"](about, held, frames)
        ours = sound_of(spectrum.tracks, frames)
        assert np.abs(ours).max() > 0.1
        assert np.abs(made - ours).max() < 1e-4

    def test_noise_has_the_same_levels(self, page, file):
        spectrum = read_spectrum(file)
        about, held = page["read"](file)
        frames = round(spectrum.seconds * RATE)
        made = page["noise"](about, held, frames)
        hz, one = scipy.signal.welch(made, RATE, nperseg=4_096)
        _, other = scipy.signal.welch(noise_sound(spectrum), RATE, nperseg=4_096)
        for low in 200.0 * 2.0 ** np.arange(6):
            inside = (hz >= low) & (hz < 2 * low)
            # two draws of one noise: an octave of two seconds is sure within some tenths
            assert 10 * np.log10(one[inside].sum() / other[inside].sum()) == pytest.approx(
                0, abs=1.0
            )

    def test_the_whole_is_as_loud_and_has_its_strikes(self, page, file):
        spectrum = read_spectrum(file)
        assert spectrum.strikes
        made, ours = page["sound"](file), part_sounds(spectrum)["together"]
        assert len(made) == len(ours)
        assert 20 * np.log10(np.std(made) / np.std(ours)) == pytest.approx(0, abs=0.2)
        about, held = page["read"](file)
        rest = (
            made - page["partials"](about, held, len(made)) - page["noise"](about, held, len(made))
        )
        assert np.abs(rest - part_sounds(spectrum)["strikes"]).max() < 1e-6
