"""Timelines: timecode, scenes, lanes, films, and how they are mixed."""

from __future__ import annotations

from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import av
import numpy as np
import opentimelineio as otio
import pytest
import soundfile as sf
from hypothesis import given, settings
from hypothesis import strategies as st
from timecode import Timecode

from innerbloom.core.errors import BloomError, DocumentError
from innerbloom.core.sound.resampled import ResampledSource
from innerbloom.core.timeline import editing
from innerbloom.core.timeline.cuts import ChangeMeter, find_cuts
from innerbloom.core.timeline.document import Timeline, parse_timeline, scene_at, scene_end
from innerbloom.core.timeline.film import film_info, film_sound, make_proxy
from innerbloom.core.timeline.interchange import as_edl, as_otio
from innerbloom.core.timeline.mix import MIX_RATE, TimelineMix, placed_clips
from innerbloom.core.timeline.scene_lists import read_scenes
from innerbloom.core.timeline.timecode import (
    DROPPING,
    RATES,
    frame_at,
    frame_of,
    frames_a_day,
    rate_named,
    samples_of,
    seconds_of,
    timecode_of,
)
from tests.films import EDL, write_film

WIRE = "0" * 64


def clip(id_: str, start: int, seconds: float = 1.0, **more) -> dict:
    return {"id": id_, "name": id_, "recording": WIRE, "start": start, "seconds": seconds, **more}


def timeline(*lanes: list[dict], **more) -> Timeline:
    made = [
        {"id": f"l{n}", "name": f"Lane {n}", "clips": clips} for n, clips in enumerate(lanes, 1)
    ]
    return parse_timeline({"name": "Film", "frames": 480, "lanes": made, **more})


# -- timecode -------------------------------------------------------------------


@pytest.mark.parametrize("rate", [*RATES])
@settings(max_examples=60, deadline=None)
@given(share=st.floats(0, 1, exclude_max=True))
def test_timecode_is_that_of_another_library(rate, share):
    """The package `timecode`, which counts frames from 1; SMPTE ST 12-1 for what is dropped."""
    for drop in {False, rate in DROPPING}:
        frame = int(share * frames_a_day(rate, drop))
        # it knows 47.952 as a rate of 48 numbers only
        told = {"47.952": "48"}.get(rate, rate)
        other = Timecode(told, frames=frame + 1, force_non_drop_frame=not drop)
        text = timecode_of(frame, rate, drop)
        assert text.replace(";", ":") == str(other).replace(";", ":")
        assert frame_of(text, rate, drop) == frame


@pytest.mark.parametrize(("rate", "first", "dropped"), [("29.97", 1_800, 2), ("59.94", 3_600, 4)])
def test_numbers_of_frames_are_dropped_but_every_tenth_minute(rate, first, dropped):
    """SMPTE ST 12-1, drop frame: two numbers a minute at 29.97, four at 59.94, none at 00, 10, ... 50."""
    assert timecode_of(first, rate, True) == f"00:01:00;{dropped:02d}"
    with pytest.raises(BloomError, match="There is no frame"):
        frame_of("00:01:00;00", rate, True)
    assert frame_of("00:10:00;00", rate, True) == frames_a_day(rate, True) // 144


@pytest.mark.parametrize("text", ["", "1:2:3", "01:00:00:24", "24:00:00:00", "aa:00:00:00", "01:60:00:00", "-1:00:00:00"])  # fmt: skip
def test_what_is_no_timecode_is_refused_in_a_sentence(text):
    with pytest.raises(BloomError) as said:
        frame_of(text, "24")
    assert str(said.value).count(".") >= 1
    assert "\n" not in str(said.value)


def test_a_frame_begins_at_its_own_sample():
    """An hour at 29.97 is 107,892 frames of the clock, and 172,972,800 samples long by the frame."""
    hour = frame_of("01:00:00;00", "29.97", True)
    assert hour == 107_892
    assert samples_of(hour, "29.97", 48_000) == round(Fraction(107_892 * 1_001 * 48_000, 30_000))
    assert [samples_of(f, "23.976", 48_000) for f in (0, 1, 2)] == [0, 2_002, 4_004]


