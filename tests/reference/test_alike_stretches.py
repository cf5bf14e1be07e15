"""Stretches of one recording found again in another, on made-up sounds with known truth and real ones."""

from __future__ import annotations

import numpy as np
import pytest
import soundfile as sf
from hypothesis import given, settings
from hypothesis import strategies as st

from innerbloom.core.analysis.alike import LONGEST_S, LooksOf, alike_start, looks_at
from tests.recordings import effects

RATE = 48_000


def hiss(seconds: float, level: float, seed: int, dark: bool = False) -> np.ndarray:
    made = np.random.default_rng(seed).standard_normal(round(seconds * RATE))
    if dark:
        made = np.convolve(made, np.ones(64) / 8, mode="same")
    return level * made


def strike(seconds: float, hz: float, level: float = 0.5) -> np.ndarray:
    t = np.arange(round(seconds * RATE)) / RATE
    return level * np.sin(2 * np.pi * hz * t) * np.exp(-6 * t)


def scene(*parts: np.ndarray) -> np.ndarray:
    joined = np.concatenate(parts)
    return (joined + hiss(len(joined) / RATE, 1e-4, 9)).astype(np.float32)


def looked_at(folder, name: str, sound: np.ndarray, about: float = 0.0):
    sf.write(folder / name, sound, RATE, "FLOAT")
    return looks_at(folder / name, about)


# a quiet bed, a strike, a bright rush, another bed; and the same kinds of things in another order,
# of other pitch, level and colour
OLD = scene(
    hiss(2.0, 0.01, 1, dark=True),
    strike(1.5, 220),
    hiss(1.0, 0.1, 2),
    hiss(3.0, 0.01, 3, dark=True),
)
NEW = scene(hiss(1.0, 0.04, 4), hiss(3.3, 0.004, 5, dark=True), hiss(0.7, 0.04, 6), strike(2.0, 330, 0.2),
            hiss(2.0, 0.004, 7, dark=True))  # fmt: skip


def test_a_strike_stands_for_a_strike_to_a_few_milliseconds(tmp_path):
    old, new = looked_at(tmp_path, "old.wav", OLD), looked_at(tmp_path, "new.wav", NEW)
    assert alike_start(old, 2.0, 0.8, new, 0.27) == pytest.approx(5.0, abs=0.012)


def test_a_rush_stands_for_a_rush_and_a_bed_for_a_bed(tmp_path):
    old, new = looked_at(tmp_path, "old.wav", OLD), looked_at(tmp_path, "new.wav", NEW)
    rush = alike_start(old, 3.55, 0.6, new, 0.5)
    assert 0.0 <= rush <= 0.4 or 4.25 <= rush <= 4.4
    bed = alike_start(old, 5.0, 1.5, new, 0.6)
    assert 1.0 <= bed <= 2.8 or bed >= 7.3


def test_in_the_same_recording_every_stretch_is_itself(tmp_path):
    looks = looked_at(tmp_path, "one.wav", OLD)
    for start in (0.0, 1.7, 2.0, 3.125, 5.5):
        assert alike_start(looks, start, 0.9, looks, start / 7.5) == pytest.approx(start, abs=0.051)


def test_where_all_is_alike_it_stays_at_the_same_share(tmp_path):
    old = looked_at(tmp_path, "old.wav", hiss(4.0, 0.1, 1).astype(np.float32))
    new = looked_at(tmp_path, "new.wav", np.zeros(8 * RATE, np.float32))
    assert alike_start(old, 1.0, 1.0, new, 0.5) == pytest.approx(4.0, abs=0.1)


@settings(max_examples=25, deadline=None)
@given(
    st.floats(0.0, 7.4),
    st.floats(0.01, 30.0),
    st.floats(0.0, 1.0),
    st.sampled_from([0.02, 0.3, 2.0]),
)
def test_a_stretch_always_lies_within_the_recording(
    tmp_path_factory, start, length, share, seconds
):
    folder = tmp_path_factory.mktemp("alike")
    old = looked_at(folder, "old.wav", OLD)
    new = looked_at(folder, "new.wav", hiss(seconds, 0.1, 3).astype(np.float32))
    found = alike_start(old, start, length, new, share)
    assert 0.0 <= found <= max(0.0, seconds - length) + 0.051


def test_of_a_long_recording_the_part_about_the_place_is_looked_at(tmp_path):
    long = np.tile(hiss(10.0, 0.05, 1).astype(np.float32), 70)
    looks = looked_at(tmp_path, "long.wav", long, about=0.5)
    assert looks.seconds == pytest.approx(LONGEST_S, abs=0.1)
    assert looks.start_s == pytest.approx(350 - LONGEST_S / 2, abs=0.1)
    assert alike_start(looks, 350.0, 2.0, looks, 0.5) == pytest.approx(350.0, abs=0.051)


def test_a_real_recording_whose_halves_change_places_is_found_again(tmp_path):
    """Of stretches of real recordings, nine of ten are found where they went."""
    hits, tried = 0, 0
    long = [(sound, rate) for sound, rate in effects() if 2.0 <= len(sound) / rate <= 20.0][:12]
    for samples, rate in long:
        half = len(samples) // 2
        sf.write(tmp_path / "one.wav", samples, rate, "FLOAT")
        sf.write(tmp_path / "turned.wav", np.roll(samples, -half, axis=0), rate, "FLOAT")
        old, new = looks_at(tmp_path / "one.wav"), looks_at(tmp_path / "turned.wav")
        seconds = len(samples) / rate
        for share in (0.1, 0.3, 0.6, 0.8):
            start, length = share * seconds, 0.15 * seconds
            found = alike_start(old, start, length, new, share)
            hits += abs(found - (start + seconds / 2) % seconds) < 0.06
            tried += 1
    assert tried >= 20
    assert hits >= 0.9 * tried


def test_two_stretches_of_an_hour_are_each_looked_for_where_they_lie(tmp_path):
    """In one recording of an hour, both are themselves, though no one part holds both."""
    rng = np.random.default_rng(4)
    levels = np.repeat(10 ** rng.uniform(-3, -1, 1_800), 2 * 1_000)
    sf.write(tmp_path / "hour.wav", levels * rng.standard_normal(len(levels)), 1_000, "FLOAT")
    store = {"hour": tmp_path / "hour.wav"}
    looks = LooksOf(store.__getitem__)
    for start in (1_700.0, 1_960.0):
        there = looks("hour", start / 3_600)
        assert alike_start(there, start, 4.0, there, start / 3_600) == pytest.approx(start, abs=0.1)
