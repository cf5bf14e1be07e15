"""Sounds of other containers through the one door that the page and the shell share."""

from __future__ import annotations

import errno
import json
import resource
import subprocess
import sys
from fractions import Fraction

import av
import numpy as np
import pytest
import soundfile as sf

from innerbloom.core.analysis.examine import examine
from innerbloom.core.errors import Cancelled, SoundFileError
from innerbloom.core.sound import decoding
from innerbloom.core.sound.decoding import decode, readable
from innerbloom.core.sound.files import read_blocks, read_stretch, sound_info
from tests.conftest import RATE, harmonic_tone
from tests.shell import bloom

SECONDS = 2.0
CODECS = {
    "m4a": ("aac", "fltp"),
    "alac.m4a": ("alac", "s16p"),
    "wv": ("wavpack", "fltp"),
    "aac": ("aac", "fltp"),
    "mka": ("libopus", "flt"),
    "mp4": ("aac", "fltp"),
    "webm": ("libopus", "flt"),
}
"""File name endings, with what FFmpeg calls their codecs and sample formats."""

FILMS = {"mp4": "mpeg4", "webm": "libvpx"}


def film(container, codec: str):
    """A track of four black pictures, which are muxed by what it gives."""
    shown = container.add_stream(codec, rate=Fraction(24))
    shown.width, shown.height, shown.pix_fmt = 64, 48, "yuv420p"

    def pictures():
        for _ in range(4):
            blank = av.VideoFrame.from_ndarray(np.zeros((48, 64, 3), np.uint8), "rgb24")
            container.mux(shown.encode(blank))
        container.mux(shown.encode(None))

    return pictures


def write(path, codec: str, form: str, samples, picture: str = "") -> None:
    with av.open(str(path), "w") as container:
        pictures = film(container, picture) if picture else lambda: None
        stream = container.add_stream(codec, rate=RATE, layout="mono")
        pictures()
        resampler = av.AudioResampler(format=form, layout="mono", rate=RATE, frame_size=960)
        whole = av.AudioFrame.from_ndarray(samples.astype(np.float32)[None], "flt", "mono")
        whole.rate, whole.pts = RATE, 0
        for frame in (*resampler.resample(whole), *resampler.resample(None)):
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))


@pytest.fixture(params=sorted(CODECS))
def foreign(request, tmp_path):
    path = tmp_path / f"tone.{request.param}"
    codec, form = CODECS[request.param]
    write(path, codec, form, harmonic_tone(220.0, SECONDS), FILMS.get(request.param, ""))
    return path


def test_what_ffmpeg_decodes_is_read_like_any_other(foreign):
    # encoders put up to a few blocks of silence around what they are given
    assert sound_info(foreign).seconds == pytest.approx(SECONDS, abs=0.1)
    assert examine(foreign).root_hz == pytest.approx(220.0, rel=0.002)
    part, rate = read_stretch(foreign, 0.5, 0.25, 10.0)
    assert part.shape == (round(0.25 * rate), 1)
    whole = np.concatenate(list(read_blocks(foreign)))
    start = int(0.5 * rate)
    assert np.array_equal(whole[start : start + len(part)], part)


def test_the_shell_reads_them(foreign, tmp_path):
    found = json.loads(bloom("inspect", foreign, "--brief", "--json").stdout)
    assert found["root_note"] == "A3"
    assert bloom("new", foreign, "--out", tmp_path / "a.json").exit_code == 0
    ran = bloom("render", tmp_path / "a.json", "--seconds", 0.2, "--out", tmp_path / "a.wav")
    assert ran.exit_code == 0, ran.output
    assert np.abs(sf.read(tmp_path / "a.wav")[0]).max() > 0.01


def test_it_is_decoded_once_and_anew_when_it_changes(tmp_path, monkeypatch):
    path = tmp_path / "tone.m4a"
    write(path, "aac", "fltp", harmonic_tone(220.0, 1.0))
    calls = []
    monkeypatch.setattr(decoding, "decode", lambda *a: calls.append(a) or decode(*a))
    assert readable(path) == readable(path) != path
    write(path, "aac", "fltp", harmonic_tone(330.0, 1.5))
    assert examine(path).root_hz == pytest.approx(330.0, rel=0.002)
    assert len(calls) == 2


def test_only_the_last_are_kept(tmp_path):
    paths = [tmp_path / f"{number}.wv" for number in range(decoding._KEPT + 3)]
    for path in paths:
        write(path, "wavpack", "fltp", harmonic_tone(220.0, 0.2))
    made = [readable(path) for path in paths]
    assert [one.exists() for one in made] == [False] * 3 + [True] * decoding._KEPT
    # one that is gone is decoded again
    assert sound_info(paths[0]).seconds == pytest.approx(0.2, abs=0.05)


def test_what_libsndfile_reads_is_taken_as_it_is(write_wav):
    path = write_wav(harmonic_tone(220.0, 1.0))
    assert readable(path) == path


def test_a_film_without_sound_says_so(tmp_path):
    path = tmp_path / "silent.mp4"
    with av.open(str(path), "w") as container:
        film(container, "mpeg4")()
    with pytest.raises(SoundFileError, match=r"'silent\.mp4' has no sound in it"):
        sound_info(path)


def test_decoding_is_stopped_and_leaves_nothing(tmp_path):
    path, out = tmp_path / "tone.wv", tmp_path / "out.wav"
    write(path, "wavpack", "fltp", harmonic_tone(220.0, SECONDS))
    shares: list[float] = []
    with pytest.raises(Cancelled):
        decode(path, out, lambda share: shares.append(share))
    assert len(shares) == 1
    assert 0.0 < shares[0] <= 1.0
    assert [one.name for one in tmp_path.iterdir()] == [path.name]


def test_without_room_nothing_is_written(tmp_path, monkeypatch):
    path, out = tmp_path / "tone.wv", tmp_path / "out.wav"
    write(path, "wavpack", "fltp", harmonic_tone(220.0, SECONDS))
    monkeypatch.setattr(decoding, "_ROOM_LEFT", 1 << 60)
    with pytest.raises(OSError, match="No space") as raised:
        decode(path, out)
    assert raised.value.errno == errno.ENOSPC
    assert [one.name for one in tmp_path.iterdir()] == [path.name]


_LIMITED = """
import resource, sys
from pathlib import Path
from innerbloom.core.sound.decoding import decode
resource.setrlimit(resource.RLIMIT_FSIZE, (65536, resource.RLIM_INFINITY))
try:
    decode(Path(sys.argv[1]), Path(sys.argv[2]))
except OSError as error:
    print(error.errno, error.filename)
"""


@pytest.mark.skipif(not hasattr(resource, "RLIMIT_FSIZE"), reason="no such limit here")
def test_a_disk_that_fills_while_it_decodes_is_said_and_nothing_is_left(tmp_path):
    path = tmp_path / "tone.wv"
    write(path, "wavpack", "fltp", harmonic_tone(220.0, SECONDS))
    ran = subprocess.run(
        [sys.executable, "-c", _LIMITED, path, tmp_path / "out.wav"],
        capture_output=True, text=True, check=True,
    )  # fmt: skip
    assert ran.stdout.split(maxsplit=1) == [str(errno.ENOSPC), f"{tmp_path}\n"]
    assert [one.name for one in tmp_path.iterdir()] == [path.name]
