"""An instrument as samples: played back by a map of its own format they sound like the instrument."""

from __future__ import annotations

import json
import subprocess
import sys
from itertools import pairwise
from pathlib import Path

import numpy as np
import parselmouth
import pytest
import soundfile as sf
from hypothesis import given
from hypothesis import strategies as st

from innerbloom.core.deliver.credits import Credit
from innerbloom.core.deliver.render import render_blocks
from innerbloom.core.deliver.samples.document import SampleSet, parse_samples
from innerbloom.core.deliver.samples.sampled import SampledSet, told
from innerbloom.core.deliver.samples.sampling import sample
from innerbloom.core.deliver.samples.settings import SampleSettings
from innerbloom.core.deliver.samples.writing import hand_over_samples
from innerbloom.core.deliver.samples.zones import (
    BYTES,
    estimate,
    even_keys,
    keys_where_timbre_changes,
    plan,
    velocity_curve,
    velocity_ranges,
)
from innerbloom.core.engine import compile_program
from innerbloom.core.errors import BloomError, Cancelled, DocumentError
from innerbloom.core.materials.held import HeldMaterials
from innerbloom.core.performance.events import single_note
from innerbloom.core.sound.sampler import read_sampler
from innerbloom.core.sound.writing import write_sound
from tests.engines import RATE, click_db, cloud, layered, material_of, sine
from tests.sfz import SfzPlayer, read

RNG = np.random.default_rng(8)
REEDS = (sine(220.0, 4.0) + 0.05 * RNG.standard_normal(4 * RATE)).astype(np.float32)
MATERIALS = HeldMaterials(material_of(REEDS))


def tones():
    """A steady tone whose level and brightness follow the velocity, with a release of half a second."""
    return layered(
        {"kind": "wave", "shape": "saw", "filter": "12 dB", "cutoff": 1200, "level": -12,
         "release": 500, "attack": 5},
        routes=[{"source": "velocity", "parameter": "cutoff", "depth": 1.0, "polarity": "two-sided"}],
    )  # fmt: skip


def reeds():
    """A cloud that moves."""
    return cloud(root=57.0, position_scatter=30, stereo_scatter=60, attack=40, release=400,
                 density=60, size=120)  # fmt: skip


def wanted(**more):
    return SampleSettings.model_validate(
        {"key_low": 48, "key_high": 60, "step": 4, "placing": "evenly", "seconds": 3, **more}
    )


def sampled(document, settings, folder, form="wav24", credits=()):
    """Sampled and handed over, without store or batch; gives the folder."""
    program = compile_program(document, MATERIALS)
    asked = SampleSet(name="Test reeds", instrument_name="Reeds", settings=settings, form=form)
    notes, raw = [], folder / "raw"
    raw.mkdir(parents=True)
    for number, zone in enumerate(plan(program, settings), 1):
        one = sample(document, zone, settings, MATERIALS)
        for released, sound in ((False, one.sound), (True, one.release)):
            if sound is not None:
                write_sound(raw / f"{number}{released}.wav", [sound], one.rate, 2, form="wav32f")
        notes.append(told(number, one))
    curves = list(velocity_curve(program, settings).values())
    hand_over_samples(asked, SampledSet(notes=notes, curves=curves, settings=settings, recordings=[]),
                      lambda number, released: raw / f"{number}{released}.wav",
                      folder / "out", credits)  # fmt: skip
    return folder / "out"


def instrument(document, key, velocity, held_s, total_s):
    program = compile_program(document, MATERIALS)
    events = single_note(float(key), held_s, RATE, velocity / 127.0)
    whole = np.concatenate(list(render_blocks(program, events)))
    return np.concatenate((whole, np.zeros((round(total_s * RATE), 2))))[: round(total_s * RATE)]


def level_db(sound):
    return 10.0 * np.log10(np.mean(np.asarray(sound, np.float64) ** 2) + 1e-20)


@pytest.fixture(scope="module")
def tone_map(tmp_path_factory):
    return SfzPlayer(sampled(tones(), wanted(velocities=3), tmp_path_factory.mktemp("tones"))
                     / "Test reeds.sfz")  # fmt: skip


# -- like the instrument -------------------------------------------------------------------


@pytest.mark.parametrize("velocity", [10, 42, 50, 64, 85, 100, 127])
@pytest.mark.parametrize("key", [48, 52, 60])
def test_played_back_it_is_as_loud_as_the_instrument(tone_map, key, velocity):
    # within 1 dB, at velocities between those that were sampled too
    back, rate = tone_map.note(key, velocity, 2.5, 1.0)
    real = instrument(tones(), key, velocity, 2.5, 3.5)
    assert rate == RATE
    for start, end in ((0.05, 0.5), (0.5, 2.4)):
        part = slice(round(start * RATE), round(end * RATE))
        assert abs(level_db(back[part]) - level_db(real[part])) < 1.0


