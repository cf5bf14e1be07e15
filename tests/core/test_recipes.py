"""Recipes: every step through its public door, replay, errors that name the step."""

from __future__ import annotations

import json

import numpy as np
import pyloudnorm
import pytest
import soundfile as sf
from hypothesis import given, settings
from hypothesis import strategies as st

from innerbloom.core.errors import BloomError, Cancelled, DocumentError
from innerbloom.core.prepare.recipe import (
    MOST_S,
    STEP_KINDS,
    Recipe,
    default_steps,
    parse_recipe,
    piece_recipe,
)
from innerbloom.core.prepare.remarks import over_target
from innerbloom.core.prepare.run import run_recipe
from innerbloom.core.prepare.source import FileSource, write_clip
from innerbloom.core.process.tone import place_for_tone
from innerbloom.core.sound.fades import rising
from innerbloom.core.sound.levels import LevelMeter
from innerbloom.core.sound.sampler import read_sampler
from tests.sounds import RATE, Source, cents, db, gliding_tone, hz_near, recipe

RNG = np.random.default_rng(21)
TONE = gliding_tone(np.full(2 * RATE, 220.0))
STEREO = np.stack((TONE, 0.5 * np.roll(TONE, 100)), axis=1)


def made(samples: np.ndarray, *steps: dict, **options):
    return run_recipe(recipe(*steps), Source(samples), **options)


# -- reading and writing ----------------------------------------------------------------


@pytest.mark.parametrize("kind", STEP_KINDS)
def test_every_kind_says_what_it_does(kind):
    found = parse_recipe({"steps": [{"do": kind}]})
    assert found.sentences()[0]
    assert "_" not in found.sentences()[0]
    plain = found.plain()
    assert parse_recipe(json.dumps(plain)).plain() == plain


@pytest.mark.parametrize(
    ("data", "words"),
    [
        ("{", "not a recipe"),
        ({"steps": [{"do": "fly"}]}, "Step 1 is of no known kind"),
        ({"steps": [{"do": "dc"}, {"do": "highpass", "cutoff": 3}]}, "Step 2, High-pass: cutoff"),
        ({"steps": [{"do": "gain", "levle": 3}]}, "levle"),
        ({"steps": [{"do": "gain", "level": float("nan")}]}, "level"),
        ({"steps": [{"do": "cut", "curve_in": "round"}]}, "curve_in"),
        ({"steps": [{"do": "dc"}] * 41}, "steps"),
        ({"format": "other"}, "format"),
        ([], "recipe"),
    ],
)
def test_bad_recipes_are_named(data, words):
    with pytest.raises(DocumentError, match=words):
        parse_recipe(data)


def test_key_follows_what_is_heard():
    one = recipe({"do": "gain", "level": 3}, {"do": "reverse"})
    assert one.key("a", 440) == recipe({"do": "gain", "level": 3}, {"do": "reverse"}).key("a", 440)
    others = (
        one.key("b", 440), one.key("a", 441), one.upto(1).key("a", 440),
        recipe({"do": "reverse"}, {"do": "gain", "level": 3}).key("a", 440),
    )  # fmt: skip
    assert len({one.key("a", 440), *others}) == 5
    # a step left out makes no difference to what is heard
    muted = recipe({"do": "gain", "level": 3}, {"do": "reverse", "on": False})
    assert muted.key("a", 440) == one.upto(1).key("a", 440)


SOME_STEPS = st.lists(
    st.sampled_from(
        [
            {"do": "cut", "start": 0.1, "end": 0.5}, {"do": "reverse"}, {"do": "dc"},
            {"do": "gain", "level": -3.5}, {"do": "highpass", "cutoff": 90},
            {"do": "normalise"}, {"do": "channels", "take": "mid"}, {"do": "stretch", "ratio": 1.7},
            {"do": "shift", "semitones": 3, "formants": "kept"}, {"do": "silence"},
            {"do": "loop", "start": 0.1, "end": 0.2, "crossfade": 20},
        ]
    ),
    max_size=4,
)  # fmt: skip


