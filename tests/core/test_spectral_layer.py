"""The spectral layer, colouring and grains by sound: what must hold whatever is played."""

from __future__ import annotations

from functools import cache

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from scipy.signal import sosfreqz

from innerbloom.core.analysis.segments import brightness_of, segments_of
from innerbloom.core.declare.parameters import Choice, Parameter
from innerbloom.core.declare.sound import Sound, recordings_in
from innerbloom.core.engine import Engine, compile_program
from innerbloom.core.errors import BloomError, DocumentError
from innerbloom.core.instrument import chains, layering
from innerbloom.core.instrument.catalogue import LAYER_KINDS
from innerbloom.core.instrument.document import parse_instrument, sounds_of
from innerbloom.core.instrument.resembling import in_its_own_voice, resemble
from innerbloom.core.layers.cloud import segment_map
from innerbloom.core.materials.described import OutlinesRequest, SegmentsRequest
from innerbloom.core.materials.held import HeldMaterials
from innerbloom.core.materials.spectrum.document import parse_spectrum
from innerbloom.core.performance.events import Event
from innerbloom.core.process.colouring import (
    BINS,
    WINDOW,
    colour_filter,
    identity,
    power_spectra,
    smoothed,
)
from innerbloom.core.sound.levels import k_weighting
from tests.engines import (
    edit,
    layered,
    material_of,
    program_of,
    sine,
)
from tests.sounds import RATE, gliding_tone, shaped, vowel
from tests.spectra import engine_of, heard, key_of, spectral, taken

RNG = np.random.default_rng(3)
NOISE = 0.1 * RNG.standard_normal(RATE)


@cache
def spectra():
    """Taken apart when they are first asked for, and not whenever tests are listed."""
    return (
        taken(gliding_tone(np.linspace(200, 240, RATE), 12) + 0.05 * NOISE, 220.0),
        taken(vowel(140.0, 1.2), 140.0),
        taken(NOISE, None),
    )


DECLARED = [
    d for d in LAYER_KINDS["spectral"].declared if d.group not in ("Output", "Range", "Chain")
]


def values():
    """Any settings of a spectral layer, within their ranges."""
    each = {}
    for one in DECLARED:
        if isinstance(one, Choice):
            each[one.id] = st.sampled_from(one.options)
        elif isinstance(one, Parameter):
            low, high = one.low, min(one.high, 4_000.0) if one.unit == "ms" else one.high
            number = st.integers(int(low), int(high)) if one.whole_number else st.floats(low, high)
            each[one.id] = number
    return st.fixed_dictionaries({}, optional=each)


EVENTS = [
    Event("on", 1, 57.0, 0.9), Event("on", 2, 64.0, 0.7, 3_000), Event("off", 1, 57.0, 0.0, 9_000),
    Event("on", 3, 40.0, 1.0, 12_345),
]  # fmt: skip


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(values(), st.lists(st.integers(1, 3_000), min_size=1, max_size=8), st.booleans())
def test_any_setting_gives_the_same_finite_samples_however_time_is_cut(chosen, cuts, two):
    document = spectral([one.root_hz for one in spectra()], {}, **{"release": 50, **chosen})
    program = compile_program(document, HeldMaterials(spectra=spectra()))
    whole = Engine(program).render(18_000, EVENTS)
    assert np.isfinite(whole).all()
    assert np.abs(whole).max() <= 10 ** (-0.4 / 20)
    other = Engine(program, cores=2 if two else 1)
    pieces, left, number = [other.render(0, EVENTS)], 18_000, 0
    while left:
        count = min(left, cuts[number % len(cuts)])
        pieces.append(other.render(count))
        left, number = left - count, number + 1
    np.testing.assert_array_equal(np.concatenate(pieces), whole)


def test_a_spectrum_takes_less_than_three_times_the_memory_of_its_recording():
    for seconds in (1.0, 6.0):
        busy = sum(
            np.sin(2 * np.pi * 80 * k * np.arange(round(seconds * RATE)) / RATE) / k
            for k in range(1, 128)
        )
        spectrum = taken(0.1 * busy, 80.0, partials=128)
        engine = engine_of(spectrum)
        played = engine.section.layers[0].program.prepared.materials[0].audio.nbytes
        assert played < 3 * 4 * len(busy)


def test_a_note_ends_with_its_sound_only_where_that_is_asked_for():
    spectrum = spectra()[0]
    for at_end, ends in (("end", True), ("stay", False), ("loop", False)):
        engine = engine_of(spectrum, at_end=at_end)
        engine.render(3 * RATE, [Event("on", 1, key_of(spectrum), 1.0)])
        assert (engine.sounding() == 0) == ends