@pytest.mark.parametrize(
    ("told", "name"),
    [(23.976, "23.976"), (24_000 / 1_001, "23.976"), (24, "24"), (Fraction(30_000, 1_001), "29.97"),
     (59.9401, "59.94"), (12.5, None), (0, None), (1_000, None)],
)  # fmt: skip
def test_a_films_rate_is_known_by_name(told, name):
    assert rate_named(told) == name


# -- the document ---------------------------------------------------------------


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"drop": True}, "no frames are dropped at 24"),
        ({"start": 24 * 86_400}, "past midnight"),
        ({"scenes": [{"id": "a", "name": "A", "start": 5}, {"id": "b", "name": "B", "start": 5}]}, "follow one another"),
        ({"scenes": [{"id": "a", "name": "A", "start": 480}]}, "past the end"),
        ({"scenes": [{"id": "l1", "name": "A", "start": 0}]}, "one id"),
        ({"rate": "26"}, "rate"),
        ({"frames": 0}, "frames"),
    ],
)  # fmt: skip
def test_what_does_not_hold_together_is_refused(change, said):
    plain = timeline([clip("c1", 0)]).model_dump(mode="json")
    with pytest.raises(DocumentError, match=said) as caught:
        parse_timeline({**plain, **change})
    assert "\n" not in str(caught.value)


def test_a_clip_plays_one_thing():
    with pytest.raises(DocumentError, match="one recording or one take"):
        timeline([clip("c1", 0, take="a" * 32)])


# -- editing --------------------------------------------------------------------


def lengths(found: Timeline) -> list[tuple[int, float, float]]:
    return [
        (one.start, round(one.offset, 6), round(one.seconds, 6)) for one in found.lanes[0].clips
    ]


def test_trimming_keeps_what_sounds_where_it_was():
    made = timeline(
        [clip("c1", 24, 4.0, offset=1.0, levels=[{"at": 0, "db": 0}, {"at": 2, "db": -6}])]
    )
    later = editing.trim_clip(made, "c1", 48, 24 + 96)
    assert lengths(later) == [(48, 2.0, 3.0)]
    assert [one.at for one in later.lanes[0].clips[0].levels] == [0, 1]
    # it cannot begin before its sound does, nor end after it
    assert lengths(editing.trim_clip(made, "c1", 0, 24 + 96)) == [(0, 0.0, 5.0)]
    assert lengths(editing.trim_clip(made, "c1", 24, 480, length=6.0)) == [(24, 1.0, 5.0)]
    early = editing.trim_clip(timeline([clip("c1", 24, 4.0, offset=0.5)]), "c1", 0, 24 + 96)
    assert lengths(early) == [(12, 0.0, 4.5)]


def test_a_sound_is_placed_moved_doubled_and_taken_out():
    made = editing.place_clip(timeline(), {"name": "Reeds", "recording": WIRE}, 2.0, 9_999)
    assert made.lanes[0].name == "Reeds"
    assert lengths(made) == [(479, 0.0, 2.0)]
    made = editing.move_clip(made, "c1", -5)
    made = editing.duplicate_clip(editing.add_lane(made), "c1")
    assert [start for start, _, _ in lengths(made)] == [0, 48]
    made = editing.move_clip(made, "c1", 10, made.lanes[1].id)
    assert [[c.id for c in lane.clips] for lane in made.lanes] == [["c2"], ["c1"]]
    made = editing.remove_lane(editing.remove_clip(made, "c2"), made.lanes[1].id)
    assert [len(lane.clips) for lane in made.lanes] == [0]
    with pytest.raises(DocumentError, match="no longer there"):
        editing.move_clip(made, "c1", 3)


