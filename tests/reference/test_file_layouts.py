"""Bytes of WAV, BWF and MIDI files against their standards and other readers."""

from __future__ import annotations

import struct

import numpy as np
import pytest
import soundfile as sf
import wavinfo

from innerbloom.core.analysis.examine import examine
from innerbloom.core.errors import PerformanceError
from innerbloom.core.performance.midi import events_from_midi
from innerbloom.core.sound.metadata import Origin, riff_chunks
from innerbloom.core.sound.writing import write_sound

ORIGIN = Origin("Wire", "Take 4, north boundary", "O. T.", "CC BY 4.0", "2031-03-03")


@pytest.fixture
def wav(tmp_path):
    path = tmp_path / "wire.wav"
    block = np.linspace(-0.5, 0.5, 101, dtype=np.float32)[:, None]
    write_sound(path, [block], 48_000, 1, form="wav24", origin=ORIGIN)
    return path


def test_bext_is_where_ebu_tech_3285_puts_it(wav):
    """EBU Tech 3285 v2: 602 fixed bytes; originator at 256, date at 320, version at 346."""
    with wav.open("rb") as file:
        chunks = {name: (offset, size) for name, offset, size in riff_chunks(file)}
        offset, size = chunks[b"bext"]
        assert size == 602
        file.seek(offset)
        data = file.read(size)
    assert data[:256].rstrip(b"\0") == b"Take 4, north boundary"
    assert data[256:288].rstrip(b"\0") == b"O. T."
    assert data[320:330] == b"2031-03-03"
    assert struct.unpack("<H", data[346:348]) == (1,)


def test_riff_sizes_add_up_and_chunks_are_even(wav):
    """RIFF MCI 1.0: the size field counts all after itself; chunks start at even places."""
    data = wav.read_bytes()
    assert struct.unpack("<I", data[4:8])[0] == len(data) - 8
    with wav.open("rb") as file:
        offsets = [offset for _, offset, _ in riff_chunks(file)]
    assert all(offset % 2 == 0 for offset in offsets)


def test_wavinfo_reads_what_we_write(wav):
    """wavinfo 4: an independent reader of BWF."""
    info = wavinfo.WavInfoReader(str(wav))
    assert info.bext.description == "Take 4, north boundary"
    assert info.bext.originator == "O. T."
    assert info.bext.originator_date == "2031-03-03"
    assert info.info.title == "Wire"
    assert info.info.copyright == "CC BY 4.0"
    assert info.fmt.bits_per_sample == 24
    assert info.fmt.sample_rate == 48_000


def test_a_midi_file_byte_by_byte():
    """SMF 1.0: MThd of length 6, variable lengths (0x80 -> 81 00), default tempo 500000 us."""
    track = bytes.fromhex("00 90 45 40  81 00 80 45 40  00 FF 2F 00")
    data = (
        b"MThd"
        + struct.pack(">IHHH", 6, 0, 1, 64)
        + b"MTrk"
        + struct.pack(">I", len(track))
        + track
    )
    events = events_from_midi(data, 48_000, 2.0)
    # 128 ticks at 64 to the quarter note are two quarters: one second
    assert [(event.kind, event.time) for event in events] == [("on", 0), ("off", 48_000)]
    assert events[0].key == 69
    assert events[0].value == pytest.approx(64 / 127)


def test_bend_counts_from_its_centre():
    """MIDI 1.0: 14 bits, least significant first, 8192 in the middle."""
    track = bytes.fromhex("00 90 45 40  00 E0 00 40  00 E0 00 60  10 80 45 40  00 FF 2F 00")
    data = (
        b"MThd"
        + struct.pack(">IHHH", 6, 0, 1, 64)
        + b"MTrk"
        + struct.pack(">I", len(track))
        + track
    )
    bends = [event.value for event in events_from_midi(data, 48_000, 2.0) if event.kind == "bend"]
    assert bends == [0.0, pytest.approx(1.0)]


@pytest.mark.parametrize("rubbish", [b"\0" * 8, b"JUNK\0\0\0\0"])
def test_what_follows_the_chunks_is_not_counted_one_by_one(tmp_path, rubbish):
    """A recorder that lost power leaves zeros at the end of its file. Counted as calls, not as time."""
    path = tmp_path / "lost power.wav"
    sf.write(path, np.full((4_800, 1), 0.1, np.float32), 48_000, "PCM_16")
    with path.open("ab") as file:
        file.write(rubbish * 250_000)
    with path.open("rb") as file:
        assert sum(1 for _ in riff_chunks(file)) <= 10_000
    assert examine(path).info.frames == 4_800


def test_a_file_that_ends_before_its_header_says_is_read_and_said(tmp_path):
    whole, cut = tmp_path / "whole.wav", tmp_path / "cut.wav"
    sf.write(whole, np.full((96_000, 1), 0.1, np.float32), 48_000, "PCM_24")
    assert not [one for one in examine(whole).remarks if "cut short" in one]
    # half of the samples, three bytes each, behind a header of 44 (Multimedia Programming Interface 1.0)
    cut.write_bytes(whole.read_bytes()[: 44 + 48_000 * 3])
    found = examine(cut)
    assert found.info.frames == 48_000
    assert "The file is cut short: the last 1.00 s of 2.00 s are missing." in found.remarks


def test_a_size_that_is_not_known_yet_promises_nothing(tmp_path):
    """As programs write it that send a WAV file through a pipe."""
    path = tmp_path / "piped.wav"
    sf.write(path, np.full((9_600, 1), 0.1, np.float32), 48_000, "PCM_24")
    data = bytearray(path.read_bytes())
    data[40:44] = data[4:8] = b"\xff\xff\xff\xff"
    path.write_bytes(data)
    assert not [one for one in examine(path).remarks if "cut short" in one]


def smpte_file(frames: int, parts: int, ticks: int, kind: int = 0) -> bytes:
    """A note of so many ticks, in SMPTE division; built from the standard's tables."""
    length = bytes([0x80 | ticks >> 7, ticks & 0x7F])
    track = b"\x00\x90\x3c\x64" + length + b"\x80\x3c\x00" + b"\x00\xff\x2f\x00"
    head = struct.pack(">4sIHHbB", b"MThd", 6, kind, 1, -frames, parts)
    return head + struct.pack(">4sI", b"MTrk", len(track)) + track


@pytest.mark.parametrize(
    ("frames", "rate"), [(24, 24.0), (25, 25.0), (29, 30_000 / 1_001), (30, 30.0)]
)
def test_smpte_division_counts_parts_of_a_frame(frames, rate):
    """Standard MIDI Files 1.0: bits 14..8 are minus the frame rate, 7..0 the ticks in a frame."""
    on, off = events_from_midi(smpte_file(frames, 40, 400), 48_000, 2.0)
    assert (on.kind, off.kind) == ("on", "off")
    assert off.time - on.time == pytest.approx(48_000 * 400 / (40 * rate), abs=1)


def test_a_midi_file_of_independent_patterns_is_named():
    with pytest.raises(PerformanceError, match="type 2"):
        events_from_midi(smpte_file(25, 40, 400, kind=2), 48_000, 2.0)
