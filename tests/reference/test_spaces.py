"""Drive, echo, room, embedding, resonator, hold and scatter: against laws and libraries."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.signal import butter, fftconvolve, sosfilt

from innerbloom.core.dsp.partitioned import Convolver, partitioned
from innerbloom.core.dsp.rates import RATE, TICK
from innerbloom.core.effects import EFFECT_KINDS
from innerbloom.core.materials.protocol import Stretch
from innerbloom.core.materials.response import ResponseRequest
from innerbloom.core.pitch_names import note_to_hz
from innerbloom.core.sound.levels import loudness
from tests.streams import Around, impulse, noise, response_db, through, tone


def aliasing_db(sound: np.ndarray, hz: int) -> float:
    """The strongest of what is no harmonic, below 20 kHz, against the fundamental."""
    spectrum = np.abs(np.fft.rfft(sound[-RATE:, 0]))
    fundamental, harmonics = spectrum[hz], np.arange(0, 24_000, hz)
    spectrum[harmonics] = 0.0
    return float(20 * np.log10(spectrum[:20_000].max() / fundamental))


@pytest.mark.parametrize(
    ("shape", "hardness"), [("saturate", 0), ("saturate", 100), ("fold", 0), ("tape", 0)]
)
@pytest.mark.parametrize("hz", [997, 4_999, 9_973])
def test_drive_folds_nothing_back_above_80_db(shape, hardness, hz):
    made = through("drive", tone(hz, 1.5), shape=shape, hardness=hardness, drive=24)
    assert aliasing_db(made, hz) < -80


def test_drive_keeps_the_peak_of_a_sound_at_12_db_below_full_scale():
    for drive in (0, 12, 36):
        made = through("drive", tone(220, 1.0), drive=drive)[RATE // 2 :]
        assert np.abs(made).max() == pytest.approx(0.25, rel=0.03)


def test_drive_is_late_by_as_many_frames_as_it_says():
    made = through("drive", impulse(0.1, 1e-3), drive=0, mix=0)[:, 0]
    assert int(np.argmax(made)) == EFFECT_KINDS["drive"].make(None).latency
    flat = response_db(made / 1e-3, np.geomspace(30, 19_000, 50))
    assert np.abs(flat).max() < 0.1


def test_tape_has_a_loop_and_the_other_curves_have_none():
    """Hysteresis: at the same input, what comes out differs on the way up and down."""
    slow = tone(20, 1.0, 0.2)
    for shape, loops in (("saturate", False), ("tape", True)):
        made = through("drive", slow, shape=shape, drive=6)[:, 0]
        late, given = made[RATE // 2 + 32 :], slow[RATE // 2 : -32, 0]
        rising = np.gradient(given) > 0
        near = np.abs(given) < 0.01
        apart = abs(late[near & rising].mean() - late[near & ~rising].mean())
        assert (apart > 0.02) == loops


def test_low_harmonics_stand_above_the_corner_where_the_low_tone_does_not():
    """Larsen and Aarts 2002: a missing fundamental is heard by its harmonics."""
    made = through("harmonics", tone(40, 2.0), lows=-60, odd=50)[RATE:, 0]
    spectrum = 20 * np.log10(np.abs(np.fft.rfft(made)) + 1e-9)
    assert spectrum[40] < spectrum[[80, 120, 160]].max() - 15
    made = through("harmonics", tone(400, 1.0), corner=60)[RATE // 2 :]
    np.testing.assert_allclose(np.abs(made).max(), 0.25, rtol=0.02)


# -- echo ---------------------------------------------------------------------------------------


@pytest.mark.parametrize("milliseconds", [1.0, 10.0, 250.0, 1_000.0, 4_000.0])
def test_an_echo_comes_to_the_sample(milliseconds):
    made = through("echo", impulse(4.2), time=milliseconds, feedback=0, mix=100)[:, 0]
    assert int(np.argmax(np.abs(made))) == round(0.001 * milliseconds * RATE)
    assert np.abs(made).max() == pytest.approx(1.0, abs=1e-3)


def test_echoes_in_beats_follow_the_tempo():
    made = through(
        "echo",
        impulse(1.0),
        clock="beats",
        beats=0.5,
        around=Around(beat_s=60 / 90),
        feedback=0,
        mix=100,
    )
    assert int(np.argmax(made[:, 0])) == RATE // 3


def test_each_round_is_quieter_by_the_feedback_and_ping_pong_changes_sides():
    settings = {"time": 100, "feedback": 50, "mix": 100, "low_cut": 20, "high_cut": 20_000}
    sound = np.stack([tone(1_000, 0.02)[:, 0], tone(1_000, 0.02)[:, 0]], axis=1)
    padded = np.concatenate((sound, np.zeros((RATE, 2), np.float32)))
    both = np.abs(through("echo", padded, **settings)).reshape(-1, 2)
    peaks = [both[n * RATE // 10 : n * RATE // 10 + 960].max() for n in range(1, 5)]
    ratios = np.array(peaks[1:]) / np.array(peaks[:-1])
    np.testing.assert_allclose(ratios, 0.5, atol=0.03)
    sides = np.abs(through("echo", padded, sides="ping-pong", **settings))
    first, second = (sides[n * RATE // 10 : n * RATE // 10 + 960].max(axis=0) for n in (1, 2))
    assert first[0] > 20 * first[1]
    assert second[1] > 20 * second[0]


def test_feedback_above_100_grows_and_is_held_and_what_is_frozen_stays():
    sound = np.concatenate((noise(0.1, 0.3), np.zeros((20 * RATE, 2), np.float32)))
    grown = through("echo", sound, time=60, feedback=120, mix=100)
    assert 0.5 < np.abs(grown[-RATE:]).max() < 4.0
    frozen = through("echo", sound[: 6 * RATE], time=100, feedback=0, mix=100, high_cut=2_000,
                     moved=lambda at: {"freeze": 100.0 if at > 0.1 else 0.0})  # fmt: skip
    rms = [float(frozen[n * RATE // 10 :][: RATE // 10].std()) for n in range(10, 50)]
    assert max(rms) / min(rms) < 1.01
    assert min(rms) > 0.05


# -- room -----------------------------------------------------------------------------------------


def t20(response: np.ndarray, hz: float) -> float:
    """Seconds of decay by 60 dB, from -5 to -25 dB of the octave's backward integral: ISO 3382.

    Channels are two places in the room, whose energies are averaged as the standard has it; the
    octave is filtered backward in time, so that its own ringing counts least (F. Jacobsen and
    J. H. Rindel, "Time reversed decay measurements", Journal of Sound and Vibration 117, 1987).
    """
    octave = butter(3, (hz / 2**0.5, hz * 2**0.5), "band", fs=RATE, output="sos")
    squares = (
        (sosfilt(octave, response[::-1], axis=0)[::-1] ** 2).reshape(len(response), -1).sum(axis=1)
    )
    energy = np.cumsum(squares[::-1])[::-1]
    level = 10 * np.log10(energy / energy[0] + 1e-30)
    first, last = np.argmax(level < -5), np.argmax(level < -25)
    slope = np.polyfit(np.arange(first, last) / RATE, level[first:last], 1)[0]
    return float(-60 / slope)


def room(seconds: float, **settings: float) -> np.ndarray:
    return through("room", impulse(seconds), mix=100, early=-40, **settings)


@pytest.mark.parametrize(
    ("size", "decay", "low", "high"),
    [(14, 2_200, 115, 60), (5, 600, 100, 100), (30, 4_000, 130, 40), (10, 1_000, 60, 120)],
)
def test_a_room_dies_away_as_it_is_set_to(size, decay, low, high):
    """Within 10 % at 125 Hz, 1 kHz and 4 kHz."""
    seconds = 0.001 * decay
    made = room(2 * seconds + 1, size=size, decay=decay, low=low, high=high)
    for hz, share in ((125, low), (1_000, 100), (4_000, high)):
        assert t20(made, hz) == pytest.approx(0.01 * share * seconds, rel=0.1), hz


def test_echoes_of_a_hall_grow_dense_within_a_tenth_of_a_second():
    """Abel and Huang 2006: the share of samples beyond a standard deviation, 1 for noise."""
    made = room(1.0, size=14, decay=2_200)[:, 0]
    window = np.hanning(1_920)
    window /= window.sum()

    def density(at_s: float) -> float:
        piece = made[round(at_s * RATE) - 960 :][:1_920]
        beyond = np.abs(piece) > np.sqrt((window * piece**2).sum())
        return float((window * beyond).sum() / 0.3173)

    assert density(0.1) > 0.9
    assert density(0.3) > 0.9


def test_no_mode_of_a_room_rings_on_above_its_neighbours():
    """After half a second, no bin of 1 Hz stands 6 dB above what surrounds it in a third of an
    octave, against what noise does there."""
    made = room(3.0, size=14, decay=4_000)[:, 0]
    late = made[RATE // 2 :][: 2 * RATE]
    shaped = late * np.exp(6.9 * np.arange(len(late)) / RATE / 4.0)

    def worst(sound: np.ndarray) -> float:
        power = np.abs(np.fft.rfft(sound * np.hanning(len(sound)))) ** 2
        hz = np.fft.rfftfreq(len(sound), 1 / RATE)
        found = []
        for centre in 1_000.0 * 2.0 ** (np.arange(-9, 9) / 3):
            band = power[(hz > centre * 2 ** (-1 / 6)) & (hz < centre * 2 ** (1 / 6))]
            found.append(10 * np.log10(band.max() / band.mean()) - 10 * np.log10(np.log(len(band))))
        return max(found)

    rng = np.random.default_rng(2)
    assert worst(shaped) < worst(rng.standard_normal(len(late))) + 6


def test_a_frozen_room_stays_and_a_body_is_gone_in_no_time():
    sound = np.concatenate((noise(0.5), np.zeros((8 * RATE, 2), np.float32)))
    frozen = through(
        "room", sound, mix=100, size=10, moved=lambda at: {"freeze": 100.0 * (at > 0.5)}
    )
    rms = [float(frozen[n * RATE :][:RATE].std()) for n in range(2, 8)]
    assert max(rms) / min(rms) < 1.12
    body = through("room", impulse(0.5), mix=100, size=1, decay=20, pre_delay=0)
    energy = np.cumsum((body**2).sum(axis=1))
    assert np.argmax(energy > 0.999 * energy[-1]) < 0.12 * RATE


# -- embedding ------------------------------------------------------------------------------------


@pytest.mark.parametrize("frames", [1, 100, 256, 257, 8_192, 8_193, 33_000, 480_000])
def test_convolution_is_that_of_scipy(frames):
    """scipy.signal.fftconvolve, whatever the length, the cutting, and where time begins."""
    rng = np.random.default_rng(frames)
    response = rng.standard_normal((frames, 2)) * np.exp(-4 * np.arange(frames) / frames)[:, None]
    sound = noise(1.0)
    for first, cuts in ((0, (4,)), (37, (1, 3, 2))):
        convolver, out, done, turn = Convolver(partitioned(response.astype(np.float32))), [], 0, 0
        while done < RATE // TICK:
            ticks = min(cuts[turn % len(cuts)], RATE // TICK - done)
            piece = sound[done * TICK : (done + ticks) * TICK]
            out.append(convolver.process(piece, first + done).T)
            done, turn = done + ticks, turn + 1
        wanted = fftconvolve(sound.astype(np.float64), response, axes=0)[:RATE]
        amiss = np.concatenate(out) - wanted
        assert 10 * np.log10((amiss**2).mean() / (wanted**2).mean()) < -110


def embedded(sound: np.ndarray, **settings: object) -> np.ndarray:
    request = ResponseRequest(Stretch(path="x.wav"), **settings)
    made = request.samples(sound, RATE)
    assert made is not None
    return made


def test_whatever_is_embedded_comes_out_as_loud():
    """Pink noise in, loudness by BS.1770 the same within 2 LU."""
    rng = np.random.default_rng(5)
    spectrum = np.fft.rfft(rng.standard_normal((4 * RATE, 2)), axis=0)
    spectrum[1:] /= np.sqrt(np.arange(1, len(spectrum)))[:, None]
    pink = np.fft.irfft(spectrum, axis=0)
    pink = (0.1 * pink / pink.std()).astype(np.float32)
    for response in (impulse(0.01), noise(2.0), 0.001 * noise(0.3), noise(1.0).cumsum(axis=0)):
        made = partitioned(embedded(response.astype(np.float32)))
        wet = through("embed", pink, made=made, wet=0, dry=-60)[RATE:]
        assert loudness(wet, RATE) == pytest.approx(loudness(pink[RATE:], RATE), abs=2.0)


def test_what_is_embedded_is_read_as_it_is_set():
    ramp = np.linspace(1, 0, RATE, dtype=np.float32)[:, None] * noise(1.0)
    assert len(embedded(ramp, speed=2.0)) == RATE // 2
    assert len(embedded(ramp, length=2.0)) == pytest.approx(2 * RATE, abs=64)
    energy = np.cumsum(embedded(ramp, reverse=True) ** 2)
    assert energy[len(energy) // 2] < 0.3 * energy[-1]
    drawn = embedded(ramp, level=((0.0, 0.0), (1.0, 1.0)))
    assert np.abs(drawn[:480]).max() < 0.1 * np.abs(drawn).max()
    bright, dark = (np.diff(embedded(ramp, tilt_db=db), axis=0).std() for db in (4.0, -4.0))
    assert bright > 3 * dark
    long = noise(60.0)
    assert len(embedded(long)) == 10 * RATE


def test_a_silent_sound_a_missing_one_and_a_single_sample_do_no_harm():
    sound = noise(0.3)
    silent = ResponseRequest(Stretch(path="x.wav")).samples(np.zeros((100, 1), np.float32), RATE)
    assert silent is None
    np.testing.assert_array_equal(through("embed", sound, made=None), sound)
    one = partitioned(embedded(np.full((1, 1), 0.3, np.float32)))
    made = through("embed", sound, made=one, wet=0, dry=-60)
    np.testing.assert_allclose(made, sound, atol=1e-5)


# -- resonator, hold, scatter -----------------------------------------------------------------------


def test_a_resonator_rings_at_its_scale_and_as_long_as_it_is_set():
    made = through("resonator", impulse(4.0), tuned="a scale", steps="major chord", root=57, modes=3,
                   decay=1_500, damping=0, mix=100, spread=0)  # fmt: skip
    spectrum = np.abs(np.fft.rfft(made[:, 0]))
    hz = np.fft.rfftfreq(len(made), 1 / RATE)
    for note in (57, 61, 64):
        near = np.abs(hz - note_to_hz(note)) < 12
        assert hz[near][np.argmax(spectrum[near])] == pytest.approx(note_to_hz(note), abs=0.5)
    assert t20(made[:, 0], note_to_hz(57)) == pytest.approx(1.5, rel=0.1)


def test_a_resonator_follows_the_keys_that_are_down_and_a_sounds_partials():
    made = through(
        "resonator", noise(1.0), tuned="the keys", around=Around(keys=(45.0,)), modes=1, mix=100
    )
    spectrum = np.abs(np.fft.rfft(made[RATE // 2 :, 0]))
    assert np.argmax(spectrum) * 2 == pytest.approx(110, abs=2)
    made = through("resonator", noise(1.0), made=np.array([500.0, 777.0]), tuned="a sound", mix=100)
    spectrum = np.abs(np.fft.rfft(made[:, 0]))
    assert set(np.round(np.sort(np.argsort(spectrum)[-2:]), -1)) <= {500, 780}


def test_what_is_held_keeps_level_and_pitch_after_the_sound_has_gone():
    sound = np.concatenate((tone(441, 1.0), np.zeros((4 * RATE, 2), np.float32)))
    made = through("hold", sound, stir=0, blur=0, mix=100,
                   moved=lambda at: {"hold": 100.0 if at > 0.9 else 60.0})  # fmt: skip
    late = made[2 * RATE :, 0]
    assert 20 * np.log10(late.std() / tone(441, 1.0).std()) == pytest.approx(0, abs=2)
    spectrum = np.abs(np.fft.rfft(late[: 2 * RATE] * np.hanning(2 * RATE)))
    assert np.argmax(spectrum) / 2 == pytest.approx(441, abs=1)


@pytest.mark.parametrize("hold", [0, 80, 100])
@pytest.mark.parametrize("stir", [0, 25])
def test_what_is_held_begins_without_a_peak_of_its_own(hold, stir):
    """Bins that all began with the same phase added up to a click, ten times the level of the sound."""
    sound = noise(1.0, 0.1)
    held = through("hold", sound, hold=hold, stir=stir, blur=0, mix=100)
    assert np.abs(held).max() < 1.3 * np.abs(sound).max()


def test_stirring_spreads_what_is_held():
    widths = []
    for stir in (0, 100):
        made = through("hold", tone(441, 3.0), hold=100, stir=stir, blur=0, mix=100)[RATE:, 0]
        power = np.abs(np.fft.rfft(made * np.hanning(len(made)))) ** 2
        widths.append(float((power > 0.01 * power.max()).sum()))
    assert widths[1] > 3 * widths[0]


def test_grains_play_what_was_heard_as_far_back_and_at_the_pitch_that_is_set():
    sound = np.concatenate((tone(1_000, 0.5), tone(300, 0.5), np.zeros((RATE, 2), np.float32)))
    made = through("scatter", sound, back=700, back_scatter=0, size=80, density=60, regularity=100,
                   pitch=12, mix=100, width=0)[RATE : RATE + RATE // 8, 0]  # fmt: skip
    spectrum = np.abs(np.fft.rfft(made * np.hanning(len(made)), RATE))
    assert np.argmax(spectrum) == pytest.approx(2_000, abs=30)


def test_grains_of_what_is_frozen_go_on_for_ever_without_holes():
    sound = np.concatenate((noise(2.0), np.zeros((8 * RATE, 2), np.float32)))
    made = through("scatter", sound, back=700, size=300, density=40, mix=100,
                   moved=lambda at: {"freeze": 100.0 * (at > 1.9)})  # fmt: skip
    late = np.sqrt((made[3 * RATE :] ** 2).reshape(-1, RATE // 20, 2).mean(axis=(1, 2)))
    assert 20 * np.log10(late.min() / late.mean()) > -12
