"""Sounds as files for elsewhere, read again by other readers."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import mutagen.flac
import numpy as np
import pytest
import soundfile as sf
import soxr
from hypothesis import given
from hypothesis import strategies as st
from mutagen.oggopus import OggOpus
from mutagen.oggvorbis import OggVorbis
from wavinfo import WavInfoReader

from innerbloom.core.deliver.bundle import unpack_bundle, write_bundle
from innerbloom.core.deliver.export import About, about_of, export_sound, file_stem
from innerbloom.core.deliver.sources import beside
from innerbloom.core.errors import BloomError, Cancelled
from innerbloom.core.prepare.clip import Clip
from innerbloom.core.prepare.lineage import Lineage
from innerbloom.core.prepare.recipe import Recipe
from innerbloom.core.prepare.source import write_clip
from innerbloom.core.sound.comments import add_comments
from innerbloom.core.sound.loop import Loop
from innerbloom.core.sound.metadata import Origin, read_origin
from innerbloom.core.sound.sampler import read_sampler
from innerbloom.core.sound.takes import read_take
from innerbloom.core.sound.writing import SUFFIX
from tests.engines import cloud, sine
from tests.shell import bloom
from tests.sounds import RATE, db

ORIGIN = Origin("Lid", "struck with a spoon", "O. T.", "CC BY 4.0", "2031-03-03")
ABOUT = About(
    "Lid, ringing", ORIGIN, root=57.25, root_name="A#3", loop=Loop(4_800, 24_000),
    markers=(0.25, 0.5), place="Kitchen", scene="7", take="2",
)  # fmt: skip


@pytest.fixture
def source(tmp_path):
    t = np.arange(RATE) / RATE
    samples = 0.5 * np.sin(2 * np.pi * 440 * t)[:, None] * np.array([1.0, 0.5])
    sf.write(tmp_path / "source.wav", samples, RATE, "FLOAT")
    return tmp_path / "source.wav"


@pytest.mark.parametrize(
    ("form", "suffix", "subtype"),
    [
        ("wav16", ".wav", "PCM_16"),
        ("wav24", ".wav", "PCM_24"),
        ("wav32f", ".wav", "FLOAT"),
        ("flac", ".flac", "PCM_24"),
        ("ogg", ".ogg", "VORBIS"),
    ],
)
def test_every_format_is_what_it_says_and_sounds_the_same(source, tmp_path, form, suffix, subtype):
    out = tmp_path / f"out{suffix}"
    export_sound(source, out, ABOUT, form=form)
    assert sf.info(out).subtype == subtype
    found, rate = sf.read(out, always_2d=True)
    before, _ = sf.read(source, always_2d=True)
    assert (rate, len(found)) == (RATE, len(before))
    assert db(np.std(found - before) / np.std(before)) < {"ogg": -20, "wav16": -80}.get(form, -120)


@pytest.mark.parametrize("rate", [44_100, 96_000])
def test_a_chosen_rate_moves_what_is_said_in_frames(source, tmp_path, rate):
    """Against soxr by its one-shot door; loop and markers stay where they were in time."""
    out = tmp_path / "out.wav"
    export_sound(source, out, ABOUT, form="wav32f", rate=rate)
    found, _ = sf.read(out, always_2d=True)
    before, _ = sf.read(source, dtype="float32", always_2d=True)
    whole = soxr.resample(before, RATE, rate, quality="VHQ")
    assert abs(len(found) - len(whole)) <= 1
    n = min(len(found), len(whole))
    assert db(np.std(found[:n] - whole[:n]) / np.std(whole)) < -100
    sampler, take = read_sampler(out), read_take(out)
    assert sampler.loops[0].start / rate == pytest.approx(0.1, abs=1 / rate)
    assert sampler.root == pytest.approx(57.25, abs=1e-6)
    assert [at / rate for at in take.markers] == pytest.approx([0.25, 0.5], abs=1 / rate)
    assert read_origin(out).notes == "struck with a spoon"


def test_16_bits_are_dithered_and_the_same_every_time(tmp_path):
    """A tone of half a step survives in the dither instead of vanishing (Lipshitz et al. 1992)."""
    t = np.arange(4 * RATE) / RATE
    quiet = (0.5 * 2.0**-15 * np.sin(2 * np.pi * 1_000 * t)).astype(np.float32)
    sf.write(tmp_path / "quiet.wav", quiet, RATE, "FLOAT")
    for name in ("one.wav", "other.wav"):
        export_sound(tmp_path / "quiet.wav", tmp_path / name, About("x"), form="wav16")
    found, _ = sf.read(tmp_path / "one.wav")
    tone = np.abs(np.mean(found * np.exp(-2j * np.pi * 1_000 * t))) * 2
    assert db(tone / (0.5 * 2.0**-15)) == pytest.approx(0, abs=0.5)
    assert (tmp_path / "one.wav").read_bytes() == (tmp_path / "other.wav").read_bytes()


def test_what_would_clip_is_refused_and_leaves_nothing(tmp_path):
    sf.write(tmp_path / "hot.wav", np.full(4_800, 2.0), RATE, "FLOAT")
    with pytest.raises(BloomError, match=r"\+6.0 dBFS and would be clipped"):
        export_sound(tmp_path / "hot.wav", tmp_path / "out.wav", About("hot"), form="wav24")
    assert not (tmp_path / "out.wav").exists()
    export_sound(tmp_path / "hot.wav", tmp_path / "out.wav", About("hot"), form="wav32f")
    assert np.abs(sf.read(tmp_path / "out.wav")[0]).max() == 2.0


def test_it_can_be_stopped(source, tmp_path):
    with pytest.raises(Cancelled):
        export_sound(
            source, tmp_path / "out.wav", ABOUT, form="wav24", progress=lambda share: False
        )
    assert not (tmp_path / "out.wav").exists()


@pytest.mark.parametrize(
    ("template", "stem"),
    [
        ("{name}", "Lid, ringing"),
        ("{number}_{name}_{root}", "007_Lid, ringing_As3"),
        ("sc{scene} t{take} {place} {date}", "sc7 t2 Kitchen 2031-03-03"),
        ("a/b:{name}", "a_b_Lid, ringing"),
    ],
)
def test_names_come_from_a_template(template, stem):
    assert file_stem(template, ABOUT, 7) == stem


@pytest.mark.parametrize(("template", "words"), [("{tempo}", "no {tempo}"), ("{scene}", "Nothing")])
def test_a_template_that_cannot_be_says_why(template, words):
    with pytest.raises(BloomError, match=words):
        file_stem(template, About("x"), 1)


@given(st.text(max_size=40))
def test_no_name_reaches_out_of_its_folder(name):
    """Invariant: whatever a sound is called, its file lies where files are put."""
    try:
        stem = file_stem("{name}", About(name), 1)
    except BloomError:
        return
    assert not any(sign in stem for sign in '/\\:*?"<>|')
    assert stem not in (".", "..")
    assert all(ord(a) >= 32 for pair in pairwise(stem + "x") for a in pair)


def test_the_shell_exports_what_files_say_of_themselves(source, tmp_path):
    export_sound(source, tmp_path / "Lid.wav", ABOUT, form="wav24")
    out = tmp_path / "out"
    said = ["export", tmp_path / "Lid.wav", tmp_path / "gone.wav", "--out", out]
    found = bloom(*said, "--rate", "44100", "--names", "{name}_{scene}")
    assert found.exit_code == 1
    assert "Wrote 1 of 2" in found.output
    made = next(out.glob("*.wav"))
    assert sf.info(made).samplerate == 44_100
    assert read_sampler(made).loops[0].start == round(4_800 * 44_100 / RATE)
    # what is there is not written over unasked, and an input never
    again = bloom("export", tmp_path / "Lid.wav", "--out", tmp_path, "--force")
    assert (again.exit_code, "is there already" in again.output) == (1, True)


def test_another_reader_finds_loop_root_markers_and_origin(source, tmp_path):
    """Read by wavinfo, which knows neither this code nor libsndfile."""
    out = tmp_path / "out.wav"
    export_sound(source, out, ABOUT, form="wav24")
    found = WavInfoReader(out)
    assert (found.fmt.sample_rate, found.fmt.bits_per_sample, found.fmt.channel_count) == (RATE, 24, 2)  # fmt: skip
    # one frame past the end here, the last frame played in the file (smpl chunk, RIFF)
    (loop,) = found.smpl.sample_loops
    assert (loop.start, loop.end) == (4_800, 24_000 - 1)
    assert found.smpl.midi_note == 57
    assert [cue.sample_offset for cue in found.cues.cues] == [12_000, 24_000]
    assert (found.info.title, found.info.artist) == ("Lid", "O. T.")
    assert found.info.comment == "struck with a spoon"
    assert "CC BY 4.0" in (found.info.copyright or "")
    assert found.info.created_date == "2031-03-03"


MUTAGEN = {"flac": mutagen.flac.FLAC, "ogg": OggVorbis, "opus": OggOpus}


@pytest.mark.parametrize("form", ["flac", "ogg", "opus"])
def test_another_reader_finds_the_comments_of_flac_and_ogg(source, tmp_path, form):
    """Read by mutagen; names by Xiph's chapter extension, and by *common practice* for loops in games."""
    out = tmp_path / f"out{SUFFIX[form]}"
    export_sound(source, out, ABOUT, form=form)
    found = MUTAGEN[form](out)
    said = {key.upper(): value for key, (value,) in dict(found.tags.as_dict()).items()}
    assert (said["LOOPSTART"], said["LOOPLENGTH"]) == ("4800", "19200")
    assert float(said["UNITYNOTE"]) == 57.25
    assert (said["CHAPTER001"], said["CHAPTER002"]) == ("00:00:00.250", "00:00:00.500")
    assert (said["TITLE"], said["ARTIST"], said["DATE"]) == ("Lid", "O. T.", "2031-03-03")
    # the standard's own name for what others call a comment
    assert said["DESCRIPTION"] == "struck with a spoon"
    assert said["COPYRIGHT"] == "CC BY 4.0"
    assert found.info.length == pytest.approx(1.0, abs=1e-3)


