"""Reading, measuring and writing recordings, good and bad."""

from __future__ import annotations

import math
import struct
import time
import tracemalloc

import numpy as np
import pytest
import soundfile as sf
from hypothesis import given
from hypothesis import strategies as st

from innerbloom.core.analysis.examine import examine
from innerbloom.core.errors import Cancelled, SoundFileError
from innerbloom.core.sound.decoding import decode
from innerbloom.core.sound.files import fold_down, read_stretch
from innerbloom.core.sound.levels import LevelMeter
from innerbloom.core.sound.metadata import Origin, read_origin
from innerbloom.core.sound.peaks import BIN, PeakCollector, reduce_pairs
from innerbloom.core.sound.writing import write_sound
from tests.conftest import RATE, harmonic_tone

RNG = np.random.default_rng(5)


def wav_header(rate=48_000, channels=1, data=0, bits=16, form=1) -> bytes:
    block = channels * bits // 8
    fmt = struct.pack("<HHIIHH", form, channels, rate, rate * block & 0xFFFFFFFF, block, bits)
    return (
        b"RIFF" + struct.pack("<I", 36 + data & 0xFFFFFFFF) + b"WAVEfmt " + struct.pack("<I", 16) + fmt
        + b"data" + struct.pack("<I", data)
    )  # fmt: skip


BAD_FILES = {
    "empty.wav": b"",
    "text.wav": b"This is a shopping list, not a sound.\n" * 40,
    "header-only.wav": wav_header()[:30],
    "no-samples.wav": wav_header(),
    "one-hertz.wav": wav_header(rate=1, data=2_000) + b"\1\0" * 1_000,
    "ten-megahertz.wav": wav_header(rate=10_000_000, data=2_000) + b"\1\0" * 1_000,
    "64-channels.wav": wav_header(channels=64, data=12_800) + b"\1\0" * 6_400,
    "odd.xyz": bytes(range(256)) * 20,
    "nan.wav": wav_header(bits=32, form=3, data=4_000) + struct.pack("<f", math.nan) * 1_000,
    "infinite.wav": wav_header(bits=32, form=3, data=4_000) + struct.pack("<f", math.inf) * 1_000,
    "flac-cut.flac": b"fLaC\x00\x00\x00\x22",
    "corrupt.wav": b"RIFF\xff\xff\xff\xffWAVEfmt \xff\xff\xff\xff" + b"\xff" * 200,
}


@pytest.mark.parametrize("name", BAD_FILES)
def test_a_bad_file_gets_one_sentence_with_its_name(name, tmp_path):
    path = tmp_path / name
    path.write_bytes(BAD_FILES[name])
    with pytest.raises(SoundFileError) as caught:
        examine(path)
    text = str(caught.value)
    assert name in text
    assert text.endswith(".")
    assert "\n" not in text


def test_a_missing_file_and_a_folder_are_refused(tmp_path):
    for path in (tmp_path / "none.wav", tmp_path):
        with pytest.raises(SoundFileError):
            examine(path)


def test_a_truncated_file_is_measured_as_far_as_it_goes(write_wav):
    path = write_wav(harmonic_tone(220.0, 4.0), subtype="PCM_16")
    path.write_bytes(path.read_bytes()[:200_000])
    assert examine(path).info.seconds == pytest.approx(2.08, abs=0.02)


def test_a_header_that_promises_too_much_is_not_believed(tmp_path):
    path = tmp_path / "liar.wav"
    path.write_bytes(wav_header(data=0xFFFFFFF0) + b"\1\0" * 48_000)
    assert examine(path).info.seconds == pytest.approx(1.0)


@pytest.mark.parametrize("subtype", ["PCM_16", "PCM_24", "PCM_32", "FLOAT", "DOUBLE", "PCM_U8"])
@pytest.mark.parametrize("rate", [8_000, 22_254, 44_100, 96_000])
def test_any_rate_and_format_gives_the_same_root(write_wav, subtype, rate):
    path = write_wav(harmonic_tone(220.0, 1.5, rate), rate, subtype=subtype)
    found = examine(path)
    assert 1200 * abs(math.log2(found.root_hz / 220.0)) < 2


@pytest.mark.parametrize("suffix", [".flac", ".ogg", ".mp3", ".aiff"])
def test_other_containers_are_read(tmp_path, suffix):
    path = tmp_path / f"tone{suffix}"
    sf.write(path, harmonic_tone(220.0, 2.0), RATE)
    assert examine(path).root_hz == pytest.approx(220.0, rel=0.002)


def test_decoding_rubbish_is_refused_and_leaves_nothing(tmp_path):
    source, target = tmp_path / "text.m4a", tmp_path / "out.wav"
    source.write_bytes(b"no sound here " * 100)
    with pytest.raises(SoundFileError):
        decode(source, target)
    assert not target.exists()


def test_silence_has_no_levels_and_no_root(write_wav):
    found = examine(write_wav(np.zeros((RATE, 2))))
    assert found.root_hz is None
    assert found.lufs is None
    assert found.true_peak_dbtp is None
    assert found.summary()["root_note"] is None


def test_opposite_channels_do_not_hide_the_pitch(write_wav):
    tone = harmonic_tone(220.0)
    found = examine(write_wav(np.stack([tone, -tone], axis=1)))
    assert found.root_hz == pytest.approx(220.0, rel=0.001)


def test_a_dc_offset_does_not_hide_the_pitch(write_wav):
    assert examine(write_wav(harmonic_tone(220.0) + 0.24)).root_hz == pytest.approx(220, rel=0.001)


def test_very_short_files_are_measured(write_wav):
    for frames in (1, 10, 500, 3_000):
        found = examine(write_wav(np.full(frames, 0.5), name=f"{frames}.wav"))
        assert found.info.frames == frames
        assert found.peaks.shape[1] == 2