def worked_on(made: Timeline, what: str, number: int, rate: str) -> Timeline:
    """One step of some kind; the same where it is refused."""
    clips = [one.id for lane in made.lanes for one in lane.clips]
    scenes = [one.id for one in made.scenes]
    ways = {
        "m": lambda: editing.move_clip(made, clips[number % len(clips)], number),
        "t": lambda: editing.trim_clip(made, clips[number % len(clips)], number, number + 20, 3.0),
        "s": lambda: editing.split_clip(made, clips[number % len(clips)], max(0, number)),
        "x": lambda: editing.remove_scene(made, (scenes or ["gone"])[number % max(1, len(scenes))]),
        "c": lambda: editing.move_scene(
            made, (scenes or ["gone"])[number % max(1, len(scenes))], number
        ),
        "w": lambda: editing.at_rate(made, rate),
    }
    try:
        return ways[what]()
    except DocumentError:
        return made


@settings(max_examples=80, deadline=None)
@given(
    starts=st.lists(st.integers(0, 470), min_size=1, max_size=8, unique=True),
    rate=st.sampled_from([*RATES]),
    data=st.data(),
)
def test_any_way_of_working_on_it_leaves_it_whole(starts, rate, data):
    made = timeline([clip(f"c{n}", at, 1.5) for n, at in enumerate(starts, 1)])
    for at in starts:
        made = editing.add_scene(made, at)
    steps = data.draw(
        st.lists(st.tuples(st.sampled_from("mtsxcw"), st.integers(-50, 999)), max_size=12)
    )
    for what, number in steps:
        made = worked_on(made, what, number, rate)
    assert parse_timeline(made.model_dump(mode="json")) == made
    assert [one.start for one in made.scenes] == sorted({one.start for one in made.scenes})


def test_another_rate_keeps_times():
    made = editing.add_scene(timeline([clip("c1", 240)]), 120)
    moved = editing.at_rate(made, "29.97", True)
    assert moved.timecode(0) == "01:00:00;00"
    for before, after in ((240, moved.lanes[0].clips[0].start), (120, moved.scenes[0].start)):
        assert abs(seconds_of(before, "24") - seconds_of(after, "29.97")) <= 0.5 / 29.9


# -- scenes ---------------------------------------------------------------------


def test_scenes_come_from_lists():
    edl = read_scenes(EDL.encode(), "film.edl", "24", False)
    assert [(one.name, one.start, one.feel) for one in edl] == [
        ("SURFACE", 86_400, ""), ("UNDER THE PANES", 86_496, "held under"),
    ]  # fmt: skip
    table = 'Start;Scene;Feel\n00:00:00:00;Surface;calm\n00:00:04:00;Under;"held; under"\n'
    assert [one.start for one in read_scenes(table.encode(), "s.csv", "24", False, 86_400)] == [
        86_400,
        86_496,
    ]
    made = editing.with_scenes(timeline(), edl)
    assert [(one.name, one.start) for one in made.scenes] == [
        ("SURFACE", 0),
        ("UNDER THE PANES", 96),
    ]
    assert scene_at(made, 95).name == "SURFACE"
    assert scene_end(made, made.scenes[0]) == 96
    # the same list through the other library's reader
    track = otio.adapters.read_from_string(EDL, "cmx_3600", rate=24).tracks[0]
    ranges = [track.range_of_child(one).start_time.value for one in track.find_clips()]
    assert ranges == [one.start for one in made.scenes]


@pytest.mark.parametrize(
    ("data", "name", "said"),
    [
        (EDL + "003  AX       V     C        00:00:00:00 00:00:02:00 01:00:05:00 01:00:07:00\n", "o.edl", "overlaps itself at 01:00:05:00"),
        (EDL.replace("01:00:04:00", "01:00:04:31"), "o.edl", "In line"),
        ("", "empty.edl", "no edit list"),
        ("what is this", "words.edl", "no scene"),
        ("a,b\n1,2\n", "table.csv", "Line 2 of 'table.csv' has no start"),
        ("start,name\n01:00:00:99,x\n", "table.csv", "line 2 of 'table.csv'"),
        ("{}", "x.otio", "no timeline"),
        ("{", "x.otio", "cannot be read|can be read"),
        ("\x00\xff", "x.csv", "no scene"),
        ("text", "x.docx", "CSV, EDL and OTIO are read"),
    ],
)  # fmt: skip
def test_a_list_that_cannot_be_read_is_refused_in_a_sentence(data, name, said):
    with pytest.raises(BloomError, match=said) as caught:
        read_scenes(data.encode("latin-1"), name, "24", False)
    assert "\n" not in str(caught.value)