@pytest.mark.parametrize("form", ["flac", "ogg", "opus"])
@pytest.mark.parametrize("loop", [
    None, Loop(4_800, 24_000), Loop(0, 2, "back-and-forth", stay=False), Loop(1, 47_999, "backward"),
])  # fmt: skip
@pytest.mark.parametrize("root", [None, 0.0, 57.25, 127.0])
def test_what_comments_say_is_read_back_as_it_was(source, tmp_path, form, loop, root):
    out = tmp_path / f"out{SUFFIX[form]}"
    about = replace(ABOUT, root=root, loop=loop)
    export_sound(source, out, about, form=form)
    again = about_of(out)
    assert (again.root, again.loop, again.markers) == (root, loop, ABOUT.markers)
    assert again.origin == ORIGIN


def bundled(folder):
    """What lid.wav says of itself after it has travelled in a bundle."""
    document = cloud(root=57.0)
    document.layers[0].sounds[0].path, document.layers[0].sounds[0].recording = "lid.wav", None
    write_bundle(document, beside(folder), folder / "lid.zip")
    opened = unpack_bundle(folder / "lid.zip", folder / "opened")
    return about_of(folder / "opened" / opened.layers[0].sounds[0].path)


def test_a_bundle_carries_what_its_recordings_say(source, tmp_path):
    export_sound(source, tmp_path / "lid.wav", ABOUT, form="wav24")
    again = bundled(tmp_path)
    assert (again.root, again.loop, again.markers) == (57.25, ABOUT.loop, ABOUT.markers)
    assert again.origin == ORIGIN


