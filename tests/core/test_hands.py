"""The hands of takes: read, changed, written as MIDI, put together; takes as files."""

from __future__ import annotations

import json
import zipfile
from io import BytesIO

import mido
import numpy as np
import pytest
import soundfile as sf
from hypothesis import given
from hypothesis import strategies as st

from innerbloom.core.deliver.comp import Part, hands_together, put_together
from innerbloom.core.deliver.take_file import unpack_take, write_take
from innerbloom.core.errors import BloomError
from innerbloom.core.performance.events import Event, Renew, SetParameter
from innerbloom.core.performance.hands import (
    Copy,
    Draw,
    Move,
    Overdub,
    Quantise,
    Remove,
    Select,
    Stretch,
    at_tempo,
    edited,
    sentence_of,
    without,
)
from innerbloom.core.performance.lanes import lanes_of, notes_of, thinned
from innerbloom.core.performance.midi import events_from_midi
from innerbloom.core.performance.midi_out import midi_of
from innerbloom.core.performance.take import RATE, EventWriter, Mark, Take
from innerbloom.core.performance.take_format import header_of, parse_header
from innerbloom.core.prepare.source import FileSource

DOCUMENT = {"settings": {"ceiling": -1.0}, "layers": []}


def event(kind: str, at: float, note: int = 0, value: float = 0.8, key: float = 60.0) -> Event:
    return Event(kind, note, key, value, round(at * RATE))


def take_of(*events, seconds: float = 10.0, lead_in: int = 0) -> Take:
    ordered = tuple(sorted(events, key=lambda one: one.time))
    return Take(DOCUMENT, events=ordered, frames=round(seconds * RATE), lead_in=lead_in)


def played() -> Take:
    return take_of(
        event("on", 1.0, 1, key=60), event("slide", 1.5, 1, 0.5), event("off", 3.0, 1, key=60),
        event("on", 2.0, 2, key=67), event("bend", 2.5, 2, 1.5), event("off", 4.0, 2, key=67),
        event("on", 5.1, 3, key=72), event("off", 6.0, 3, key=72),
        event("pad_across", 0.5, value=-0.5), event("pad_across", 7.0, value=0.9),
        event("control", 3.0, 1, 0.3), SetParameter("l1", "cutoff", 900.0, 4 * RATE),
        Renew(3, 8 * RATE), Mark(9 * RATE),
    )  # fmt: skip


def starts(take: Take) -> list[tuple[float, float]]:
    return [(round(one.start, 3), one.key) for one in notes_of(take)]


def test_notes_and_lanes_are_read():
    take = played()
    assert starts(take) == [(1.0, 60), (2.0, 67), (5.1, 72)]
    assert [round(one.end, 3) for one in notes_of(take)] == [3.0, 4.0, 6.0]
    lanes = lanes_of(take)
    assert lanes["l1.cutoff"] == [(4.0, 900.0)]
    assert lanes["pad_across"] == [(0.5, -0.5), (7.0, 0.9)]
    assert set(lanes) == {"pad_across", "slide", "bend", "control 1", "l1.cutoff"}
    assert thinned([(float(i), 0.0) for i in range(100)], 7)[-1] == (99.0, 0.0)


def test_moving_takes_what_belongs_to_a_note_with_it():
    take = edited(played(), [Move(do="move", select=Select(start=0.5, end=1.5), seconds=0.25,
                                  semitones=-12)])  # fmt: skip
    assert starts(take) == [(1.25, 48), (2.0, 67), (5.1, 72)]
    assert lanes_of(take)["slide"] == [(1.75, 0.5)]
    assert lanes_of(take)["bend"] == [(2.5, 1.5)]


def test_a_note_moved_before_the_beginning_keeps_its_length():
    take = edited(played(), [Move(do="move", select=Select(end=1.5), seconds=-5.0)])
    first = notes_of(take)[0]
    assert (first.start, first.end) == (0.0, 2.0)