def test_a_list_that_is_no_utf8_is_read_all_the_same():
    assert (
        read_scenes("start,scene\n00:00:00:00,Brücke\n".encode("latin-1"), "x.csv", "24", False)[
            0
        ].name
        == "Brücke"
    )


# -- for other programs ---------------------------------------------------------


def test_a_timeline_goes_to_other_programs_and_comes_back():
    made = editing.add_scene(
        editing.add_scene(timeline([clip("c1", 24, 2.0), clip("c2", 60, 2.0)]), 0, "Surface"), 100
    )
    made.scenes[0].feel = "calm"
    text = as_otio(made, {"l1": "film_bed.wav"})
    back = otio.adapters.read_from_string(text, "otio_json")
    assert back.global_start_time.to_timecode() == "01:00:00:00"
    scenes = read_scenes(text.encode(), "film.otio", "24", False)
    assert [(one.name, one.start - made.start, one.feel) for one in scenes] == [
        ("Surface", 0, "calm"),
        ("Scene 1", 100, ""),
    ]
    track = back.audio_tracks()[0]
    ranges = [track.range_of_child(one) for one in track.find_clips()]
    # they cross over from 60 to 72: the later one begins in the middle
    assert [(r.start_time.value, r.duration.value) for r in ranges] == [(24, 42), (66, 42)]


def test_edit_lists_are_read_by_others(tmp_path):
    made = timeline(
        [clip("c1", 24, 2.0), clip("c2", 100, 1.0)], rate="29.97", drop=True, start=107_892
    )
    text = as_edl(made, made.lanes[0], "film_bed.wav")
    import pycmx

    path = tmp_path / "bed.edl"
    path.write_text(text)
    with path.open() as file:
        edits = [one for event in pycmx.parse_cmx3600(file).events for one in event.edits]
    assert [(one.record_in, one.clip_name, one.channels.audio) for one in edits] == [
        ("01:00:00;24", "c1", True), ("01:00:03;10", "c2", True),
    ]  # fmt: skip
    # the other library reads pictures only
    other = otio.adapters.read_from_string(
        text.replace(" AA ", " V  "), "cmx_3600", rate=30_000 / 1_001
    )
    found = [one.source_range.start_time.value for one in other.tracks[0].find_clips()]
    assert found == [made.start + 24, made.start + 100]


# -- the mix --------------------------------------------------------------------


@pytest.fixture
def noise(tmp_path) -> Path:
    path = tmp_path / "noise.wav"
    sound = np.random.default_rng(3).uniform(-0.5, 0.5, (8 * MIX_RATE, 2))
    sf.write(path, sound, MIX_RATE, subtype="FLOAT")
    return path


def mix_of(made: Timeline, path: Path, **more) -> TimelineMix:
    return TimelineMix(made, lambda _: ResampledSource(path, MIX_RATE), **more)


def test_a_clip_lies_on_its_frame_to_the_sample(noise):
    made = timeline(
        [clip("c1", 37, 2.0, offset=0.25, gain=-6.0, fade_in=0, fade_out=0)], rate="23.976", start=0
    )
    sound = mix_of(made, noise).read(0, 6 * MIX_RATE)
    first = samples_of(37, "23.976", MIX_RATE)
    own, _ = sf.read(noise, dtype="float32")
    assert not sound[:first].any()
    want = own[12_000 : 12_000 + 2 * MIX_RATE] * np.float32(10 ** (-6 / 20))
    np.testing.assert_allclose(sound[first : first + 2 * MIX_RATE], want, atol=1e-6)
    assert not sound[first + 2 * MIX_RATE :].any()