@pytest.mark.parametrize("key", range(46, 63))
def test_played_back_every_key_is_in_tune(tone_map, key):
    # within 5 cents; equal temperament, ISO 16; pitch by Praat
    back, _ = tone_map.note(key, 127, 1.5, 0.0)
    sound = parselmouth.Sound(back[:, 0].astype(np.float64), RATE)
    found = sound.to_pitch_ac(time_step=0.02, pitch_floor=60, pitch_ceiling=600).selected_array["frequency"]  # fmt: skip
    cents = 1200 * np.log2(np.median(found[found > 0]) / (440.0 * 2 ** ((key - 69) / 12)))
    assert abs(cents) < 5.0


def test_a_key_is_held_far_beyond_its_sample_without_a_seam(tmp_path):
    player = SfzPlayer(sampled(reeds(), wanted(velocities=1), tmp_path) / "Test reeds.sfz")
    for key in (48, 56):
        back, _ = player.note(key, 127, 9.0, 0.0)
        real = instrument(reeds(), key, 127, 9.0, 9.0)
        # it moves, so it is told over seconds
        assert abs(level_db(back[RATE:]) - level_db(real[RATE:])) < 1.0
        # grains have edges of their own
        assert click_db(back[RATE:]) < click_db(real[RATE:]) + 3.0


def test_letting_go_sounds_as_it_does_on_the_instrument(tone_map):
    back, _ = tone_map.note(52, 127, 2.0, 1.2)
    real = instrument(tones(), 52, 127, 2.0, 3.2)
    for after in (0.0, 0.1, 0.25):
        part = slice(round((2.0 + after) * RATE), round((2.1 + after) * RATE))
        assert abs(level_db(back[part]) - level_db(real[part])) < 2.0
    assert np.abs(back[-100:]).max() < 1e-4


def test_a_release_by_an_envelope_lasts_as_long(tmp_path):
    asked = wanted(velocities=1, release="an envelope")
    folder = sampled(tones(), asked, tmp_path)
    regions = read(folder / "Test reeds.sfz")
    assert len(regions) == len(list((folder / "samples").iterdir())) == 4
    back, _ = SfzPlayer(folder / "Test reeds.sfz").note(52, 127, 2.0, 1.2)
    real = instrument(tones(), 52, 127, 2.0, 3.2)

    def decay_s(sound):
        tail = np.abs(sound[2 * RATE :]).max(axis=1)
        return np.flatnonzero(tail > 1e-3 * np.abs(sound[RATE : 2 * RATE]).max())[-1] / RATE

    assert decay_s(back) == pytest.approx(decay_s(real), abs=0.12)