@settings(max_examples=12)
@given(SOME_STEPS)
def test_a_replayed_recipe_gives_identical_samples(steps):
    """Property: same recording, same recipe, same samples, loop and root."""
    source = Source(STEREO[:RATE])
    try:
        one = run_recipe(recipe(*steps), source)
    except BloomError as error:
        with pytest.raises(BloomError, match=str(error)[:20]):
            run_recipe(recipe(*steps), source)
        return
    other = run_recipe(recipe(*steps), source)
    assert np.array_equal(one.samples, other.samples)
    assert (one.loop, one.root, one.root_how) == (other.loop, other.root, other.root_how)
    assert np.isfinite(one.samples).all()


class Memory:
    """Stages in memory, counting what was asked for."""

    def __init__(self) -> None:
        self.kept: dict[int, object] = {}

    def find(self, count):
        return self.kept.get(count)

    def keep(self, count, clip):
        self.kept[count] = clip


def test_stages_are_taken_up_and_change_nothing():
    steps = [{"do": "cut", "end": 1.0}, {"do": "gain", "level": 3}, {"do": "reverse"}]
    stages = Memory()
    whole = run_recipe(recipe(*steps), Source(TONE), stages=stages)
    assert set(stages.kept) == {1, 2, 3}
    del stages.kept[3]
    nothing = Source(np.zeros(10))  # what is kept is not read again
    again = run_recipe(recipe(*steps), nothing, stages=stages)
    assert np.array_equal(again.samples, whole.samples)


def test_progress_is_told_and_can_stop():
    told = []
    steps = ({"do": "stretch", "ratio": 2}, {"do": "gain", "level": 1})
    made(TONE, *steps, progress=lambda share: told.append(share) or True)
    assert told == sorted(told)
    assert 0 <= told[0] <= told[-1] <= 1
    with pytest.raises(Cancelled):
        made(TONE, *steps, progress=lambda share: share < 0.2)


# -- cutting ----------------------------------------------------------------------------


def test_cut_is_exact_to_the_sample():
    ramp = np.arange(2 * RATE) / (2 * RATE)
    start, end = 12_345 / RATE, 23_456 / RATE
    clip = made(ramp, {"do": "cut", "start": start, "end": end, "fade_in": 0, "fade_out": 0})
    assert clip.frames == 23_456 - 12_345
    assert clip.samples[0, 0] == pytest.approx(ramp[12_345], abs=1e-7)
    # a second cut counts from the first one's start
    twice = made(
        ramp, {"do": "cut", "start": start, "end": end, "fade_in": 0, "fade_out": 0},
        {"do": "cut", "start": 100 / RATE, "end": 200 / RATE, "fade_in": 0, "fade_out": 0},
    )  # fmt: skip
    assert twice.samples[0, 0] == pytest.approx(ramp[12_445], abs=1e-7)
    assert twice.frames == 100


def test_fades_have_their_curves():
    """Equal power: sin^2 + cos^2 = 1; all curves rise from near 0 to near 1."""
    for curve in ("linear", "equal power", "slow start", "slow end"):
        gains = rising(1_000, curve)
        assert (np.diff(gains) > 0).all()
        assert gains[0] < 0.002
        assert gains[-1] > 0.998
    power = rising(1_000, "equal power")
    assert np.allclose(power**2 + power[::-1] ** 2, 1, atol=1e-6)
    clip = made(np.ones(RATE), {"do": "cut", "fade_in": 100, "fade_out": 50})
    assert clip.samples[2_400, 0] == pytest.approx(0.5, abs=0.01)
    assert clip.samples[-1_200, 0] == pytest.approx(0.5, abs=0.01)
    # longer than the sound: shortened in proportion, never an error
    short = made(np.ones(100), {"do": "cut", "fade_in": 3_000, "fade_out": 1_000})
    assert short.samples.argmax() == pytest.approx(75, abs=2)


