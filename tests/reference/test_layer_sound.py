"""The sound of layers against published laws: series, Bessel functions, prototypes, loudness."""

from __future__ import annotations

import numpy as np
import pyloudnorm
import pytest
from scipy.signal import butter, freqs, freqs_zpk
from scipy.special import jv

from innerbloom.core.dsp.filter import set_section
from innerbloom.core.engine.kernels.finish import UNIT
from innerbloom.core.performance.events import Event
from tests.engines import (
    RATE,
    click_db,
    layered,
    material_of,
    move,
    play,
    program_of,
    sine,
    strongest_hz,
)

TONE = material_of(sine(440.0, 4.0))
ON = [Event("on", 1, 69.0, 1.0)]


def heard(document, seconds=1.5, key=69.0, material=TONE, velocity=1.0):
    return play(program_of(document, material), seconds, [Event("on", 1, key, velocity)])


def level_at(samples: np.ndarray, hz: float) -> float:
    """Amplitude of the component at a frequency, over a whole second of mono."""
    t = np.arange(len(samples)) / RATE
    return float(2 * abs(np.mean(samples * np.exp(-2j * np.pi * hz * t))))


def db(ratio: float) -> float:
    return float(20 * np.log10(max(ratio, 1e-12)))


def lufs(sound: np.ndarray) -> float:
    return float(pyloudnorm.Meter(RATE, filter_class="DeMan").integrated_loudness(sound))


# -- waves -----------------------------------------------------------------------