def test_a_sound_that_dies_away_is_not_looped_and_rings_out(tmp_path):
    struck = layered({"kind": "wave", "shape": "sine", "decay": 300, "sustain": 0, "release": 60})
    folder = sampled(struck, wanted(velocities=1), tmp_path)
    regions = read(folder / "Test reeds.sfz")
    assert {one["loop_mode"] for one in regions} == {"no_loop"}
    assert all("trigger" not in one for one in regions)
    back, _ = SfzPlayer(folder / "Test reeds.sfz").note(48, 127, 2.5, 0.5)
    real = instrument(struck, 48, 127, 2.5, 3.0)
    assert abs(level_db(back[: RATE // 2]) - level_db(real[: RATE // 2])) < 1.0


def test_round_robins_are_each_another_and_take_turns(tmp_path):
    player = SfzPlayer(sampled(reeds(), wanted(velocities=1, turns=3), tmp_path) / "Test reeds.sfz")
    first, second, third, again = (player.note(48, 127, 1.0, 0.0, turn)[0] for turn in (0, 1, 2, 3))
    assert np.array_equal(first, again)
    for one, other in ((first, second), (second, third), (first, third)):
        like = np.corrcoef(one[RATE // 4 :, 0], other[RATE // 4 :, 0])[0, 1]
        assert abs(like) < 0.9


# -- what is sampled ------------------------------------------------------------------------


@given(low=st.integers(0, 127), span=st.integers(0, 127), step=st.integers(1, 12),
       velocities=st.integers(1, 8))  # fmt: skip
def test_zones_cover_every_key_and_velocity_once(low, span, step, velocities):
    high = min(127, low + span)
    keys = even_keys(low, high, step)
    assert keys[0] == low
    assert keys[-1] == high
    assert all(0 < b - a <= step for a, b in pairwise(keys))
    covered = [v for a, b in velocity_ranges(velocities) for v in range(a, b + 1)]
    assert covered == list(range(1, 128))


def test_zones_of_a_plan_leave_no_key_out_and_play_none_twice():
    program = compile_program(tones(), MATERIALS)
    zones = [zone for zone in plan(program, wanted(velocities=1)) if zone.turn == 0]
    covered = [key for zone in zones for key in range(zone.lowest, zone.highest + 1)]
    assert covered == list(range(46, 63))
    assert all(zone.lowest <= zone.key <= zone.highest for zone in zones)


def test_more_keys_are_taken_where_the_timbre_changes():
    def probe(key):
        # below middle C each key is the same sound at another pitch; above it turns to noise
        hz = 440.0 * 2 ** ((key - 69) / 12)
        tone = sum(sine(hz * k, 1.2, level=0.3 / k) for k in range(1, 9))
        rough = np.random.default_rng(key).standard_normal(len(tone)) * max(0, key - 60) * 0.05
        return (tone + rough).astype(np.float32)

    found = keys_where_timbre_changes(probe, even_keys(48, 72, 6), lambda share: True)
    below, above = [k for k in found if k <= 60], [k for k in found if k > 60]
    assert below == [48, 54, 60]
    assert len(above) > 4

    with pytest.raises(Cancelled):
        keys_where_timbre_changes(probe, [48, 60], lambda share: False)


def test_what_it_comes_to_is_said_before_and_is_near(tmp_path):
    settings = wanted(velocities=2)
    said = estimate(tones(), settings, BYTES["wav24"])
    folder = sampled(tones(), settings, tmp_path)
    files = list((folder / "samples").iterdir())
    assert said.keys == (4, 4)
    assert said.files == (16, 16) == (len(files), len(files))
    size = sum(path.stat().st_size for path in files)
    assert 0.5 * size < said.bytes[0] < 2.0 * size


def test_keys_upside_down_and_silence_are_said():
    with pytest.raises(BloomError, match="turn them round"):
        even_keys(60, 48, 4)
    silent = layered({"kind": "wave", "shape": "sine", "key_low": 100})
    settings = wanted()
    zone = plan(compile_program(tones(), MATERIALS), settings)[0]
    with pytest.raises(BloomError, match="silent"):
        sample(silent, zone, settings, MATERIALS)


def lint(path):
    """What the package sfzlint says of a map."""
    done = subprocess.run([Path(sys.executable).parent / "sfzlint", path],
                          capture_output=True, text=True, check=False)  # fmt: skip
    return done.stdout.strip() + done.stderr.strip()


# -- as files --------------------------------------------------------------------------------


def test_files_hold_root_and_loop_and_the_map_passes_a_checker(tmp_path):
    folder = sampled(reeds(), wanted(velocities=2), tmp_path, credits=[Credit(name="Reeds")])
    assert lint(folder / "Test reeds.sfz") == ""
    wrong = folder / "wrong.sfz"
    wrong.write_text((folder / "Test reeds.sfz").read_text().replace("lokey", "lowkey"))
    assert "lowkey" in lint(wrong)
    regions = [one for one in read(folder / "Test reeds.sfz") if "trigger" not in one]
    assert len(regions) == 8
    for one in regions:
        path = folder / one["sample"]
        told_by_file = read_sampler(path)
        assert told_by_file.root == int(one["pitch_keycenter"])
        (loop,) = told_by_file.loops
        assert (loop.start, loop.end - 1) == (int(one["loop_start"]), int(one["loop_end"]))
        assert loop.end <= sf.info(path).frames
    done = subprocess.run(["sha256sum", "--quiet", "-c", "SHA256SUMS"], cwd=folder, check=False)
    assert done.returncode == 0
    contents = json.loads((folder / "contents.json").read_text())
    assert {one["file"] for one in contents["files"]} == {
        str(path.relative_to(folder)) for path in (folder / "samples").iterdir()
    }
    assert "Reeds" in (folder / "credits.txt").read_text()


@pytest.mark.parametrize(("form", "rate"), [("wav16", "44.1 kHz"), ("flac", "48 kHz"), ("wav32f", "44.1 kHz")])  # fmt: skip
def test_other_formats_and_rates_play_alike(form, rate, tmp_path):
    folder = sampled(tones(), wanted(velocities=1, rate=rate), tmp_path, form)
    back, found = SfzPlayer(folder / "Test reeds.sfz").note(52, 127, 2.0, 0.0)
    assert found == (44_100 if rate == "44.1 kHz" else 48_000)
    real = instrument(tones(), 52, 127, 2.0, 2.0)
    assert abs(level_db(back[found // 2 :]) - level_db(real[RATE // 2 :])) < 1.0


def test_a_document_says_what_is_wrong_with_it():
    whole = SampleSet(name="Reeds").model_dump(mode="json")
    assert parse_samples(whole).name == "Reeds"
    with pytest.raises(DocumentError, match="velocities"):
        parse_samples({**whole, "settings": {**whole["settings"], "velocities": 9}})
    with pytest.raises(DocumentError, match="no set of samples"):
        parse_samples("{")