def test_removing_and_copying():
    assert starts(edited(played(), [Remove(do="remove", select=Select(low=65, high=70))])) == [
        (1.0, 60), (5.1, 72)]  # fmt: skip
    take = edited(played(), [Copy(do="copy", select=Select(start=5, end=6), seconds=2.0)])
    assert starts(take)[-1] == (7.1, 72)
    copied = notes_of(take)[-1]
    assert copied.note not in {1, 2, 3}
    assert round(copied.end, 3) == 8.0


def test_stretching_and_quantising():
    slow = edited(played(), [Stretch(do="stretch", select=Select(start=1.0), factor=2.0)])
    assert starts(slow) == [(1.0, 60), (3.0, 67), (9.2, 72)]
    assert slow.seconds >= 11.0
    half = edited(played(), [Quantise(do="quantise", select=Select(), grid=0.5, amount=50)])
    assert starts(half)[-1] == (5.05, 72)
    full = edited(played(), [Quantise(do="quantise", select=Select(), grid=0.5)])
    assert starts(full)[-1] == (5.0, 72)


def test_a_lane_is_drawn_again_between_its_points_only():
    draw = Draw(do="draw", lane="pad_across", points=[(1.0, 0.0), (3.0, 1.0)])
    points = lanes_of(edited(played(), [draw]))["pad_across"]
    assert points[0] == (0.5, -0.5)
    assert points[-1] == (7.0, 0.9)
    inside = [(at, value) for at, value in points if 1.0 <= at <= 3.0]
    assert len(inside) > 100
    for at, value in inside:
        assert value == pytest.approx((at - 1.0) / 2.0, abs=1e-6)


def test_a_lane_played_over_replaces_what_it_covers():
    fresh = [event("pad_across", at, value=0.1) for at in (0.4, 1.0, 6.5, 8.5)]
    writer = EventWriter({})
    over = Overdub(do="overdub", lanes=["pad"], start=0.4, end=8.5,
                   events=[writer.line(one) for one in fresh])  # fmt: skip
    points = lanes_of(edited(played(), [over]))["pad_across"]
    assert points == [(0.4, 0.1), (1.0, 0.1), (6.5, 0.1), (8.5, 0.1)]


def test_what_plays_meanwhile_leaves_the_lanes_out_and_strikes_what_is_held():
    found = without(played(), ["pad"], 2.2)
    assert not any(getattr(one, "kind", "").startswith("pad") for one in found)
    struck = [one for one in found if getattr(one, "kind", "") == "on"]
    assert [(one.time, one.key) for one in struck] == [(0, 60), (0, 67), (round(2.9 * RATE), 72)]


def test_a_changed_take_begins_nothing_anew_and_an_unchanged_one_is_itself():
    take = played()
    assert edited(take, []) is take
    changed = edited(take, [Remove(do="remove", select=Select(start=5))])
    assert not any(isinstance(one, Renew) for one in changed.events)
    slow = at_tempo(take, 2.0)
    assert slow.seconds == 20.0
    assert starts(slow) == [(2.0, 60), (4.0, 67), (10.2, 72)]


EDITS = st.lists(
    st.one_of(
        st.builds(Move, do=st.just("move"), select=st.builds(Select, start=st.floats(0, 5)),
                  seconds=st.floats(-3, 3), semitones=st.floats(-24, 24)),
        st.builds(Copy, do=st.just("copy"), select=st.builds(Select, start=st.floats(0, 5)),
                  seconds=st.floats(-3, 3)),
        st.builds(Stretch, do=st.just("stretch"), select=st.builds(Select, end=st.floats(1, 9)),
                  factor=st.floats(0.2, 4)),
        st.builds(Quantise, do=st.just("quantise"), select=st.builds(Select),
                  grid=st.floats(0.1, 2)),
        st.builds(Remove, do=st.just("remove"),
                  select=st.builds(Select, start=st.floats(0, 9), end=st.floats(0, 9))),
    ),
    max_size=5,
)  # fmt: skip