@settings(max_examples=25, deadline=None)
@given(
    cuts=st.lists(st.integers(1, 5 * MIX_RATE - 1), max_size=6),
    rate=st.sampled_from([MIX_RATE, 44_100]),
)
def test_the_mix_does_not_depend_on_how_it_is_cut(tmp_path_factory, cuts, rate):
    path = tmp_path_factory.getbasetemp() / f"cut{rate}.wav"
    if not path.exists():
        sf.write(
            path, np.random.default_rng(1).uniform(-0.5, 0.5, (6 * rate, 1)), rate, subtype="FLOAT"
        )
    made = timeline(
        [
            clip("c1", 5, 3.0, fade_in=1.0, levels=[{"at": 0, "db": -20}, {"at": 2, "db": 3}]),
            clip("c2", 50, 2.0),
        ]
    )
    whole = mix_of(made, path).read(0, 5 * MIX_RATE)
    mix = mix_of(made, path)
    edges = [0, *sorted(set(cuts)), 5 * MIX_RATE]
    pieces = [mix.read(a, b - a) for a, b in pairwise(edges)]
    np.testing.assert_array_equal(np.concatenate(pieces), whole)


def test_clips_that_overlap_cross_over_at_constant_power(noise):
    made = timeline([clip("c1", 0, 2.0), clip("c2", 24, 2.0, offset=4.0)])
    one, other = placed_clips(made.lanes[0], made.rate)
    assert one.fade_out == other.fade_in == MIX_RATE
    sound = mix_of(made, noise).read(0, 3 * MIX_RATE)
    level = np.sqrt(np.mean(sound.reshape(-1, 4_800, 2) ** 2, axis=(1, 2)))
    # two noises that have nothing in common: 0.5 dB either way in stretches of 0.1 s
    assert np.ptp(20 * np.log10(level[1:-1])) < 0.5


def test_a_clip_cut_in_two_sounds_as_before(noise):
    made = timeline([clip("c1", 0, 4.0)])
    before = mix_of(made, noise).read(0, 4 * MIX_RATE)
    after = mix_of(editing.split_clip(made, "c1", 50), noise).read(0, 4 * MIX_RATE)
    at = samples_of(50, "24", MIX_RATE)
    apart = np.abs(after - before)
    apart[at - 1 : at + 241] = 0
    assert apart.max() == 0
    # within the 5 ms the same sound is crossed with itself: 3 dB more at most
    assert np.abs(after[at : at + 240]).max() <= np.abs(before[at : at + 240]).max() * 1.42


def test_solo_and_mute_say_what_is_heard(noise):
    made = timeline([clip("c1", 0)], [clip("c2", 0)], [clip("c3", 0)])
    made.lanes[0].muted = True
    assert mix_of(made, noise).heard_lanes() == [1, 2]
    made.lanes[2].solo = True
    assert mix_of(made, noise).heard_lanes() == [2]


def test_what_is_gone_is_silent_where_that_is_asked(tmp_path):
    made = timeline([clip("c1", 0)])
    gone = tmp_path / "gone.wav"
    assert mix_of(made, gone, skip_missing=True).missing == ["c1"]
    assert not mix_of(made, gone, skip_missing=True).read(0, 1_000).any()
    with pytest.raises(BloomError):
        mix_of(made, gone)


def test_a_file_is_read_at_another_rate_from_anywhere(tmp_path):
    """A sine stays a sine of its own pitch, from whatever place it is read: closed form."""
    path = tmp_path / "sine.wav"
    sf.write(
        path, np.sin(2 * np.pi * 440 * np.arange(3 * 44_100) / 44_100), 44_100, subtype="FLOAT"
    )
    source = ResampledSource(path, MIX_RATE)
    want = np.sin(2 * np.pi * 440 * np.arange(3 * MIX_RATE) / MIX_RATE) * np.sqrt(0.5)
    assert source.frames == 3 * MIX_RATE
    for first in (0, 70_001, 13, 120_000):
        found = source.read(first, 9_000)[:, 0]
        inside = slice(max(0, 600 - first), None)
        assert np.abs(found - want[first : first + 9_000])[inside].max() < 1e-3
    assert not source.read(-100, 100).any()
    assert not source.read(3 * MIX_RATE, 100).any()


# -- films ----------------------------------------------------------------------


def decoded(path: Path) -> list[np.ndarray]:
    with av.open(str(path)) as container:
        return [
            frame.to_ndarray(format="rgb24")[90, 160].astype(int)
            for frame in container.decode(video=0)
        ]


