"""How it sounds, in figures: what docs/sound.md tells, measured again.

    python bench/sound.py [FOLDER]

The first notes of the recordings in a folder, or of every fourth one of the packages that tests use,
then voices, melodies, crossfades and morphs. The measures are those of the tests.
"""

from __future__ import annotations

import sys
import tempfile
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path

import numpy as np
import soundfile as sf
import soxr

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.recordings import ALSA, ICONS, KITS, effects, folder
from tests.reference import test_crossfades as crossfades
from tests.reference import test_melodies as melodies
from tests.reference import test_spectral_playing as spectra
from tests.reference import test_voices as voices

from common import say
from first_note import measure, summary
from innerbloom.core.process.retune import retune
from innerbloom.core.process.shift import shift_pitch
from innerbloom.core.process.stretch import stretch

EVERY = 4
SECONDS, NOTES = 30.0, 5
EFFECTS = 10


def first_notes(recordings: Path) -> None:
    paths = sorted(one for one in recordings.rglob("*") if one.is_file())
    with ProcessPoolExecutor() as pool:
        rows = pool.map(partial(measure, seconds=SECONDS, notes=NOTES), paths, chunksize=4)
        summary([one for one in rows if one])


def write_packages(into: Path) -> None:
    """Every fourth recording of the packages, as files."""
    found: list[tuple[np.ndarray, int]] = []
    for kind in (
        effects,
        partial(folder, ALSA, "alsa-utils"),
        partial(folder, ICONS, "sound-icons"),
    ):
        try:
            found += kind()
        except BaseException as missing:  # a skip of pytest is no Exception
            print(missing)
    kits = sorted(one for one in KITS.rglob("*") if one.suffix.lower() in (".wav", ".flac"))
    found += [sf.read(one, dtype="float32", always_2d=True) for one in kits[::10]]
    for number, (samples, rate) in enumerate(found[::EVERY]):
        sf.write(into / f"{number:03}.wav", samples[:, :2], rate, subtype="FLOAT")


def voices_kept() -> None:
    there = voices.voices()
    plain = [voices.hnr_db(x, rate) for x, rate in there]
    for ratio in (1.25, 2.0, 4.0):
        lost = [
            before - voices.hnr_db(stretch(x, rate, ratio), rate)
            for before, (x, rate) in zip(plain, there, strict=True)
        ]
        say(f"voices at {ratio:g} times: HNR lost, median and worst", _middle_and_worst(lost))
    for semitones, floor_hz in ((-12, 45.0), (12, 150.0)):
        lost = [
            voices.hnr_db(x, rate, min(floor_hz, 75.0))
            - voices.hnr_db(shift_pitch(x, rate, semitones, formants="kept"), rate, floor_hz)
            for x, rate in voices.spoken()
        ]
        say(f"voices by {semitones:+} st, formants kept: HNR lost", _middle_and_worst(lost))


def melodies_pulled() -> None:
    for how in melodies.MELODIES:
        samples, notes, frames = melodies.melody(*how)
        before, after = (
            100 * np.abs(melodies.told(one, frames)[0] - notes)
            for one in (samples, retune(samples, melodies.RATE, keep_time=True))
        )
        told = f"{np.median(before):.1f} to {np.median(after):.1f}"
        say(f"pulled, notes of {how[0]:g} s: median cents off", told)


def seams_held() -> None:
    for kind in ("noise", "halfway", "alike", "tones"):
        worst = max(
            np.abs(crossfades.level_across(kind, curve)).max()
            for curve in ("linear", "equal power")
        )
        say(f"seam between {kind}: level off by at most, dB", f"{worst:.2f}")


def morphs_even() -> None:
    places = np.linspace(0, 100, 11)
    for pair in morph_pairs():
        way = [spectra.heard(*pair[1:], seconds=1.4, morph=place) for place in places]
        gone, left = (
            np.array([spectra.bands_apart(x, end) for x in way]) for end in (way[0], way[-1])
        )
        off = np.abs(gone / (gone + left) - places / 100).max()
        say(f"morph from {pair[0]}: share of the way off by", f"{off:.2f}")


def morph_pairs() -> Iterator[tuple]:
    sounds = {name: spectra.taken(spectra.vowel(name), spectra.F0) for name in ("a", "i", "u")}
    saw = spectra.gliding_tone(np.full(2 * spectra.RATE, 220.0), 30)
    sounds["saw"] = spectra.taken(saw, 220.0)
    noise = 0.1 * np.random.default_rng(7).standard_normal(2 * spectra.RATE)
    sounds["noise"] = spectra.taken(noise, None)
    long = [one for one in effects() if len(one[0]) > 1.2 * one[1]]
    for number in range(EFFECTS):
        samples, rate = long[number * len(long) // EFFECTS]
        mono = soxr.resample(samples.mean(axis=1), rate, spectra.RATE)
        sounds[f"effect {number}"] = spectra.taken(mono, None)
    pairs = [("a", "i"), ("u", "a"), ("saw", "a"), ("a", "noise"), ("saw", "noise")]
    pairs += [(f"effect {i}", f"effect {i + 1}") for i in range(0, EFFECTS, 2)]
    for one, other in pairs:
        yield f"{one} to {other}", sounds[one], sounds[other]


def _middle_and_worst(values: list[float]) -> str:
    return f"{np.median(values):6.1f} {max(values):6.1f} dB"


def main() -> None:
    if len(sys.argv) > 1:
        first_notes(Path(sys.argv[1]))
    else:
        with tempfile.TemporaryDirectory() as kept:
            write_packages(Path(kept))
            first_notes(Path(kept))
    voices_kept()
    melodies_pulled()
    seams_held()
    morphs_even()


if __name__ == "__main__":
    main()