@given(EDITS)
def test_whatever_is_done_each_note_ends_and_nothing_lies_before_the_beginning(edits):
    take = edited(played(), edits)
    times = [one.time for one in take.events]
    assert times == sorted(times)
    assert not times or times[0] >= 0
    ons = sum(getattr(one, "kind", "") == "on" for one in take.events)
    offs = sum(getattr(one, "kind", "") == "off" for one in take.events)
    assert ons == offs
    assert all(one.end >= one.start for one in notes_of(take))
    assert all(0 <= one.key <= 127 for one in notes_of(take))
    assert all(sentence_of(one) for one in edits)


# -- MIDI ------------------------------------------------------------------------


def test_midi_out_is_read_by_another_reader():
    """RP-053: an MPE Configuration Message first, then each note on a channel of its own."""
    file = mido.MidiFile(file=BytesIO(midi_of(played(), 90.0)))
    messages = [one for one in file.tracks[0] if not one.is_meta]
    assert [(one.control, one.value) for one in messages[:3]] == [(101, 0), (100, 6), (6, 15)]
    assert next(one.tempo for one in file.tracks[0] if one.type == "set_tempo") == 666_667
    channels = [one.channel for one in messages if one.type == "note_on"]
    assert len(set(channels)) == 3
    assert 0 not in channels
    assert file.length == pytest.approx(9.0, abs=2.0)


def test_hands_go_out_as_midi_and_come_in_again():
    take = played()
    again = take_of(*events_from_midi(midi_of(take), RATE, 2.0))
    ours, theirs = notes_of(take), notes_of(again)
    assert [round(one.key) for one in theirs] == [60, 67, 72]
    for one, other in zip(ours, theirs, strict=True):
        assert other.start == pytest.approx(one.start, abs=0.002)
        assert other.end == pytest.approx(one.end, abs=0.002)
        assert other.velocity == pytest.approx(one.velocity, abs=0.01)
    assert lanes_of(again)["bend"][-1][1] == pytest.approx(1.5, abs=0.01)
    assert pytest.approx(max(v for _, v in lanes_of(again)["slide"]), abs=0.01) == 0.5


def test_more_notes_than_channels_take_the_oldest():
    many = [event("on", 0.1 * i, i, key=40.0 + i) for i in range(1, 21)]
    file = mido.MidiFile(file=BytesIO(midi_of(take_of(*many))))
    sounding: set[tuple[int, int]] = set()
    for one in file.tracks[0]:
        if one.type == "note_on":
            assert all(channel != one.channel for channel, _ in sounding)
            sounding.add((one.channel, one.note))
        elif one.type == "note_off":
            sounding.remove((one.channel, one.note))
    assert not sounding


# -- several takes ---------------------------------------------------------------


def source(tmp_path, name: str, sound: np.ndarray) -> FileSource:
    path = tmp_path / f"{name}.wav"
    sf.write(path, np.stack((sound, sound), axis=1).astype(np.float32), RATE, "FLOAT")
    return FileSource(path)


def test_a_comp_has_no_click_at_its_joints_and_is_each_take_elsewhere(tmp_path):
    t = np.arange(4 * RATE) / RATE
    one = source(tmp_path, "one", 0.3 * np.sin(2 * np.pi * 220 * t))
    other = source(tmp_path, "other", 0.3 * np.sin(2 * np.pi * 331 * t + 1))
    parts = [Part(one, 0, 2 * RATE, 0), Part(other, 2 * RATE, 4 * RATE, 0)]
    sound = np.concatenate(list(put_together(parts, 0.03)))
    assert len(sound) == 4 * RATE
    # further from the joint than the crossfade it is one take or the other
    assert np.allclose(
        sound[: 2 * RATE - 800, 0], 0.3 * np.sin(2 * np.pi * 220 * t[: 2 * RATE - 800]), atol=1e-6
    )
    assert np.allclose(
        sound[2 * RATE + 800 :, 0],
        0.3 * np.sin(2 * np.pi * 331 * t[2 * RATE + 800 :] + 1),
        atol=1e-6,
    )
    # the steepest step is that of the tones themselves
    assert np.abs(np.diff(sound[:, 0])).max() < 1.6 * 0.3 * 2 * np.pi * 331 / RATE