def test_a_proxy_has_every_frame_and_each_on_its_own(tmp_path):
    film, proxy = tmp_path / "film.mp4", tmp_path / "proxy.mp4"
    write_film(film, [*range(48)], Fraction(24_000, 1_001))
    info = film_info(film)
    assert (info.rate, info.frames, info.width, info.height, info.sound) == (
        "23.976",
        48,
        320,
        180,
        True,
    )
    make_proxy(film, proxy, info)
    pictures, source = decoded(proxy), decoded(film)
    assert len(pictures) == 48
    assert all(np.abs(a - b).max() < 12 for a, b in zip(pictures, source, strict=True))
    with av.open(str(proxy)) as container:
        assert all(packet.is_keyframe for packet in container.demux(video=0) if packet.size)


def test_cuts_are_found_where_the_colours_change(tmp_path):
    """A film of five shots, its cuts known as it was made; each shot drifts a little."""
    film = tmp_path / "film.mp4"
    shots = [3, 40, 11, 90, 25]
    write_film(film, [shot for shot in shots for _ in range(30)])
    info = film_info(film)
    change = make_proxy(film, tmp_path / "proxy.mp4", info)
    assert find_cuts(change, 6) == [30, 60, 90, 120]


def test_a_slow_fade_and_a_moving_picture_are_no_cuts():
    grey = np.linspace(0, 255, 200)
    fade = [np.full((40, 60, 3), level, np.uint8) for level in grey]
    rng = np.random.default_rng(5)
    scene = rng.integers(0, 255, (40, 400, 3), np.uint8)
    pan = [scene[:, at : at + 60] for at in range(0, 300, 3)]
    for pictures in (fade, pan):
        meter = ChangeMeter()
        assert find_cuts(np.array([meter.feed(one) for one in pictures]), 6) == []


def test_a_films_sound_begins_with_its_picture(tmp_path):
    film, sound = tmp_path / "film.mkv", tmp_path / "sound.wav"
    write_film(film, [1] * 72)
    assert film_sound(film, sound)
    samples, rate = sf.read(sound)
    loud = np.flatnonzero(np.abs(samples).max(axis=1) > 0.2)
    # a click a second; AAC smears one over less than 10 ms
    assert {round(at / rate, 1) for at in loud} == {0.0, 1.0, 2.0}


@pytest.mark.parametrize("rate", [Fraction(25, 2), Fraction(90), Fraction(15)])
def test_a_film_of_a_strange_rate_is_shown_at_one_that_timecode_knows(tmp_path, rate):
    film = tmp_path / "film.mp4"
    write_film(film, [*range(30)], rate, sound=None)
    info = film_info(film)
    assert info.rate in RATES
    assert not info.sound
    assert abs(seconds_of(info.frames, info.rate) - 30 / float(rate)) < 0.06
    make_proxy(film, tmp_path / "proxy.mp4", info)
    assert len(decoded(tmp_path / "proxy.mp4")) == info.frames
    assert not film_sound(film, tmp_path / "none.wav")


def test_what_is_no_film_is_refused_in_a_sentence(tmp_path, tone_file):
    junk = tmp_path / "junk.mp4"
    junk.write_bytes(bytes(range(256)) * 40)
    for path in (junk, tone_file):
        with pytest.raises(BloomError) as caught:
            film_info(path)
        assert "\n" not in str(caught.value)
    cut = tmp_path / "cut.mkv"
    write_film(cut, [1] * 48)
    cut.write_bytes(cut.read_bytes()[:700])
    with pytest.raises(BloomError):
        make_proxy(cut, tmp_path / "p.mp4", film_info(cut))


def test_making_a_proxy_can_be_stopped(tmp_path):
    film = tmp_path / "film.mp4"
    write_film(film, [1] * 48)
    with pytest.raises(BloomError, match="Stopped"):
        make_proxy(film, tmp_path / "proxy.mp4", film_info(film), lambda share: share < 0.5)
    assert not (tmp_path / "proxy.mp4").exists()


def test_moments_and_frames():
    for rate in RATES:
        assert all(
            frame_at(seconds_of(frame, rate), rate) == frame for frame in (0, 1, 999, 86_401)
        )