def test_a_strike_sounds_once_as_it_is_passed_and_not_while_frozen():
    silence = np.zeros(2 * RATE)
    silence[RATE // 2 : RATE // 2 + 400] = RNG.standard_normal(400) * np.exp(-np.arange(400) / 80)
    spectrum = taken(silence + 1e-4 * np.resize(NOISE, 2 * RATE), None)
    assert len(spectrum.strikes) == 1
    once = heard(spectrum, seconds=1.0)
    loud = np.flatnonzero(np.abs(once) > 0.3)
    assert abs(loud[0] - RATE // 2) < 150
    assert np.ptp(loud) < 600
    assert np.abs(heard(spectrum, seconds=1.0, strikes=-60)).max() < 0.2
    frozen = heard(spectrum, seconds=1.0, motion="still", position=10)
    assert np.abs(frozen).max() < 0.05
    backward = heard(spectrum, seconds=1.8, position=100, speed=-1)
    assert np.abs(backward).max() > 0.3


def test_sounds_on_a_path_can_be_put_in_another_order():
    document = spectral([220.0, 140.0, None], {})
    moved = layering.move_sound(document, 0, 2, 0)
    assert [one.path for one in moved.layers[0].sounds] == ["2.wav", "0.wav", "1.wav"]
    with pytest.raises(DocumentError, match="has 3 sounds"):
        layering.move_sound(document, 0, 3, 0)
    for _ in range(5):
        document = layering.add_sounds(document, 0, [Sound(path="more.wav")])
    with pytest.raises(DocumentError, match="holds 8 sounds"):
        layering.add_sounds(document, 0, [Sound(path="more.wav")])


@pytest.mark.parametrize(
    ("samples", "words"),
    [
        (np.zeros(RATE), "silent"),
        (np.full(RATE, 0.3), "silent"),
        (np.ones(10), "too short"),
        (np.full(RATE, np.nan), "no numbers"),
        (np.broadcast_to(np.float32(0.1), (3_600 * 8_000,)), "180 s at most"),
    ],
)
def test_what_has_no_spectrum_says_so_in_a_sentence(samples, words):
    from innerbloom.core.materials.spectrum.analyse import analyse

    rate = 8_000 if len(samples) > RATE else RATE
    with pytest.raises(BloomError, match=words) as error:
        analyse(shaped(samples), rate, None)
    assert str(error.value).endswith(".")


@pytest.mark.parametrize("what", ["click", "one partial", "half a second"])
def test_odd_sounds_play(what):
    samples = {
        "click": np.eye(1, RATE // 4, 100)[0],
        "one partial": sine(1_000.0, 1.0, level=0.3),
        "half a second": 0.1 * RNG.standard_normal(RATE // 2),
    }[what]
    sound = heard(taken(samples, None), seconds=0.5, at_end="loop", loop_length=20)
    assert np.isfinite(sound).all()
    assert np.abs(sound).max() > 1e-3


def test_a_recipe_that_does_not_fit_names_what_is_wrong():
    with pytest.raises(BloomError, match=r"sound\.analysis\.partials"):
        parse_spectrum({"name": "x", "sound": {"path": "a.wav", "analysis": {"partials": 500}}})


def test_a_spectral_layer_without_a_sound_is_refused():
    with pytest.raises(DocumentError, match="needs a sound"):
        layering.add_layer(layered({"kind": "wave"}), "spectral", name="Empty")
    empty = parse_instrument({"version": 4, "name": "x", "layers": [
        {"id": "l1", "name": "Empty", "kind": "spectral", "sounds": []}]})  # fmt: skip
    with pytest.raises(DocumentError, match="no sound yet"):
        program_of(empty, material_of(sine(440, 1)))


# -- colouring -----------------------------------------------------------------


def test_a_colour_filter_brings_one_outline_to_another():
    """Of two smooth outlines, the filtered one is the other, but for its level."""
    hz = np.arange(BINS) * RATE / WINDOW
    own = 1.0 / (1.0 + (hz / 400) ** 2)
    wanted = 1.0 / (1.0 + ((hz - 1_500) / 500) ** 2)
    response = np.fft.rfft(colour_filter(own, wanted, 1.0, 0.8), WINDOW)
    made = 10 * np.log10(own * np.abs(response) ** 2)
    asked = 10 * np.log10(smoothed(wanted, 0.1))
    inside = (hz > 150) & (hz < 8_000)
    off = (made - asked)[inside]
    assert np.std(off) < 0.7
    # as loud as before, all together (K-weighting of ITU-R BS.1770-4)
    weight = np.abs(sosfreqz(k_weighting(RATE), hz, fs=RATE)[1]) ** 2
    power = np.sum(weight * own * np.abs(response) ** 2) / np.sum(weight * own)
    assert 10 * np.log10(power) == pytest.approx(0.0, abs=0.3)
    half = np.fft.rfft(colour_filter(own, wanted, 0.5, 0.8), WINDOW)
    halved = 20 * np.log10(np.abs(half))[inside]
    full = 20 * np.log10(np.abs(response))[inside]
    assert np.std(halved - 0.5 * full) < 0.3
    np.testing.assert_array_equal(colour_filter(own, wanted, 0.0, 0.5), identity())


def vowel_held():
    """A vowel that lends its outline."""
    outlines = power_spectra(vowel(140.0, 2.0).astype(np.float32))
    return HeldMaterials(answers={OutlinesRequest: lambda _: outlines})


def coloured(level=0.0, **settings):
    document = layered({"kind": "noise", "colour": "white", "release": 30, "level": level})
    plain = document.model_dump(mode="json")
    plain["layers"][0]["effects"] = [
        {"id": "e1", "kind": "colour", "sound": {"path": "vowel.wav"}, "settings": settings}
    ]
    return parse_instrument(plain)


def test_a_coloured_layer_takes_on_the_outline_and_keeps_its_loudness():
    import pyloudnorm

    def sound(amount):
        engine = Engine(compile_program(coloured(amount=amount), vowel_held()))
        return engine.render(3 * RATE, [Event("on", 1, 60.0, 1.0)])[RATE:]

    plain, full = sound(0), sound(100)

    def share(one, low, high):
        power = np.abs(np.fft.rfft(one[:, 0])) ** 2
        hz = np.fft.rfftfreq(len(one), 1 / RATE)
        return 10 * np.log10(power[(hz > low) & (hz < high)].mean() / power[(hz > 5_000)].mean())

    # formants of an a rise far above what lies over them
    assert abs(share(plain, 650, 1_150)) < 1
    assert share(full, 650, 1_150) > 20
    meter = pyloudnorm.Meter(RATE)
    loud = [meter.integrated_loudness(one.astype(np.float64)) for one in (plain, full)]
    assert abs(loud[0] - loud[1]) < 4


@pytest.mark.parametrize("source", ["the whole", "its course", "a place"])
def test_colouring_is_the_same_however_time_is_cut(source):
    program = compile_program(coloured(outline_of=source), vowel_held())
    whole = Engine(program).render(30_000, EVENTS)
    other, pieces = Engine(program, cores=2), []
    other.render(0, EVENTS)
    for count in [700, 64, 1, 9_000, 333, 5_000, 14_902]:
        pieces.append(other.render(count))
        other.sounding()
    np.testing.assert_array_equal(np.concatenate(pieces), whole)


def test_the_colouring_sound_is_not_heard_itself():
    """A layer that is silent stays silent, whatever colours it."""
    document = coloured(level=-60)
    sound = Engine(compile_program(document, vowel_held())).render(
        RATE, [Event("on", 1, 60.0, 1.0)]
    )
    assert np.abs(sound).max() == 0.0


def test_colouring_comes_and_goes_without_a_click():
    from tests.engines import click_db

    tone = layered({"kind": "wave", "shape": "sine", "release": 30})
    materials = vowel_held()
    bare = compile_program(tone, materials)
    lent = compile_program(chains.colour(tone, 0, Sound(path="vowel.wav")), materials)
    engine = Engine(bare)
    sound = [engine.render(RATE // 2, [Event("on", 1, 60.0, 1.0)])]
    for program in (lent, bare, lent):
        edit(engine, program)
        sound.append(engine.render(RATE // 3))
    assert click_db(np.concatenate(sound)[4_800:]) < -60


def test_a_colouring_sound_is_part_of_what_an_instrument_needs():
    digest = "ab" * 32
    lent = chains.colour(layered({"kind": "wave"}), 0, Sound(recording=digest))
    assert [one.recording for one in sounds_of(lent)] == [digest]
    assert recordings_in(lent.model_dump(mode="json")) == [digest]
    assert chains.colour(lent, 0, None).layers[0].effects == []


# -- grains by sound -----------------------------------------------------------


def phases(*parts):
    """Tones one after another, half a second each: (hz, level)."""
    return np.concatenate([sine(hz, 0.5, level=level) for hz, level in parts])


def test_segments_say_what_they_sound_like():
    """A sine of f Hz is as bright as f (Hjorth 1970), and as loud as its RMS."""
    found = segments_of(shaped(phases((220, 0.5), (1_760, 0.05))), RATE)
    low, high = found[2:8], found[-8:-2]
    assert np.median(low[:, 1]) == pytest.approx(20 * np.log10(0.5) - 3.01, abs=0.3)
    assert np.median(high[:, 1]) == pytest.approx(20 * np.log10(0.05) - 3.01, abs=0.3)
    assert 50 * 2 ** (8 * np.median(low[:, 2])) == pytest.approx(220, rel=0.03)
    assert 50 * 2 ** (8 * np.median(high[:, 2])) == pytest.approx(1_760, rel=0.03)
    assert 32.703 * 2 ** (7 * np.median(low[:, 3])) == pytest.approx(220, rel=0.01)
    assert np.median(low[:, 4]) < 0.1
    noisy = segments_of(shaped(NOISE), RATE)
    assert np.median(noisy[:, 4]) > 0.5
    assert np.median(noisy[:, 5]) > np.median(low[:, 5]) + 0.2
    assert np.median(noisy[:, 3]) == 0.0


def gathering(**more):
    own = {"gather": "a likeness", "size": 60, "density": 40, "reach": 3, "stereo_scatter": 0,
           "pitch_scatter": 0, "position_scatter": 0}  # fmt: skip
    return layered({"kind": "cloud", **own, **more})


@pytest.mark.parametrize(("hz", "up"), [(220, 60), (1_760, 60), (6_000, 60)])
def test_a_cloud_plays_from_where_the_sound_is_like_the_point(hz, up):
    material = material_of(phases((220, 0.3), (1_760, 0.3), (6_000, 0.3)))
    across = 100 * np.log2(hz / 50) / 8
    document = gathering(across=across, up=up, across_is="brightness")
    whole = segments_of(shaped(phases((220, 0.3), (1_760, 0.3), (6_000, 0.3))), RATE)
    held = HeldMaterials(material, answers={SegmentsRequest: lambda _: whole})
    sound = (
        Engine(compile_program(document, held))
        .render(RATE, [Event("on", 1, 69.0, 1.0)])[RATE // 4 :, 0]
        .astype(float)
    )
    bright = brightness_of(np.array([np.mean(sound**2)]), np.array([np.mean(np.diff(sound) ** 2)]))
    assert 50 * 2 ** (8 * bright[0]) == pytest.approx(hz, rel=0.15)


def test_loudness_on_the_map_is_that_of_the_layer():
    described = np.array([[0.1, -30.0, 0.5, 0.5, 0.5, 0.5]])
    held = HeldMaterials(answers={SegmentsRequest: lambda _: described})
    found = segment_map([Sound(path="a.wav", gain_db=6.0)], held)
    assert found[0, :3].tolist() == pytest.approx([0.0, 0.1, 1 - 24 / 60])


def test_a_cloud_speaks_in_the_voice_of_another_layer():
    document = layered({"kind": "cloud"}, {"kind": "wave", "shape": "saw"})
    made = resemble(document, 0, 1)
    assert made.layers[0].settings.gather == "a likeness"
    followers = [one for one in made.modulators if one.kind == "follower"]
    assert [one.follows for one in followers] == ["l2", "l2"]
    assert {route.parameter for route in made.routes} == {"across", "up"}
    # again, towards another layer: the earlier routes and followers are replaced
    again = resemble(made, 0, 1)
    assert (len(again.routes), len(again.modulators)) == (2, 2)
    alone = in_its_own_voice(made, 0)
    assert (alone.routes, alone.modulators) == ([], [])
    engine = Engine(program_of(made, material_of(phases((220, 0.3), (1_760, 0.3)))))
    engine.render(RATE // 2, [Event("on", 1, 84.0, 1.0)])
    row = engine.section.last_row(int(engine.section.voices.living()[0]))
    across = row[engine.section.layout.column("l1", "across")]
    assert across > 50


def test_only_a_cloud_speaks_in_another_voice_and_not_in_its_own():
    document = layered({"kind": "wave"}, {"kind": "cloud"})
    with pytest.raises(DocumentError, match="Only a cloud"):
        resemble(document, 0, 1)
    with pytest.raises(DocumentError, match="its own voice"):
        resemble(document, 1, 1)
    with pytest.raises(DocumentError, match="no such layer"):
        resemble(document, 1, 7)