def test_progress_is_told_and_can_stop_the_work(write_wav):
    path = write_wav(RNG.normal(0, 0.1, (10 * RATE, 2)))
    told = []
    examine(path, lambda share: told.append(share) or True)
    assert told == sorted(told)
    assert 0.9 <= told[-1] <= 1
    with pytest.raises(Cancelled):
        examine(path, lambda share: share < 0.4)


def test_memory_does_not_grow_with_length(tmp_path):
    """Python-side memory while stereo is measured: of four minutes hardly more than of one."""
    highest = {}
    for minutes in (1, 4):
        path = tmp_path / f"{minutes}.flac"
        with sf.SoundFile(path, "w", RATE, 2, "PCM_16") as out:
            for _ in range(minutes):
                out.write(RNG.normal(0, 0.05, (60 * RATE, 2)).astype(np.float32))
        tracemalloc.start()
        examine(path)
        _, highest[minutes] = tracemalloc.get_traced_memory()
        tracemalloc.stop()
    # what does grow are pictures and levels: some 100 KB a minute, where a minute of sound takes 23 MB
    assert highest[4] < highest[1] + 4e6
    assert highest[4] < 100e6


@given(st.lists(st.integers(1, 9_000), min_size=1, max_size=12))
def test_measurement_does_not_depend_on_block_size(cuts):
    samples = np.random.default_rng(1).normal(0, 0.1, (sum(cuts) + 20_000, 2)).astype(np.float32)
    whole, parts = LevelMeter(RATE, 2), LevelMeter(RATE, 2)
    picture, picture_parts = PeakCollector(), PeakCollector()
    whole.feed(samples)
    picture.feed(samples)
    at = 0
    for cut in [*cuts, len(samples) - sum(cuts)]:
        parts.feed(samples[at : at + cut])
        picture_parts.feed(samples[at : at + cut])
        at += cut
    assert parts.integrated_lufs() == pytest.approx(whole.integrated_lufs(), abs=1e-9)
    assert parts.true_peak_dbtp == pytest.approx(whole.true_peak_dbtp, abs=1e-6)
    assert parts.noise_floor_dbfs() == pytest.approx(whole.noise_floor_dbfs(), abs=1e-6)
    np.testing.assert_array_equal(picture.pairs(), picture_parts.pairs())


@given(st.integers(1, 6_000), st.integers(1, 700))
def test_a_reduced_picture_keeps_every_extreme(frames, columns):
    samples = np.random.default_rng(frames).uniform(-1, 1, (frames, 1)).astype(np.float32)
    collector = PeakCollector()
    collector.feed(samples)
    pairs = collector.pairs()
    assert len(pairs) == -(-frames // BIN)
    reduced = reduce_pairs(pairs, columns)
    assert len(reduced) <= max(columns, 1)
    assert reduced[:, 0].min() == np.round(samples.min() * np.float32(32767))
    assert reduced[:, 1].max() == np.round(samples.max() * np.float32(32767))


def test_a_stretch_is_read_from_its_start(write_wav):
    path = write_wav(np.linspace(-1, 1, 4 * RATE))
    samples, rate = read_stretch(path, 1.0, 2.0, 180.0)
    assert rate == RATE
    assert len(samples) == 2 * RATE
    assert samples[0, 0] == pytest.approx(-0.5, abs=1e-4)
    capped, _ = read_stretch(path, 0.0, None, 1.5)
    assert len(capped) == round(1.5 * RATE)


def test_many_channels_fold_to_two():
    folded = fold_down(np.tile(np.array([[1, 2, 3, 4]], np.float32), (5, 1)))
    np.testing.assert_array_equal(folded, np.tile([[2.0, 3.0]], (5, 1)))


def test_a_failed_write_leaves_nothing(tmp_path):
    def failing():
        yield np.zeros((100, 2), np.float32)
        raise RuntimeError("stop")

    with pytest.raises(RuntimeError):
        write_sound(tmp_path / "x.wav", failing(), RATE, 2)
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("form", ["wav24", "flac"])
def test_an_origin_comes_back(tmp_path, form):
    origin = Origin("Wire", "Take 4, north boundary", "O. T.", "CC BY 4.0", "2031-03-03")
    path = tmp_path / ("a.flac" if form == "flac" else "a.wav")
    write_sound(path, [np.zeros((101, 1), np.float32)], RATE, 1, form=form, origin=origin)
    assert read_origin(path) == origin


@pytest.mark.parametrize(
    ("samples", "words"),
    [
        (np.clip(3 * np.sin(np.arange(RATE) / 30), -1, 1), "Clipped"),
        (np.repeat(0.1 * RNG.normal(0, 1, (RATE, 1)), 2, axis=1), "Left and right are the same"),
        (0.1 * np.sin(np.arange(RATE) / 30) + 0.24, "It sits +0.24 off zero"),
        (0.1 * RNG.normal(0, 1, (RATE, 2)), None),
        (np.zeros((RATE, 2)), None),
    ],
)
def test_flaws_are_remarked_on(write_wav, samples, words):
    """Three samples at full scale in a row count as clipped (common practice)."""
    remarks = examine(write_wav(samples)).remarks
    assert (words is None and remarks == []) or remarks[0].startswith(words)


def test_a_sound_written_later_is_the_same_file(tmp_path):
    """libsndfile notes the time in float files; the hash of a sound must not depend on it."""
    sound = np.full((64, 1), 0.25, np.float32)
    first, later = tmp_path / "first.wav", tmp_path / "later.wav"
    for path in (first, later):
        write_sound(path, [sound], RATE, 1, form="wav32f")
        time.sleep(1.1)
    assert first.read_bytes() == later.read_bytes()