def test_a_loop_without_pitch_has_no_root_in_a_bundle_either(source, tmp_path):
    """Its WAV file needs a key for the loop, and its lineage says that there is none."""
    noise = np.random.default_rng(1).uniform(-0.3, 0.3, (RATE, 1)).astype(np.float32)
    clip = Clip(noise, RATE, loop=ABOUT.loop)
    lineage = Lineage("rain.wav", "0" * 64, Recipe(steps=[]))
    write_clip(tmp_path / "lid.wav", clip, form="wav24", root=None, lineage=lineage)
    assert read_sampler(tmp_path / "lid.wav").root == 60.0
    again = bundled(tmp_path)
    assert (again.root, again.loop) == (None, ABOUT.loop)


def test_comments_do_not_touch_the_sound(source, tmp_path):
    for form in ("flac", "ogg", "opus"):
        plain, told = tmp_path / f"plain{SUFFIX[form]}", tmp_path / f"told{SUFFIX[form]}"
        export_sound(source, plain, About("Lid"), form=form)
        export_sound(source, told, ABOUT, form=form)
        np.testing.assert_array_equal(sf.read(plain)[0], sf.read(told)[0])


def test_the_same_flac_is_written_every_time(source, tmp_path):
    for name in ("one", "two"):
        export_sound(source, tmp_path / f"{name}.flac", ABOUT, form="flac")
    assert (tmp_path / "one.flac").read_bytes() == (tmp_path / "two.flac").read_bytes()