def test_takes_that_began_elsewhere_in_the_backing_lie_where_they_were_played(tmp_path):
    pulse = np.zeros(2 * RATE)
    pulse[RATE] = 1.0
    parts = [Part(source(tmp_path, "a", np.zeros(RATE)), 0, RATE, 0),
             Part(source(tmp_path, "b", pulse), RATE, 3 * RATE, round(0.5 * RATE))]  # fmt: skip
    sound = np.concatenate(list(put_together(parts, 0.01)))
    assert int(np.argmax(sound[:, 0])) == round(1.5 * RATE)


def test_the_hands_of_a_comp_are_those_that_are_heard():
    both = hands_together([(played(), 0.0, 2.5, 0.0), (played(), 2.5, 12.0, 1.0)], 12.0)
    assert starts(both) == [(1.0, 60), (2.0, 67), (3.0, 67), (6.1, 72)]
    assert not both.exact


# -- files -----------------------------------------------------------------------


def sound_file(tmp_path, peak: float = 0.5):
    path = tmp_path / "sound.wav"
    rng = np.random.default_rng(2)
    sf.write(path, peak * rng.uniform(-1, 1, (RATE, 2)).astype(np.float32), RATE, "FLOAT")
    return path


@pytest.mark.parametrize("peak", [0.5, 3.0])
def test_a_take_goes_through_a_file(tmp_path, peak):
    take = take_of(event("on", 0.1, 1), event("off", 0.5, 1), Mark(100), seconds=1.0)
    sound, out = sound_file(tmp_path, peak), tmp_path / "one.take"
    write_take(out, header_of(take, name="Wire choir", sha256="ab"), take, sound)
    folder = tmp_path / "unpacked"
    folder.mkdir()
    header, again = unpack_take(out, folder)
    assert (header.name, header.sha256) == ("Wire choir", "ab")
    assert again == take
    heard, rate = sf.read(folder / "sound.wav", dtype="float32")
    assert rate == RATE
    assert np.abs(heard - sf.read(sound, dtype="float32")[0]).max() < peak * 1e-6


def test_files_from_elsewhere_are_not_trusted(tmp_path):
    def opened(content: dict[str, bytes]) -> str:
        path = tmp_path / "bad.take"
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as out:
            for name, data in content.items():
                out.writestr(name, data)
        with pytest.raises(BloomError) as refused:
            unpack_take(path, tmp_path)
        return str(refused.value)

    header = header_of(played()).model_dump_json().encode()
    assert "missing" in opened({"take.json": header})
    assert "damaged" in opened({"take.json": b"{", "events.jsonl": b""})
    newer = json.dumps({**json.loads(header), "version": 2}).encode()
    assert "newer version" in opened({"take.json": newer, "events.jsonl": b""})
    assert "too large" in opened({"take.json": header, "events.jsonl": b" " * (50 << 20)})
    assert "damaged" in opened({"take.json": header, "events.jsonl": b"", "sound.flac": b"no"})
    (tmp_path / "text.take").write_text("no zip")
    with pytest.raises(BloomError, match="damaged"):
        unpack_take(tmp_path / "text.take", tmp_path)


def test_a_header_of_an_older_version_opens():
    """What was not there yet has its default."""
    old = {"format": "inner-bloom/take", "version": 1, "document": DOCUMENT, "frames": 5}
    assert parse_header(json.dumps(old)).origin == "recorded"