def test_delete_silence_keeps_what_sounds():
    gap = np.zeros(RATE)
    clip = made(
        np.concatenate((gap, TONE, gap, TONE, gap)),
        {"do": "silence", "threshold": -60, "shortest": 200, "kept": 50},
    )
    assert clip.seconds == pytest.approx(4.0 + 4 * 0.05, abs=0.02)
    with pytest.raises(BloomError, match="below the threshold"):
        made(np.zeros(RATE) + 1e-5, {"do": "silence"})
    assert made(TONE, {"do": "silence"}).frames == len(TONE)


def test_reverse_and_its_loop():
    loop = {"do": "loop", "start": 0.25, "end": 0.75, "crossfade": 0}
    clip = made(
        TONE, {"do": "cut", "end": 1.0, "fade_in": 0, "fade_out": 0}, loop, {"do": "reverse"}
    )
    assert clip.loop is not None
    assert (clip.loop.start, clip.loop.end) == (RATE // 4, 3 * RATE // 4)
    assert np.array_equal(clip.samples[::-1, 0], np.float32(TONE[:RATE]))


def test_channels():
    left, right = np.float32(STEREO[:, 0]), np.float32(STEREO[:, 1])
    wanted = {
        "left": left, "right": right, "mid": (left + right) / 2, "side": (left - right) / 2,
        "mono sum": (left + right) * np.sqrt(0.5),
    }  # fmt: skip
    for take, samples in wanted.items():
        clip = made(STEREO, {"do": "channels", "take": take})
        assert clip.samples.shape == (len(STEREO), 1)
        assert np.allclose(clip.samples[:, 0], samples, atol=1e-6)
    swapped = made(STEREO, {"do": "channels", "take": "swapped"})
    assert np.array_equal(swapped.samples, np.float32(STEREO)[:, ::-1])
    with pytest.raises(BloomError, match="mono sound has no side"):
        made(TONE, {"do": "channels", "take": "side"})


# -- cleaning and level -----------------------------------------------------------------


def test_dc_goes():
    clip = made(TONE + 0.24, {"do": "dc"})
    assert abs(clip.samples.mean()) < 1e-6


@pytest.mark.parametrize(("slope", "order"), [("12 dB", 2), ("24 dB", 4), ("48 dB", 8)])
def test_highpass_is_a_butterworth(slope, order):
    """Butterworth: -3.0103 dB at the cutoff, 6.02 dB an octave and order below."""
    t = np.arange(2 * RATE) / RATE
    for hz, wanted in ((200.0, -3.01), (50.0, -10 * np.log10(1 + 4 ** (2 * order)))):
        clip = made(np.sin(2 * np.pi * hz * t), {"do": "highpass", "cutoff": 200, "slope": slope})
        level = db(np.std(clip.samples[RATE:]) / np.sqrt(0.5))
        assert level == pytest.approx(wanted, abs=0.1 if wanted > -80 else 1.5)


def test_highpass_does_not_click_at_its_start():
    clip = made(np.full(RATE, 0.3), {"do": "highpass"})
    assert np.abs(clip.samples).max() < 1e-6


def test_normalise_to_peak_true_peak_and_loudness():
    """-0.3 dBFS by default (common practice); BS.1770 by pyloudnorm."""
    clip = made(0.01 * STEREO, {"do": "normalise"})
    assert db(np.abs(clip.samples).max()) == pytest.approx(-0.3, abs=0.001)
    clip = made(STEREO, {"do": "normalise", "to": "true peak", "peak": -1})
    meter = LevelMeter(RATE, 2)
    meter.feed(clip.samples)
    assert meter.true_peak_dbtp == pytest.approx(-1, abs=0.01)
    clip = made(STEREO, {"do": "normalise", "to": "loudness", "loudness": -23})
    other = pyloudnorm.Meter(RATE, filter_class="DeMan").integrated_loudness(clip.samples)
    assert other == pytest.approx(-23, abs=0.1)


def test_silence_and_short_sounds_cannot_be_normalised():
    with pytest.raises(BloomError, match="Step 1, Normalise: There is only silence"):
        made(np.zeros(RATE), {"do": "normalise"})
    with pytest.raises(BloomError, match="normalise to a peak instead"):
        made(TONE[:2_000], {"do": "normalise", "to": "loudness"})


def test_noise_is_learnt_from_the_recording_whatever_was_cut():
    """The quiet stretch may lie outside the cut, and be as loud as after normalising."""
    noise = 0.01 * RNG.standard_normal(3 * RATE)
    samples = noise.copy()
    samples[RATE : 2 * RATE] += TONE[:RATE]
    steps = (
        {"do": "cut", "start": 1.0, "end": 3.0, "fade_in": 0, "fade_out": 0}, {"do": "normalise"},
        {"do": "denoise", "start": 0.1, "to": 0.9, "floor": -15, "amount": 120},
    )  # fmt: skip
    before = made(samples, *steps[:2])
    after = made(samples, *steps)
    tail = slice(int(1.4 * RATE), int(1.9 * RATE))
    assert db(np.std(after.samples[tail]) / np.std(before.samples[tail])) == pytest.approx(
        -15, abs=1.5
    )
    with pytest.raises(BloomError, match="past the end"):
        made(samples, {"do": "denoise", "start": 90, "to": 91})
    # until a stretch is chosen the step is off, and blocks nothing
    assert np.array_equal(made(samples, {"do": "denoise"}).samples, made(samples).samples)


# -- pitch and length -------------------------------------------------------------------


def test_root_given_none_and_carried_along():
    assert made(TONE, {"do": "root", "how": "given", "note": 57.25}).root == pytest.approx(57.25)
    none = made(TONE, {"do": "root", "how": "no clear pitch"})
    assert (none.root, none.root_how) == (None, "none")
    moved = made(TONE, {"do": "root", "note": 57}, {"do": "shift", "semitones": 5})
    assert moved.root == pytest.approx(62)
    tuned = made(TONE, {"do": "root", "note": 69}, tuning=432.0)
    assert 440 * 2 ** ((tuned.root - 69) / 12) == pytest.approx(432)


def test_the_root_after_a_pull_is_measured_on_what_was_made():
    """A drift flattened by half stays off the note it was pulled to; only people are certain."""
    drifting = gliding_tone(220.0 * 2 ** (np.linspace(-0.3, 0.5, 3 * RATE) / 12))
    pulled = made(drifting, {"do": "pull", "target": "a note", "note": 57, "flatten": 50})
    assert (pulled.root, pulled.root_how) == (None, "found")
    steady = made(
        drifting,
        {"do": "pull", "target": "a note", "note": 57, "flatten": 100},
        {"do": "root", "how": "steadiest"},
    )
    assert steady.root_how == "steadiest"
    heard = hz_near(steady.samples[RATE : 2 * RATE, 0], 220.0)
    assert abs(cents(440 * 2 ** ((steady.root - 69) / 12), heard)) < 3
    with pytest.raises(BloomError, match="Nowhere here"):
        made(RNG.standard_normal(RATE), {"do": "root", "how": "steadiest"})


@pytest.mark.parametrize("width", [0, 30, 100])
def test_mono_becomes_stereo_whose_sum_is_the_mono_sound(width):
    """Folded down it is the sound again (Schroeder 1958); at full width the channels are not
    alike (correlation, Kendall 1995) and each is as loud as the sound was."""
    noise = RNG.standard_normal(4 * RATE).astype(np.float32)
    out = made(noise, {"do": "channels", "take": "stereo", "width": width}).samples
    assert out.shape == (4 * RATE, 2)
    folded = out.sum(axis=1)
    gain = np.dot(folded, noise) / np.dot(noise, noise)
    assert db(np.std(folded - gain * noise) / np.std(folded)) < -100
    alike = np.corrcoef(out.T)[0, 1]
    w = width / 100
    assert alike == pytest.approx((1 - w**2) / (1 + w**2), abs=0.06)
    for channel in out.T:
        assert db(np.std(channel) / np.std(noise)) == pytest.approx(0, abs=0.6)


def test_a_peak_above_what_normalise_was_told_is_said():
    steps = recipe({"do": "normalise", "peak": -0.3}, {"do": "shift", "semitones": 7, "blend": 60})
    said = over_target(steps, 0.24, 0.5)
    assert "+0.24 dBFS" in said or "0.24 dBFS" in said
    assert "\u22120.3 dBFS of step 1" in said
    assert over_target(steps, -0.3, 0.5) == ""
    true = recipe({"do": "normalise", "to": "true peak", "peak": -1})
    assert "dBTP" in over_target(true, -0.9, 0.0)
    assert "may clip" in over_target(recipe(), 1.0, 1.0)
    assert over_target(recipe(), -1.0, 0.5) == ""


def test_steps_have_an_order_in_which_levels_and_loops_come_late():
    order = {kind.id: kind.order for kind in STEP_KINDS.values()}
    assert len(set(order.values())) == len(order)
    assert order["cut"] < order["denoise"] < order["pull"] < order["shift"] < order["normalise"]
    assert order["normalise"] < order["loop"] < order["root"]


@pytest.mark.parametrize("hz", [55.0, 440.0])
def test_a_tone_is_taken_where_the_sound_is_strong_and_steady_and_is_as_high(hz):
    t = np.arange(4 * RATE) / RATE
    swell = np.clip(t / 1.5, 0, 1) * np.where(t > 3, np.exp(-4 * (t - 3)), 1)
    sound = 0.9 * swell * np.sin(2 * np.pi * hz * t)
    place = place_for_tone(sound[:, None].astype(np.float32), RATE)
    assert 1.5 < place < 3.0
    for at in (place, 0.05):
        tone = made(sound, {"do": "tone", "place": at, "note": 45})
        assert np.abs(tone.samples).max() == pytest.approx(np.abs(sound).max(), rel=0.01)
        assert tone.root_how == "made"


def test_blend_of_shifted_and_dry():
    dry = made(TONE, {"do": "shift", "semitones": 7, "blend": 0})
    assert np.allclose(dry.samples[:, 0], TONE, atol=1e-6)
    half = made(TONE, {"do": "shift", "semitones": 7, "blend": 50}).samples
    assert abs(cents(hz_near(half, 220.0), 220.0)) < 2
    assert abs(cents(hz_near(half, 329.63), 329.63)) < 3


def test_lengths_by_ratio_seconds_and_bars():
    for step, wanted in (
        ({"by": "ratio", "ratio": 1.5}, 3.0),
        ({"by": "seconds", "seconds": 3.3}, 3.3),
        ({"by": "bars", "bars": 2, "beats": 4, "tempo": 96}, 5.0),
        ({"by": "drone", "place": 1.0, "seconds": 6.0}, 6.0),
    ):
        clip = made(TONE, {"do": "stretch", **step})
        assert clip.frames == round(wanted * RATE)
        assert abs(cents(hz_near(clip.samples[RATE // 2 : -RATE // 2], 220.0), 220.0)) < 2
    with pytest.raises(BloomError, match=r"0\.2 to 64 times"):
        made(TONE, {"do": "stretch", "by": "seconds", "seconds": 0.1})


def test_a_drone_stands_still():
    """A sound that changes colour, held at one place: its spectrum no longer moves."""
    t = np.arange(4 * RATE) / RATE
    moving = gliding_tone(110 * 2 ** (t / 4))
    clip = made(moving, {"do": "stretch", "by": "drone", "place": 2.0, "breadth": 0, "seconds": 5})
    early, late = clip.samples[RATE : 2 * RATE], clip.samples[3 * RATE : 4 * RATE]
    assert abs(cents(hz_near(early, 155.6), hz_near(late, 155.6))) < 3
    assert abs(cents(hz_near(early, 155.6), 155.56)) < 15


# -- loops and tones --------------------------------------------------------------------


def test_loop_and_tone_steps():
    clip = made(
        TONE, {"do": "loop", "start": 0.5, "end": 1.5, "crossfade": 100, "release": "play on"}
    )
    assert (clip.loop.start, clip.loop.end, clip.loop.stay) == (RATE // 2, 3 * RATE // 2, False)
    tone = made(
        RNG.standard_normal(RATE) * 0.1, {"do": "tone", "place": 0.4, "note": 45, "cycles": 2}
    )
    assert tone.root == 45
    assert tone.loop is not None
    assert tone.loop.end == tone.frames


@pytest.mark.parametrize(
    ("steps", "words"),
    [
        ([{"do": "cut", "start": 9, "end": 10}], "only 2.00 s long"),
        ([{"do": "cut", "start": 1, "end": 9}], "Step 1, Cut: The region ends at 9.00 s"),
        ([{"do": "cut", "start": 1.5, "end": 1.5}], "empty"),
        ([{"do": "gain"}, {"do": "cut", "start": 1, "end": 0.5}], "Step 2, Cut: The region is empty"),
        ([{"do": "loop", "start": 1, "end": 1.00002}], "at least 2 samples|longer than the loop"),
        ([{"do": "loop", "start": 1, "end": 1.1, "crossfade": 200}], "longer than the loop"),
        ([{"do": "loop", "start": 1, "end": 7}], "outside"),
        ([{"do": "tone", "place": 50}], "past the end"),
        ([{"do": "highpass", "cutoff": 4000}, {"do": "tone", "place": 0.1, "note": 12, "cycles": 64}], "needed"),
    ],
)  # fmt: skip
def test_what_does_not_fit_is_one_sentence(steps, words):
    with pytest.raises(BloomError, match=words) as caught:
        made(TONE, *steps)
    assert str(caught.value).endswith(".")


def test_long_recordings_begin_with_a_cut():
    class Long(Source):
        def __init__(self) -> None:
            super().__init__(TONE)
            self.frames = 7_200 * RATE

        def read(self, first, count):
            assert count <= MOST_S * RATE
            return np.zeros((count, 1), np.float32)

    with pytest.raises(BloomError, match="begin with a cut"):
        run_recipe(recipe({"do": "normalise"}), Long())
    with pytest.raises(BloomError, match="10 minutes at most"):
        run_recipe(recipe({"do": "cut", "start": 0, "end": 1_000}), Long())
    assert run_recipe(recipe({"do": "cut", "start": 5_000, "end": 5_002}), Long()).seconds == 2
    first = parse_recipe({"steps": list(default_steps(7_200))}).steps[0]
    assert first.end <= MOST_S


def test_a_piece_goes_through_the_steps_after_the_cut():
    whole = recipe({"do": "cut", "start": 0.5, "fade_out": 30}, {"do": "normalise"})
    piece = piece_recipe(whole, 1.0, 1.25)
    assert [step.do for step in piece.steps] == ["cut", "normalise"]
    assert (piece.steps[0].start, piece.steps[0].fade_out) == (1.0, 30)
    assert piece_recipe(Recipe(), 0, 1).steps[0].do == "cut"


def test_written_and_read_again(tmp_path):
    """A file keeps samples, loop and root; the same clip gives the same bytes."""
    clip = made(STEREO, {"do": "loop", "start": 0.5, "end": 1.5, "crossfade": 50})
    for name in ("one.wav", "other.wav"):
        write_clip(tmp_path / name, clip, root=57.0)
    assert (tmp_path / "one.wav").read_bytes() == (tmp_path / "other.wav").read_bytes()
    again, rate = sf.read(tmp_path / "one.wav", dtype="float32")
    assert rate == RATE
    assert np.array_equal(again, clip.samples)
    found = read_sampler(tmp_path / "one.wav")
    assert found.root == pytest.approx(57)
    assert found.loops == (clip.loop,)
    source = FileSource(tmp_path / "one.wav")
    assert source.read(10, 5).shape == (5, 2)
    assert source.read(source.frames, 5).shape[0] == 0
