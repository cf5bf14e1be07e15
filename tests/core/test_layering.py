"""Building documents out of layers, older documents, variants, tunings, MPE, portraits."""

from __future__ import annotations

import mido
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from innerbloom.core.declare.sound import Sound
from innerbloom.core.deliver.held_note import held_note
from innerbloom.core.deliver.portrait import measure_key, portrait
from innerbloom.core.engine import Engine
from innerbloom.core.errors import Cancelled, DocumentError
from innerbloom.core.instrument import layering
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.instrument.grow import grow_cloud
from innerbloom.core.instrument.vary import Range, ranges_around, vary
from innerbloom.core.materials.wavetable.prepared import wavetable_from
from innerbloom.core.materials.wavetable.table import TableError
from innerbloom.core.performance.events import Event
from innerbloom.core.performance.midi import MidiReader
from innerbloom.core.performance.scala import TuningError, key_offsets, read_mapping, read_scale
from tests.engines import RATE, layered, material_of, play, program_of, sine, strongest_hz

TONE = material_of(sine(440.0, 2.0))


def grown():
    return grow_cloud("Wire", duration_s=4.0, root=45.16, loudness_lufs=-20, recording="a" * 64)


# -- layers --------------------------------------------------------------------------


def test_a_duplicate_has_every_setting_and_route_and_takes_another_sound():
    document = grown()
    document.layers[0].settings.size = 333
    twice = layering.duplicate_layer(document, 0)
    first, second = twice.layers
    assert second.settings == first.settings
    assert second.id != first.id
    assert second.petal != first.petal

    def of(layer):
        return [(r.source, r.parameter, r.depth) for r in twice.routes if r.target == layer.id]

    assert of(first) == of(second) != []
    other = Sound(recording="b" * 64, root=60, name="Lid")
    swapped = layering.swap_sound(twice, 1, 0, other)
    assert swapped.layers[1].sounds == [other]
    assert swapped.layers[1].settings == first.settings


def test_removing_a_layer_takes_its_routes_along_and_the_last_one_stays():
    twice = layering.duplicate_layer(grown(), 0)
    once = layering.remove_layer(twice, 0)
    assert {route.target for route in once.routes} == {twice.layers[1].id}
    with pytest.raises(DocumentError, match="at least one layer"):
        layering.remove_layer(once, 0)


def test_eight_layers_are_the_most():
    document = grown()
    for _ in range(7):
        document = layering.add_layer(document, "wave", name="Sine")
    assert len({layer.petal for layer in document.layers}) == 8
    with pytest.raises(DocumentError, match="8 layers at most"):
        layering.add_click(document)