@pytest.mark.parametrize("said", [
    {"LOOPSTART": "-5", "LOOPLENGTH": "100"}, {"LOOPSTART": "nan", "LOOPLENGTH": "1e400"},
    {"LOOPSTART": "5", "LOOPLENGTH": "0"}, {"LOOPLENGTH": "10"}, {"UNITYNOTE": "many"},
    {"UNITYNOTE": "200"}, {"CUEPOINTS": "a nan -3 1e99"},
])  # fmt: skip
def test_comments_that_make_no_sense_are_left_alone(source, tmp_path, said):
    out = tmp_path / "out.flac"
    export_sound(source, out, About("Lid"), form="flac")
    add_comments(out, said)
    again = about_of(out)
    assert (again.root, again.loop, again.markers) == (None, None, ())


@pytest.mark.parametrize("rate", [None, 44_100])
def test_a_file_of_many_channels_goes_out_with_all_of_them(tmp_path, rate):
    t = np.arange(RATE // 2) / RATE
    each = np.stack([0.1 * np.sin(2 * np.pi * (200 + 100 * n) * t) for n in range(6)], axis=1)
    sf.write(tmp_path / "many.wav", each, RATE, "FLOAT")
    out = tmp_path / "out.wav"
    export_sound(tmp_path / "many.wav", out, About("Many"), form="wav32f", rate=rate)
    found, _ = sf.read(out, always_2d=True)
    assert found.shape[1] == 6
    hz = np.fft.rfftfreq(len(found), 1 / (rate or RATE))
    for n, channel in enumerate(found.T):
        assert hz[np.abs(np.fft.rfft(channel)).argmax()] == pytest.approx(200 + 100 * n, abs=3)


def test_sounds_whose_names_differ_by_case_alone_are_told_apart(tmp_path):
    """Some systems take them for one file, and would keep the last of them only."""
    for name, hz in (("Reed", 220.0), ("reed", 330.0), ("REED", 440.0)):
        sf.write(tmp_path / f"{name}.wav", sine(hz, 0.2), RATE, "PCM_24")
    said = [tmp_path / f"{name}.wav" for name in ("Reed", "reed", "REED")]
    done = bloom("export", *said, "--out", tmp_path / "out")
    assert done.exit_code == 0, done.output
    assert sorted(one.stem for one in (tmp_path / "out").iterdir()) == ["REED 3", "Reed", "reed 2"]


def test_a_name_in_a_script_of_three_bytes_a_sign_is_handed_over(tmp_path):
    """Its file would have had a name of 300 bytes; Linux takes 255 (NAME_MAX)."""
    source = tmp_path / "wind.wav"
    sf.write(source, sine(220.0, 0.2), RATE, "PCM_24")
    done = bloom("export", source, "--out", tmp_path / "out", "--names", "風" * 100 + "{number}")
    assert done.exit_code == 0, done.output
    assert [one.stem for one in (tmp_path / "out").iterdir()] == ["風" * 60]