@pytest.mark.parametrize(
    ("shape", "harmonic"),
    [
        ("saw", lambda k: 2 / (np.pi * k)),
        ("pulse", lambda k: 4 / (np.pi * k) if k % 2 else 0.0),
        ("triangle", lambda k: 8 / (np.pi * k) ** 2 if k % 2 else 0.0),
        ("sine", lambda k: float(k == 1)),
    ],
)
def test_plain_waves_have_their_fourier_series(shape, harmonic):
    """Fourier series: saw 2/(pi k), square 4/(pi k) odd, triangle 8/(pi k)^2 odd."""
    sound = heard(layered({"kind": "wave", "shape": shape}), key=57.0)[RATE // 2 :, 0]
    for k in range(1, 12):
        found = level_at(sound[:RATE], 220.0 * k) / UNIT
        assert found == pytest.approx(harmonic(k), abs=2e-4)


@pytest.mark.parametrize("shape", ["saw", "pulse", "triangle"])
@pytest.mark.parametrize("hz", [110.3, 441.7, 1_763.9, 3_520.3, 4_990.7])
def test_waves_alias_80_db_below_their_fundamental(shape, hz):
    """Everything that is no harmonic counts; the window's own leakage is left out."""
    key = 69 + 12 * np.log2(hz / 440.0)
    width = {"width": 30} if shape == "pulse" else {}
    sound = heard(layered({"kind": "wave", "shape": shape, **width}), seconds=2.5, key=key)
    held = sound[RATE // 2 : RATE // 2 + 65_536, 0]
    spectrum = np.abs(np.fft.rfft(held * np.blackman(len(held)) ** 2))
    at = np.fft.rfftfreq(len(held), 1 / RATE)
    off = np.abs(at / hz - np.round(at / hz)) * hz
    spurious = spectrum[(off > 12) & (at > 20)].max() if hz > 30 else 0.0
    assert db(spurious / spectrum.max()) < -80


@pytest.mark.parametrize("index", [0.1, 0.5, 1.0, 2.404826, 5.0])
def test_phase_modulation_has_bessel_sidebands(index):
    """Chowning 1973: J_n(I) at carrier +/- n times the modulator; within 0.5 dB down to -60 dB."""
    carrier, modulator = 1_760.0, 220.0
    document = layered(
        {"kind": "wave"},
        {"kind": "wave", "octave": -3, "link": "phase", "link_amount": index, "level": -60},
    )
    sound = heard(document, seconds=2.0, key=93.0)[RATE // 2 : RATE // 2 + RATE, 0]
    for n in range(-6, 7):
        expected = abs(jv(n, index)) * UNIT
        if db(expected / UNIT) > -60:
            found = level_at(sound, carrier + n * modulator)
            assert db(found / expected) == pytest.approx(0.0, abs=0.5)
    if index == 2.404826:
        assert db(level_at(sound, carrier) / UNIT) < -55


def test_rate_modulation_is_frequency_modulation():
    """A deviation of d Hz at f Hz is an index of d / f (Chowning 1973)."""
    document = layered(
        {"kind": "wave"},
        {"kind": "wave", "octave": -3, "link": "rate", "link_amount": 0.25, "level": -60},
    )
    sound = heard(document, seconds=2.0, key=93.0)[RATE // 2 : RATE // 2 + RATE, 0]
    index = 0.25 * 1_760.0 / 220.0
    for n in range(4):
        expected = abs(jv(n, index)) * UNIT
        assert db(level_at(sound, 1_760.0 + n * 220.0) / expected) == pytest.approx(0, abs=0.5)


@pytest.mark.parametrize("kind", ["loop", "cloud"])
def test_recordings_are_moved_like_waves(kind):
    """A sine read from a recording, its phase moved by a radian, has the same sidebands."""
    reader = {
        "loop": {"loop": "off"},
        "cloud": {
            "size": 2_000,
            "density": 0.5,
            "softness": 0,
            "regularity": 100,
            "position": 50,
            "position_scatter": 0,
            "pitch_scatter": 0,
            "stereo_scatter": 0,
            "level_scatter": 0,
        },
    }[kind]
    high = material_of(sine(1_760.0, 4.0))
    document = layered(
        {"kind": kind, "sounds": [{"path": "a.wav", "root": 93}], **reader},
        {"kind": "wave", "octave": -3, "link": "phase", "link_amount": 1.0, "level": -60},
    )
    sound = heard(document, seconds=1.9, key=93.0, material=high)[RATE // 4 : RATE // 4 + RATE, 0]
    base = level_at(sound, 1_760.0) / jv(0, 1.0)
    for n in (-2, -1, 1, 2):
        found = level_at(sound, 1_760.0 + n * 220.0) / base
        assert db(found / abs(jv(n, 1.0))) == pytest.approx(0.0, abs=0.5)


@pytest.mark.parametrize("shape", ["sine", "saw"])
def test_loudness_is_held_over_the_whole_amount(shape):
    """Within 1.5 LU (BS.1770, by pyloudnorm) of the unmoved layer."""
    loudness = []
    for amount in (0.0, 0.5, 1.0, 2.0, 4.0, 8.0, 16.0, 24.0):
        document = layered(
            {"kind": "wave", "shape": shape, "loudness_hold": "on"},
            {"kind": "wave", "octave": 1, "fine": 7, "link": "phase", "link_amount": amount,
             "level": -60},
        )  # fmt: skip
        loudness.append(lufs(heard(document, seconds=3.0, key=45.0)[RATE:]))
    assert np.ptp(loudness) < 1.5
    free = layered({"kind": "wave", "shape": shape},
                   {"kind": "wave", "octave": 1, "link": "phase", "link_amount": 8.0, "level": -60})  # fmt: skip
    # without the hold it does get louder, or the test would say nothing
    assert abs(lufs(heard(free, seconds=3.0, key=45.0)[RATE:]) - loudness[0]) > 2


# -- loops -----------------------------------------------------------------------


@pytest.mark.parametrize("hz", [27.5, 110.0, 440.0, 1_234.5, 4_186.0])
@pytest.mark.parametrize("key", [69.0, 76.0])
def test_a_short_loop_sounds_at_rate_over_length(hz, key):
    """f = rate / loop length, to a cent: common practice of tuning by loop length."""
    rich = material_of(np.random.default_rng(3).normal(0, 0.1, 4 * RATE).astype(np.float32))
    document = layered({"kind": "loop", "start": 20, "loop_start": 20, "loop_length": 1000 / hz,
                        "crossfade": 30})  # fmt: skip
    sound = heard(document, seconds=5.0, key=key, material=rich)[RATE:, 0]
    expected = hz * 2 ** ((key - 69) / 12)
    spectrum = np.abs(np.fft.rfft(sound * np.blackman(len(sound)), 1 << 20))
    at = np.fft.rfftfreq(1 << 20, 1 / RATE)
    near = (at > expected * 0.97) & (at < expected * 1.03)
    found = at[near][spectrum[near].argmax()]
    assert 1200 * np.log2(found / expected) == pytest.approx(0.0, abs=1.0)


def test_hard_sync_sounds_the_note_whatever_is_read():
    document = layered({"kind": "loop", "sync": "with the note", "sync_detune": 700,
                        "loop_start": 10, "loop_length": 2_000})  # fmt: skip
    sound = heard(document, seconds=2.0, key=57.0)[RATE // 2 :, 0]
    at = np.fft.rfftfreq(len(sound), 1 / RATE)
    spectrum = np.abs(np.fft.rfft(sound * np.hanning(len(sound))))
    off = np.abs(at / 220.0 - np.round(at / 220.0)) * 220.0
    assert (spectrum[off > 4] ** 2).sum() < 1e-3 * (spectrum**2).sum()


@pytest.mark.parametrize("speed", [0.25, 0.7, 1.6])
def test_speed_apart_from_pitch_keeps_the_pitch(speed):
    document = layered({"kind": "loop", "motion": "speed", "speed": speed, "loop_start": 10,
                        "loop_length": 2_000})  # fmt: skip
    sound = heard(document, seconds=2.0)[RATE // 2 :, 0]
    assert strongest_hz(sound) == pytest.approx(440.0, abs=0.5)
    level = np.sqrt(np.convolve(sound**2, np.ones(4_800) / 4_800, "valid"))
    assert db(level.max() / level.min()) < 1.0


@pytest.mark.parametrize(
    ("parameter", "values"),
    [
        ("loop_start", np.linspace(10, 60, 60)),
        ("loop_length", np.geomspace(40, 900, 60)),
        ("crossfade", np.linspace(0, 100, 60)),
        ("pitch", np.linspace(-12, 12, 60)),
        ("fine", np.linspace(-100, 100, 60)),
    ],
)
def test_no_click_while_a_loop_moves_fast(parameter, values):
    """A sine of 82 Hz has nothing above 6 kHz; a click would."""
    from innerbloom.core.engine import Engine

    low = material_of(sine(82.41, 4.0))
    document = layered({"kind": "loop", "sounds": [{"path": "a.wav", "root": 40}],
                        "loop_start": 20, "loop_length": 300, "crossfade": 30, "attack": 30})  # fmt: skip
    engine = Engine(program_of(document, low))
    engine.render(RATE // 4, [Event("on", 1, 40.0, 1.0)])
    sound = []
    for value in [*values, *values[::-1]]:
        move(engine, "l1", parameter, float(value))
        sound.append(engine.render(640))
    assert click_db(np.concatenate(sound)) < -60


@pytest.mark.parametrize(("parameter", "depth"), [("loop_start", 30.0), ("loop_length", 2.0)])
def test_no_click_while_a_route_moves_the_loop(parameter, depth):
    low = material_of(sine(82.41, 4.0))
    document = layered(
        {"kind": "loop", "sounds": [{"path": "a.wav", "root": 40}], "loop_start": 20,
         "loop_length": 200, "crossfade": 50, "attack": 30},
        routes=[{"source": "slide", "parameter": parameter, "depth": depth}],
    )  # fmt: skip
    events = [Event("on", 1, 40.0, 1.0)]
    events += [Event("slide", 1, value=float(v), time=9_600 + 640 * i)
               for i, v in enumerate(np.abs(np.sin(np.arange(120) / 6)))]  # fmt: skip
    sound = play(program_of(document, low), 2.0, events)
    assert click_db(sound[4_800:]) < -60


# -- tone ------------------------------------------------------------------------


def response_of(cutoff: float, q: float, blend: float, at: np.ndarray) -> np.ndarray:
    """Magnitude of one digital section, by its own difference equation."""
    from innerbloom.core.dsp.filter import run_section

    c = np.zeros(6)
    set_section(c, cutoff, q, blend)
    impulse = np.zeros(1 << 15, np.float32)
    impulse[0] = 1.0
    state = np.zeros((2, 2))
    for first in range(0, len(impulse), 64):
        run_section(impulse, first, 1, c, c, state)
    return np.abs(np.exp(-2j * np.pi * np.outer(at / RATE, np.arange(len(impulse)))) @ impulse)


@pytest.mark.parametrize("cutoff", [80.0, 1_000.0, 5_000.0, 11_000.0])
@pytest.mark.parametrize("q", [0.7071, 3.0])
@pytest.mark.parametrize(
    ("blend", "numerator"),
    [(0.0, (0, 0, 1)), (0.5, (0, 0.5, 0.5)), (1.0, (0, 1, 0)), (2.0, (1, 0, 0)), (3.0, (1, 0, 1))],
)
def test_the_filter_follows_its_analogue_prototype(cutoff, q, blend, numerator):
    """Within 0.5 dB up to a quarter of the rate, by scipy.signal.freqs; 60 dB down at most."""
    w0 = 2 * np.pi * cutoff
    a, b, c = numerator
    at = np.geomspace(30, RATE / 4, 60)
    _, wanted = freqs([a, b * w0, c * w0**2], [1, w0 / q, w0**2], 2 * np.pi * at)
    found = response_of(cutoff, q, blend, at)
    for one, other in zip(np.abs(wanted), found, strict=True):
        if one > 1e-2:
            assert db(other / one) == pytest.approx(0.0, abs=0.5)


def test_24_db_without_resonance_is_butterworth():
    """-3.01 dB at the corner and 24 dB an octave, by scipy.signal.butter."""
    z, p, k = butter(4, 2 * np.pi * 1_000, analog=True, output="zpk")
    at = np.array([250.0, 500.0, 1_000.0, 2_000.0, 4_000.0])
    _, wanted = freqs_zpk(z, p, k, 2 * np.pi * at)
    from innerbloom.core.dsp.filter import section_q

    found = response_of(1_000, section_q(1, 0, 0.0), 0, at)
    found = found * response_of(1_000, section_q(1, 1, 0.0), 0, at)
    np.testing.assert_allclose(20 * np.log10(found), 20 * np.log10(np.abs(wanted)), atol=0.5)


def test_a_moved_filter_tracks_the_key():
    """A depth of one octave an octave keeps the corner on the note."""

    def through(key):
        document = layered(
            {"kind": "wave", "filter": "24 dB", "cutoff": 261.63},
            routes=[{"source": "key", "parameter": "cutoff", "depth": 1.0}],
        )  # fmt: skip
        return np.abs(heard(document, key=key)[RATE:, 0]).max()

    assert db(through(84.0) / through(60.0)) == pytest.approx(0.0, abs=0.2)
    assert db(through(60.0) / UNIT) == pytest.approx(-3.01, abs=0.2)


def test_saturation_keeps_a_peak_at_its_level_and_aliases_little():
    sound = heard(layered({"kind": "wave", "drive": 18}), key=81.0)[RATE // 2 : RATE // 2 + RATE, 0]
    assert db(np.abs(sound).max() / UNIT) == pytest.approx(0.0, abs=0.3)
    third = level_at(sound, 3 * 880.0) / level_at(sound, 880.0)
    assert -25 < db(third) < -8
    # odd harmonics only while it is symmetric; asymmetry adds even ones
    assert db(level_at(sound, 2 * 880.0) / level_at(sound, 880.0)) < -60
    leaning = heard(layered({"kind": "wave", "drive": 18, "asymmetry": 60}), key=81.0)[
        RATE // 2 :, 0
    ]
    assert db(level_at(leaning[:RATE], 2 * 880.0) / level_at(leaning[:RATE], 880.0)) > -40
    spectrum = np.abs(np.fft.rfft(sound * np.blackman(len(sound)) ** 2))
    at = np.arange(len(spectrum))
    off = np.abs(at / 880 - np.round(at / 880)) * 880
    assert db(spectrum[off > 10].max() / spectrum.max()) < -60


def folded_back_db(hz: float, **settings) -> float:
    """The strongest of what is no harmonic, below 10 kHz, against the strongest of all."""
    document = layered({"kind": "wave", "drive": 36, **settings})
    key = 69.0 + 12 * np.log2(hz / 440)
    sound = heard(document, seconds=2.0, key=key)[RATE // 2 : RATE // 2 + RATE, 0]
    spectrum = np.abs(np.fft.rfft(sound * np.blackman(len(sound)) ** 2))
    at = np.arange(len(spectrum))
    off = np.abs(at / hz - np.round(at / hz)) * hz
    return db(spectrum[(off > 12) & (at > 20) & (at < 10_000)].max() / spectrum.max())


@pytest.mark.parametrize("hardness", [0, 100])
@pytest.mark.parametrize("hz", [997, 3_001, 4_999, 7_993])
def test_a_hard_drive_folds_nothing_back_at_four_times_the_rate(hz, hardness):
    """36 dB into a wave without partials (Bilbao et al. 2017 on antiderivatives and oversampling)."""
    fine = folded_back_db(hz, drive_shape=hardness, oversampling="4x")
    assert fine < -80
    assert fine < folded_back_db(hz, drive_shape=hardness) - 40


def test_oversampling_leaves_the_curve_as_it_is():
    """What is left below 8 kHz of a low note is the same, 17 frames later."""

    def made(oversampling):
        document = layered(
            {"kind": "wave", "drive": 18, "drive_shape": 40, "asymmetry": 30,
             "oversampling": oversampling}
        )  # fmt: skip
        return heard(document, key=45.0)[RATE // 2 : RATE // 2 + RATE, 0]

    plain, fine = made("2x"), made("4x")
    for harmonic in range(1, 60):
        hz = 110.0 * harmonic
        wanted = level_at(plain, hz)
        if db(wanted / UNIT) > -60:
            assert db(level_at(fine, hz) / wanted) == pytest.approx(0.0, abs=0.15)


@pytest.mark.parametrize("bits", [4, 8, 12])
def test_bits_leave_the_noise_of_their_number(bits):
    """SNR of a full-scale sine = 6.02 N + 1.76 dB (AES17)."""
    document = layered({"kind": "wave", "bits": bits, "fine": 13})
    sound = heard(document, seconds=3.0, key=57.0)[RATE:, 0].astype(float)
    clean = heard(layered({"kind": "wave", "fine": 13}), seconds=3.0, key=57.0)[RATE:, 0]
    noise = np.sqrt(np.mean((sound - clean) ** 2))
    assert db(np.sqrt(np.mean(clean**2)) / noise) == pytest.approx(6.02 * bits + 1.76, abs=1.5)


@pytest.mark.parametrize("rate", [6_000.0, 11_025.0])
def test_a_lower_rate_mirrors_tones_about_its_half(rate):
    """Sampling: a tone at f comes back at rate - f."""
    sound = heard(layered({"kind": "wave", "reduced_rate": rate}), key=81.0)[RATE // 2 :, 0]
    image = level_at(sound[:RATE], rate - 880.0)
    held = np.sinc((rate - 880.0) / rate) / np.sinc(880.0 / rate)
    assert db(image / level_at(sound[:RATE], 880.0)) == pytest.approx(db(held), abs=1.0)


# -- stacks ----------------------------------------------------------------------


@pytest.mark.parametrize("kind", ["wave", "cloud", "noise", "loop"])
@pytest.mark.parametrize(("members", "detune"), [(2, 15), (4, 20), (8, 30), (4, 0)])
def test_a_stack_is_as_loud_as_one_voice(kind, members, detune):
    """Within 1 dB LUFS (pyloudnorm)."""
    settings = {"cloud": {"pitch_scatter": 0, "position_scatter": 5}, "wave": {"shape": "saw"}}
    layer = {"kind": kind, **settings.get(kind, {})}

    def loud(size):
        document = layered(layer, stack=size, unison_detune=detune, unison_spread=0)
        return lufs(heard(document, seconds=9.0, key=57.0)[RATE:])

    assert loud(members) == pytest.approx(loud(1), abs=1.0)


# -- noise -----------------------------------------------------------------------


@pytest.mark.parametrize(("colour", "slope"), [("white", 0.0), ("pink", -3.01), ("brown", -6.02)])
def test_noise_falls_by_its_colour(colour, slope):
    from scipy.signal import welch

    sound = heard(layered({"kind": "noise", "colour": colour}), seconds=8.0, key=60.0)[RATE:, 0]
    at, power = welch(sound, RATE, nperseg=8_192)
    used = (at > 60) & (at < 12_000)
    found = np.polyfit(np.log2(at[used]), 10 * np.log10(power[used]), 1)[0]
    assert found == pytest.approx(slope, abs=0.15)


def test_noise_takes_on_the_spectrum_of_a_recording():
    from scipy.signal import butter, sosfilt, welch

    from innerbloom.core.materials.noise import noise_material

    random = np.random.default_rng(5)
    band = sosfilt(butter(4, [800, 1_600], "bandpass", fs=RATE, output="sos"),
                   random.normal(0, 0.2, 4 * RATE)).astype(np.float32)[:, None]  # fmt: skip
    made = noise_material("recording", band, RATE).audio[:400_000, 0]
    at, power = welch(made, 2 * RATE, nperseg=16_384)
    inside = power[(at > 900) & (at < 1_500)].mean()
    assert 10 * np.log10(power[(at > 3_200) & (at < 6_000)].mean() / inside) < -25
    assert 10 * np.log10(power[(at > 100) & (at < 400)].mean() / inside) < -25