@pytest.mark.parametrize("octave", [-2, 0, 1])
@pytest.mark.parametrize("key", [40.0, 69.0])
def test_a_tuned_wave_sounds_with_the_recording(octave, key):
    """The recording stands 16 cents off its key: both sound the key that is struck."""
    off = material_of(sine(440.0 * 2 ** (0.16 / 12), 3.0))
    wire = layered({"kind": "loop", "loop": "off", "sounds": [{"path": "a.wav", "root": 69.16}]})
    tuned = layering.add_tuned_wave(wire, 0, "sine", octave)
    hz = []
    for index in (0, 1):
        alone = tuned.model_copy(deep=True)
        alone.layers[index].settings.solo = "on"
        events = [Event("on", 1, key, 1.0)]
        hz.append(
            strongest_hz(play(program_of(alone, off), 2.9, events)[RATE // 4 : RATE * 11 // 4, 0])
        )
    assert 1200 * np.log2(hz[1] / hz[0]) == pytest.approx(1200 * octave, abs=3)


def test_a_wave_is_not_tuned_to_a_sound_without_a_pitch():
    noise = grow_cloud("Rain", duration_s=3.0, root=None, loudness_lufs=None, path="a.wav")
    with pytest.raises(DocumentError, match="no clear pitch: set its root first"):
        layering.add_tuned_wave(noise, 0, "sine", -1)


def test_a_click_is_short_and_falls():
    document = layering.remove_layer(layering.add_click(grown()), 0)
    sound = play(program_of(document, TONE), 1.0, [Event("on", 1, 48.0, 1.0)])[:, 0]
    power = np.cumsum(sound**2) / np.sum(sound**2)
    assert np.searchsorted(power, 0.95) / RATE < 0.05
    crossings = np.flatnonzero(np.diff(np.signbit(sound[: RATE // 20])))
    assert np.diff(crossings)[:3].mean() < 0.6 * np.diff(crossings)[8:12].mean()


def test_sounds_are_spread_evenly_and_cover_every_key():
    document = grown()
    for n in range(4):
        document = layering.add_sounds(document, 0, [Sound(recording=f"{n}" * 64, name=str(n))])
    for by in ("key", "velocity"):
        picks = layering.spread_sounds(document, 0, by).layers[0].picks
        covered = [
            n for p in picks for n in range(getattr(p, f"{by}_low"), getattr(p, f"{by}_high") + 1)
        ]
        assert sorted(covered) == list(range(128))
        widths = [getattr(p, f"{by}_high") - getattr(p, f"{by}_low") for p in picks]
        assert max(widths) - min(widths) <= 1
    assert layering.spread_sounds(document, 0, "control").layers[0].settings.choose == "control"


def test_ranges_upside_down_and_missing_materials_are_refused():
    plain = grown().model_dump(mode="json")
    plain["layers"][0]["settings"] |= {"key_low": 80, "key_high": 40}
    with pytest.raises(
        DocumentError, match=r"layers\.0\.settings\.key_low: the lowest key lies above"
    ):
        parse_instrument(plain)
    plain = grown().model_dump(mode="json")
    plain["layers"][0]["sounds"] = []
    with pytest.raises(DocumentError, match="has no sound yet: choose one"):
        program_of(parse_instrument(plain), TONE)
    plain = grown().model_dump(mode="json")
    plain["routes"][0]["parameter"] = "seed"
    with pytest.raises(DocumentError, match=r"routes\.0\.parameter: 'seed' of a cloud"):
        parse_instrument(plain)
    plain["routes"][0] |= {"parameter": "level", "target": "l9"}
    with pytest.raises(DocumentError, match=r"there is nothing called 'l9' to move"):
        parse_instrument(plain)


def test_a_document_of_version_1_is_brought_up_to_date():
    old = grown().model_dump(mode="json")
    layer = old["layers"][0]
    kept = {"size": 200.0, "drift": 0.5}
    layer["sound"] = layer.pop("sounds")[0]
    for key in ("picks", "path"):
        del layer[key]
    layer["settings"] = {**kept, "velocity_level": 60, "pressure_level": 6, "slide_position": 20}
    for key in ("routes", "stack", "tuning"):
        del old[key]
    old["version"] = 1
    new = parse_instrument(old)
    assert new.version == 4
    assert new.layers[0].sound.recording == "a" * 64
    assert new.layers[0].settings.motion == "speed"
    assert {(r.source, r.parameter): r.depth for r in new.routes} == {
        ("velocity", "level"): -12.0, ("pressure", "level"): 6.0, ("slide", "position"): 20.0,
    }  # fmt: skip


# -- variants ------------------------------------------------------------------------


@given(st.integers(0, 10_000), st.floats(0.01, 1.0))
def test_variants_stay_inside_their_ranges_and_change_nothing_else(seed, amount):
    document = grown()
    ranges = ranges_around(document, ["Grain"], amount)
    varied = vary(document, ranges, seed)
    before, after = document.layers[0].settings, varied.layers[0].settings
    for one in ranges:
        assert one.low - 1e-9 <= getattr(after, one.parameter) <= one.high + 1e-9
    touched = {one.parameter for one in ranges}
    assert all(getattr(after, k) == v for k, v in before.model_dump().items() if k not in touched)
    assert vary(document, ranges, seed) == varied


def test_ranges_upside_down_are_refused():
    with pytest.raises(DocumentError, match="the lower end first"):
        vary(grown(), [Range("l1", "size", 200, 100)], 1)
    with pytest.raises(DocumentError, match="no 'wings' in layer 'l1'"):
        vary(grown(), [Range("l1", "wings", 0, 1)], 1)


# -- tunings -------------------------------------------------------------------------

JUST = """! just.scl
!
Seven just steps
 7
!
 9/8
 5/4
 4/3
 3/2
 5/3
 15/8
 2/1
"""
WHITE_KEYS = """! white.kbm
12
0
127
60
69
440.0
7
0
x
1
x
2
3
x
4
x
5
x
6
"""


def test_a_just_scale_on_the_white_keys():
    """Scala scale and mapping formats (from memory): A4 stays at 440 Hz, ratios are exact."""
    offsets = key_offsets(read_scale(JUST), read_mapping(WHITE_KEYS))
    hz = {key: 440 * 2 ** ((key - 69) / 12 + cents / 1200)
          for key, cents in enumerate(offsets) if cents is not None}  # fmt: skip
    assert hz[69] == pytest.approx(440.0, rel=1e-9)
    assert hz[64] / hz[60] == pytest.approx(5 / 4)
    assert hz[67] / hz[60] == pytest.approx(3 / 2)
    assert hz[72] / hz[60] == pytest.approx(2.0)
    assert offsets[61] is None


def test_equal_steps_are_equal_temperament():
    twelve = "equal\n12\n" + "\n".join(f"{100.0 * n:.1f}" for n in range(1, 13))
    assert key_offsets(read_scale(twelve)) == pytest.approx([0.0] * 128, abs=1e-5)


@pytest.mark.parametrize(
    ("text", "words"),
    [("", "ends before"), ("x\n3\n9/8\n2/1", "promises 3 notes and has 2"),
     ("x\n1\nhalf", "Line 3"), ("x\n1\n2/0", "Line 3"), ("x\nmany\n2/1", "Line 2")],
)  # fmt: skip
def test_a_bad_scale_names_its_line(text, words):
    with pytest.raises(TuningError, match=words):
        read_scale(text)


def test_a_tuned_instrument_sounds_its_tuning_and_leaves_silent_keys_silent():
    document = layered({"kind": "wave"})
    plain = document.model_dump(mode="json")
    plain["tuning"] = {
        "name": "just",
        "cents": key_offsets(read_scale(JUST), read_mapping(WHITE_KEYS)),
    }
    program = program_of(parse_instrument(plain), TONE)
    third = play(program, 2.0, [Event("on", 1, 64.0, 1.0)])[RATE:, 0]
    tonic = play(program, 2.0, [Event("on", 1, 60.0, 1.0)])[RATE:, 0]
    assert strongest_hz(third) / strongest_hz(tonic) == pytest.approx(1.25, abs=1e-3)
    assert np.abs(play(program, 0.5, [Event("on", 1, 61.0, 1.0)])).max() == 0.0


# -- MPE (RP-053) ----------------------------------------------------------------------


def told(reader, *messages):
    return [event for message in messages for event in reader.take_bytes(bytes(message), 0)]


def zone(channel, members):
    return [0xB0 | channel, 101, 0], [0xB0 | channel, 100, 6], [0xB0 | channel, 6, members]


def test_members_bend_press_and_slide_on_their_own():
    reader = MidiReader(2.0)
    told(reader, *zone(0, 5))
    on = told(reader, [0x91, 60, 100], [0x92, 64, 100])
    first, second = (event.note for event in on if event.kind == "on")
    bends = told(reader, [0xE1, 0x7F, 0x7F], [0xE2, 0, 0])
    assert [(e.note, round(e.value, 2)) for e in bends] == [(first, 47.99), (second, -48.0)]
    assert [(e.kind, e.note, e.value) for e in told(reader, [0xD1, 127])] == [
        ("pressure", first, 1.0)
    ]
    slide = [e for e in told(reader, [0xB2, 74, 127]) if e.kind == "slide"]
    assert [(e.note, e.value) for e in slide] == [(second, 1.0)]


def test_the_manager_speaks_to_the_whole_zone_by_two_semitones():
    reader = MidiReader(12.0)
    told(reader, *zone(0, 3))
    told(reader, [0x91, 60, 100], [0x92, 64, 100])
    bends = told(reader, [0xE0, 0, 0x60])
    assert [round(e.value, 3) for e in bends] == [1.0, 1.0]


def test_a_note_starts_with_what_its_channel_said_before():
    reader = MidiReader(2.0)
    told(reader, *zone(0, 3))
    told(reader, [0xE1, 0, 0x60], [0xB1, 74, 64])
    on = told(reader, [0x91, 60, 100])
    assert [(e.kind, round(e.value, 2)) for e in on] == [
        ("on", 0.79),
        ("bend", 24.0),
        ("slide", 0.5),
    ]


def test_the_upper_zone_counts_down_and_a_new_zone_takes_channels_away():
    reader = MidiReader(2.0)
    told(reader, *zone(0, 10))
    told(reader, *zone(15, 6))
    assert reader.members == {0: 8, 15: 6}
    told(reader, [0x9E, 60, 100])
    assert [round(e.value) for e in told(reader, [0xEE, 0, 0])] == [-48]


def test_a_bend_range_may_be_set_and_outside_zones_the_instruments_holds():
    reader = MidiReader(12.0)
    told(reader, [0x90, 60, 100])
    assert [round(e.value, 1) for e in told(reader, [0xE0, 0, 0])] == [-12.0]
    told(reader, [0xB0, 101, 0], [0xB0, 100, 0], [0xB0, 6, 5])
    assert [round(e.value, 1) for e in told(reader, [0xE0, 0, 0])] == [-5.0]


def test_pedals_release_velocity_and_controllers():
    reader = MidiReader(2.0)
    told(reader, [0x90, 60, 100])
    assert told(reader, [0xB0, 66, 127])[0].kind == "sostenuto"
    assert told(reader, [0xB0, 64, 127])[0].kind == "hold"
    moved = told(reader, [0xB0, 21, 127])[0]
    assert (moved.kind, moved.note, moved.value) == ("control", 21, 1.0)
    assert told(reader, [0x80, 60, 127])[0].value == 1.0
    assert told(reader, [0xB0, 123, 0])[0].kind == "panic"


@given(st.lists(st.binary(min_size=1, max_size=3), max_size=60))
def test_any_bytes_are_survived(messages):
    reader = MidiReader(2.0)
    engine = Engine(program_of(layered({"kind": "wave"}), TONE))
    for data in messages:
        engine.render(0, reader.take_bytes(data, engine.now))
    assert np.isfinite(engine.render(640)).all()


def test_a_file_may_hold_mpe():
    file = mido.MidiFile()
    track = mido.MidiTrack()
    file.tracks.append(track)
    for control, value in ((101, 0), (100, 6), (6, 4)):
        track.append(mido.Message("control_change", channel=0, control=control, value=value))
    track.append(mido.Message("note_on", channel=1, note=60, velocity=90))
    track.append(mido.Message("pitchwheel", channel=1, pitch=4096))
    reader = MidiReader(2.0)
    events = [e for message in track for e in reader.take(message, 0)]
    assert [round(e.value) for e in events if e.kind == "bend"] == [24]


# -- portrait ------------------------------------------------------------------------


def test_a_portrait_tells_tones_from_grit():
    keys = portrait(
        program_of(layered({"kind": "wave", "shape": "triangle"}), TONE), low=48, high=60
    )
    assert [one.key for one in keys] == list(range(48, 61))
    assert all(abs(one.cents) < 3 for one in keys)
    assert all(one.tonal > 0.8 for one in keys)
    assert keys[1].words.startswith("C\u266f3: tonal, ")
    assert np.all(np.diff([one.brightness for one in keys]) > 0)
    high = portrait(program_of(layered({"kind": "wave", "fine": 20}), TONE), low=96, high=100)
    assert all(one.cents == pytest.approx(20, abs=2) for one in high)
    grit = portrait(program_of(layered({"kind": "noise"}), TONE), low=50, high=52)
    assert all(one.cents is None and one.tonal < 0.3 for one in grit)
    assert "noisy, no clear pitch" in grit[0].words


def test_a_reduced_rate_gives_each_key_its_own_character():
    """A tone through a low sample rate: mirrored tones fall between the keys."""
    document = layered({"kind": "wave", "shape": "saw", "reduced_rate": 3_000})
    keys = portrait(program_of(document, TONE), low=48, high=72)
    brightness = np.array([one.brightness for one in keys])
    assert np.ptp(brightness) > 0.15 * brightness.mean()


def test_a_held_note_says_whether_it_moves():
    """A plain wave stands still in the middle; a cloud whose place travels moves and is wide."""
    wave = held_note(program_of(layered({"kind": "wave"}), TONE))
    assert wave.lowest_db > -0.5
    assert wave.flutter < 0.01
    assert wave.moves_db < 0.5
    assert "in mono" in wave.words
    quiet = held_note(program_of(layered({"kind": "wave", "mute": "on"}), TONE))
    assert quiet.flutter is None
    assert "silent" in quiet.words


def test_a_portrait_can_be_stopped_and_silence_is_said():
    program = program_of(layered({"kind": "wave", "key_low": 100}), TONE)
    silent = portrait(program, low=50, high=50)[0]
    assert (silent.level, silent.words) == (None, "D3 is silent")
    with pytest.raises(Cancelled):
        portrait(program, progress=lambda share: share < 0.05)
    assert measure_key(60, np.zeros((48_000, 2), np.float32)).level is None


# -- waves and noise that use a recording ------------------------------------------------


def test_a_wave_or_noise_given_a_sound_uses_it():
    document = layering.add_layer(grown(), "noise", name="White", settings={"colour": "white"})
    document = layering.add_layer(document, "wave", name="Sine", settings={"shape": "sine"})
    rain = Sound(recording="c" * 64, name="Rain")
    document = layering.swap_sound(document, 1, 0, rain)
    document = layering.swap_sound(document, 2, 0, rain)
    assert document.layers[1].settings.colour == "recording"
    assert document.layers[2].settings.shape == "table"
    assert [layer.name for layer in document.layers[1:]] == ["Rain", "Rain"]


def test_the_cycles_of_a_recording_become_frames():
    """Cycles of harmonics 1, 2 and 3 in turn come back as frames with just these."""
    cycle = 512
    t = np.arange(cycle) / cycle
    sound = np.concatenate([np.sin(2 * np.pi * k * t) for k in (1, 2, 3)]).astype(np.float32)
    table = wavetable_from(sound[:, None], cycle)
    assert table.frames == 3
    first, size = int(table.mip_levels[0]["offset"]), int(table.mip_levels[0]["frames"])
    for k in (1, 2, 3):
        frame = table.audio[(k - 1) * table.stride + first :][:size]
        spectrum = np.abs(np.fft.rfft(frame))
        assert int(spectrum.argmax()) == k
        assert np.sort(spectrum)[-2] < 1e-3 * spectrum.max()
    with pytest.raises(TableError, match="does not fit"):
        wavetable_from(sound[:100, None], cycle)
