"""Loops that close, onsets where sounds begin, the smpl chunk, noise and loudness."""

from __future__ import annotations

import struct

import numpy as np
import pytest
import soundfile as sf
from hypothesis import given
from hypothesis import strategies as st
from wavinfo import WavInfoReader

from innerbloom.core.analysis.loops import find_loops
from innerbloom.core.analysis.mono import one_channel
from innerbloom.core.analysis.onsets import OnsetCollector, onset_strength, pick_onsets
from innerbloom.core.errors import BloomError
from innerbloom.core.process.denoise import learn_noise, quieten
from innerbloom.core.process.loop import (
    bake_crossfade,
    check_loop,
    offers_for_crossfade,
    played,
    room_for_crossfade,
)
from innerbloom.core.process.seams import seam_of, zero_crossing
from innerbloom.core.sound.loop import Loop
from innerbloom.core.sound.sampler import add_sampler, read_sampler
from innerbloom.demo.recordings import RECORDINGS, synthesise
from tests.sounds import RATE, db, gliding_tone, shaped

RNG = np.random.default_rng(12)


# -- loops ------------------------------------------------------------------------------


def spectral_flux(samples: np.ndarray, at: int, reach: int = 24) -> tuple[float, np.ndarray]:
    """Rise of the magnitude spectrum about a frame, and everywhere else."""
    hop, length = 256, 1024
    frames = np.lib.stride_tricks.sliding_window_view(samples, length)[::hop] * np.hanning(length)
    rise = np.diff(np.abs(np.fft.rfft(frames, axis=1)), axis=0)
    flux = np.maximum(rise, 0).sum(axis=1)
    centre = (at - length // 2) // hop
    near = flux[max(0, centre - 3) : centre + 4].max()
    return float(near), flux


@pytest.mark.parametrize("recording", RECORDINGS, ids=lambda one: one.stem)
def test_best_loop_of_every_demo_recording_closes(recording):
    """No step at the seam larger than the recording's own; no flux peak above its 95th per cent."""
    samples = synthesise(recording).astype(np.float32)
    rate = recording.rate
    found, tried = find_loops(samples, rate)
    assert found
    assert tried >= len(found)
    best = found[0]
    loop = Loop(best.start, best.end)
    baked = bake_crossfade(samples, loop, best.crossfade, best.curve)
    turn = one_channel(baked)[best.start : best.end].astype(float)
    assert abs(turn[0] - turn[-1]) <= np.abs(np.diff(one_channel(samples))).max()
    heard = np.concatenate((turn, turn))
    near, flux = spectral_flux(heard, len(turn))
    assert near <= max(np.percentile(flux, 95), 1e-9) * 1.02


@pytest.mark.parametrize("hz", [82.41, 196.0, 523.25])
def test_a_loop_of_a_tone_holds_whole_periods(hz):
    """Equal temperament: E2, G3, C5. The loop's length is a whole number of periods."""
    tone = shaped(gliding_tone(np.full(2 * RATE, hz)))
    best = find_loops(tone, RATE)[0][0]
    periods = (best.end - best.start) * hz / RATE
    assert abs(periods - round(periods)) < 0.02 * max(1.0, hz / 400)
    assert best.closes > 0.9
    assert best.curve == "linear"


def test_noise_is_crossfaded_at_equal_power():
    best = find_loops(shaped(0.1 * RNG.standard_normal(3 * RATE)), RATE)[0][0]
    assert best.curve == "equal power"
    assert best.crossfade > 0.1 * RATE


def test_crossfades_keep_the_level_of_noise():
    """Unlike sides add in power (Fink, Holters & Zölzer 2016): linear gains alone dip by 3 dB."""
    noise = shaped(0.1 * RNG.standard_normal(4 * RATE))
    loop, fade = Loop(2 * RATE, 4 * RATE), RATE
    middle = slice(4 * RATE - int(0.6 * fade), 4 * RATE - int(0.4 * fade))
    for curve in ("equal power", "linear"):
        out = bake_crossfade(noise, loop, fade, curve)
        assert db(np.std(out[middle]) / 0.1) == pytest.approx(0.0, abs=0.4)


@given(
    start=st.integers(0, 900), length=st.integers(2, 900), fade=st.integers(0, 900),
    direction=st.sampled_from(["forward", "backward", "back-and-forth"]),
    curve=st.sampled_from(["linear", "equal power"]),
)  # fmt: skip
def test_a_baked_seam_goes_on_as_the_recording_did(start, length, fade, direction, curve):
    """Property: where a full crossfade ends, the next sample is what followed it before."""
    samples = shaped(np.random.default_rng(3).standard_normal(2_000))
    end = start + length
    loop = Loop(start, end, direction)
    if fade > length:
        with pytest.raises(BloomError, match="longer than the loop"):
            bake_crossfade(samples, loop, fade, curve)
        return
    out = bake_crossfade(samples, loop, fade, curve)
    assert out.shape == samples.shape
    assert np.array_equal(out[:start], samples[:start])
    assert np.array_equal(out[end:], samples[end:])
    if fade == 0 or direction == "back-and-forth":
        assert np.array_equal(out, samples)
    elif direction == "forward" and 0 < fade <= start:
        share = 0.5 / fade
        assert abs(out[end - 1, 0] - samples[start - 1, 0]) <= 8 * max(
            share, np.sqrt(share) ** 2 * 2
        )


def test_zero_crossfade_is_possible_and_clicks():
    ramp = shaped(np.linspace(-0.5, 0.5, 4_000))
    clicking = seam_of(ramp, RATE, Loop(500, 3_000), 0, "linear", 200)
    smooth = seam_of(ramp, RATE, Loop(500, 3_000), 400, "linear", 200)
    assert clicking.step > 100
    assert smooth.step < 10
    assert smooth.room == 500


def test_a_back_and_forth_loop_is_judged_where_it_turns():
    """Mirrored at a crest a sine goes on; mirrored on its steepest slope it bends most."""
    t = np.arange(RATE)
    sine = shaped(np.cos(2 * np.pi * 100 * t / RATE))
    period = RATE // 100
    crest = seam_of(
        sine, RATE, Loop(10 * period, 40 * period + 1, "back-and-forth"), 0, "linear", 200
    )
    slope = 10 * period + period // 4
    steep = seam_of(sine, RATE, Loop(slope, 40 * period + 1, "back-and-forth"), 0, "linear", 200)
    assert crest.step < 0.05
    assert crest.judged.closes > 0.95
    assert (steep.turn, round(steep.step, 1)) == ("start", 2.0)
    # what is heard comes back the way it went
    assert np.allclose(crest.heard[1:], crest.heard[:0:-1], atol=1e-6)


@given(
    frames=st.integers(200, 2_000), start=st.integers(0, 1_900), length=st.integers(2, 1_900),
    fade=st.integers(1, 1_900), way=st.sampled_from(["forward", "backward", "back-and-forth"]),
)  # fmt: skip
def test_offered_loops_have_room_for_the_crossfade(frames, start, length, fade, way):
    """Invariant: whatever is offered lies in the sound, and its crossfade is not cut short."""
    loop = Loop(min(start, frames - 2), min(start + length, frames), way)
    if loop.end - loop.start < 2:
        return
    offers = offers_for_crossfade(frames, loop, fade)
    for one in (offers.moved, offers.shortened):
        if one is not None:
            check_loop(frames, one, fade)
            assert room_for_crossfade(frames, one) >= fade > room_for_crossfade(frames, loop)
    if offers.moved is not None:
        assert offers.moved.end - offers.moved.start == loop.end - loop.start


@pytest.mark.parametrize(
    ("loop", "words"),
    [(Loop(0, 1), "at least 2 samples"), (Loop(10, 9_000), "outside"), (Loop(50, 20), "outside")],
)
def test_bad_loops_are_refused(loop, words):
    with pytest.raises(BloomError, match=words):
        bake_crossfade(shaped(np.zeros(1_000)), loop, 0, "linear")


def test_silence_and_shortness_have_no_loops():
    with pytest.raises(BloomError, match="silence"):
        find_loops(shaped(np.zeros(RATE)), RATE)
    with pytest.raises(BloomError, match="too short"):
        find_loops(shaped(RNG.standard_normal(1_000)), RATE)


def test_playing_directions():
    ramp = shaped(np.arange(10.0))
    line = lambda loop: played(ramp, loop, 12, 1)[:, 0].tolist()  # noqa: E731
    assert line(Loop(2, 5)) == [0, 1, 2, 3, 4, 2, 3, 4, 2, 3, 4, 2]
    assert line(Loop(2, 5, "backward")) == [0, 1, 2, 3, 4, 4, 3, 2, 4, 3, 2, 4]
    assert line(Loop(2, 5, "back-and-forth")) == [0, 1, 2, 3, 4, 3, 2, 3, 4, 3, 2, 3]


def test_zero_crossings():
    wave = shaped(np.sin(2 * np.pi * np.arange(1_000) / 100 + 0.01))
    assert zero_crossing(wave, 120) == 100
    assert zero_crossing(wave, 120, 1) == 150
    assert zero_crossing(wave, 120, -1) == 100
    assert zero_crossing(shaped(np.ones(50)), 20) == 20


# -- the smpl chunk ---------------------------------------------------------------------


@pytest.mark.parametrize("direction", ["forward", "backward", "back-and-forth"])
def test_smpl_round_trip_and_layout(tmp_path, direction):
    """RIFF MCI 1.0, 1994 rev. 3, from memory: 9 words, 24 bytes a loop, end inclusive, fraction
    0x80000000 = 50 cents, types 0 forward, 1 alternating, 2 backward."""
    path = tmp_path / "loop.wav"
    sf.write(path, np.zeros(1_001), 44_100, subtype="PCM_24")
    add_sampler(path, 44_100, 57.5, Loop(100, 900, direction))
    found = read_sampler(path)
    assert found is not None
    assert found.root == pytest.approx(57.5)
    assert found.loops == (Loop(100, 900, direction),)
    data = path.read_bytes()
    at = data.index(b"smpl")
    words = struct.unpack("<9I", data[at + 8 : at + 44])
    assert words[2:5] == (round(1e9 / 44_100), 57, 0x80000000)
    assert words[7] == 1
    kind = {"forward": 0, "back-and-forth": 1, "backward": 2}[direction]
    assert struct.unpack("<6I", data[at + 44 : at + 68])[1:5] == (kind, 100, 899, 0)
    assert struct.unpack("<I", data[4:8])[0] == len(data) - 8
    assert sf.info(path).frames == 1_001


def test_smpl_is_read_alike_by_wavinfo(tmp_path):
    path = tmp_path / "loop.wav"
    sf.write(path, np.zeros(1_000), RATE, subtype="PCM_16")
    add_sampler(path, RATE, 60.0, Loop(5, 105))
    smpl = WavInfoReader(str(path)).smpl
    assert smpl.midi_note == 60
    assert [(one.start, one.end) for one in smpl.sample_loops] == [(5, 104)]


@pytest.mark.parametrize("data", [b"", b"smpl", b"\xff" * 35, b"\x00" * 36, b"\xff" * 200])
def test_damaged_smpl_chunks_are_survived(tmp_path, data):
    path = tmp_path / "damaged.wav"
    sf.write(path, np.zeros(100), RATE, subtype="PCM_16")
    with path.open("ab") as file:
        file.write(b"smpl" + struct.pack("<I", len(data)) + data)
    found = read_sampler(path)
    assert found is None or all(one.end > one.start for one in found.loops)


# -- onsets -----------------------------------------------------------------------------


def click_track(moments: np.ndarray, seconds: float) -> np.ndarray:
    out = 1e-4 * RNG.standard_normal(round(seconds * RATE))
    for moment in moments:
        n, start = round(0.05 * RATE), round(moment * RATE)
        burst = RNG.standard_normal(n) * np.exp(-np.arange(n) / (0.01 * RATE))
        out[start : start + n] += 10 ** RNG.uniform(-1.2, -0.4) * burst
    return shaped(out)


def test_onsets_of_a_click_track():
    """A synthetic click track: every click within 8 ms, and few besides."""
    moments = np.cumsum(RNG.uniform(0.15, 0.5, 24))
    samples = click_track(moments, moments[-1] + 0.3)
    found = pick_onsets(onset_strength(samples, RATE), 0.4)
    assert max(np.abs(found - moment).min() for moment in moments) < 0.008
    assert len(found) <= len(moments) + 3


def test_vibrato_is_not_a_beginning():
    t = np.arange(4 * RATE) / RATE
    sung = shaped(gliding_tone(330 * 2 ** (0.5 / 12 * np.sin(2 * np.pi * 6 * t))))
    assert len(pick_onsets(onset_strength(sung, RATE), 0.5)) <= 1


@given(st.floats(0, 1), st.floats(0, 1))
def test_more_sensitivity_never_finds_less(one, other):
    moments = np.array([0.3, 0.8, 1.1, 1.6])
    strength = onset_strength(CLICKS, RATE)
    low, high = sorted((one, other))
    assert len(pick_onsets(strength, low)) <= len(pick_onsets(strength, high)) + len(moments)
    assert len(pick_onsets(strength, 0.0)) <= len(pick_onsets(strength, 1.0))


CLICKS = click_track(np.array([0.3, 0.8, 1.1, 1.6]), 2.0)


@given(st.lists(st.integers(1, 30_000), min_size=1, max_size=6))
def test_onset_strength_does_not_depend_on_blocks(cuts):
    collector = OnsetCollector(RATE)
    at = 0
    for cut in [*cuts, len(CLICKS)]:
        if at < len(CLICKS):
            collector.feed(CLICKS[at : at + cut])
            at += cut
    whole = onset_strength(CLICKS, RATE)
    assert np.allclose(collector.strength().values, whole.values, atol=2e-3)


# -- noise ------------------------------------------------------------------------------


def kurtosis(samples: np.ndarray) -> float:
    """Of spectral magnitudes: lone bins that flicker (musical noise) raise it."""
    frames = np.lib.stride_tricks.sliding_window_view(samples, 1024)[::512] * np.hanning(1024)
    power = np.abs(np.fft.rfft(frames, axis=1))[:, 8:-8] ** 2
    return float(np.mean(np.mean(power**2, axis=0) / np.mean(power, axis=0) ** 2))


def test_noise_goes_down_to_the_floor_without_musical_noise():
    """Log kurtosis ratio of Uemura et al. 2008 (IWAENC), from memory: near 0 is no warble."""
    noise = shaped(0.02 * RNG.standard_normal(4 * RATE))
    tone = np.zeros(4 * RATE)
    tone[RATE : 3 * RATE] = 0.2 * np.sin(2 * np.pi * 440 * np.arange(2 * RATE) / RATE)
    out = quieten(noise + shaped(tone), RATE, learn_noise(noise[: RATE // 2], RATE), floor_db=-15)
    left = out[int(3.3 * RATE) :, 0]
    assert db(np.std(left) / 0.02) == pytest.approx(-15, abs=1)
    ratio = np.log(kurtosis(left) / kurtosis(noise[int(3.3 * RATE) :, 0]))
    assert abs(ratio) < 0.35
    middle = slice(int(1.5 * RATE), int(2.5 * RATE))
    assert np.std(out[middle, 0] - tone[middle]) < 0.5 * 0.02


def test_demo_rain_does_not_warble():
    rain = next(one for one in RECORDINGS if one.stem == "rain-on-glass")
    samples = synthesise(rain).astype(np.float32)[: 6 * rain.rate]
    quiet = samples[2 * rain.rate : int(2.6 * rain.rate)]
    out = quieten(samples, rain.rate, learn_noise(quiet, rain.rate), amount=1.2, floor_db=-12)
    before, after = (kurtosis(x[rain.rate :, 0]) for x in (samples, out))
    # drops stand out more once the hiss is lower; lone bins that flicker would raise it manyfold
    assert np.log(after / before) < 1.6


def test_learning_needs_sound():
    with pytest.raises(BloomError, match="too short"):
        learn_noise(shaped(RNG.standard_normal(100)), RATE)
    with pytest.raises(BloomError, match="silent"):
        learn_noise(shaped(np.zeros(RATE)), RATE)
