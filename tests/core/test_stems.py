"""Stems: what is written, what it tells, and what is not right yet."""

from __future__ import annotations

import csv
import subprocess
import xml.etree.ElementTree as ET
from html.parser import HTMLParser
from pathlib import Path

import numpy as np
import pyebur128
import pytest
import soundfile as sf
from hypothesis import given
from hypothesis import strategies as st
from wavinfo import WavInfoReader

from innerbloom.core.deliver import stems as writing
from innerbloom.core.deliver.credits import Credit
from innerbloom.core.deliver.picture_papers import cue_csv, cue_page
from innerbloom.core.deliver.picture_ready import findings, mended
from innerbloom.core.deliver.recipes import Recipes, SoundRecipe
from innerbloom.core.deliver.stems import hand_over_stems, plain_name, stem_names
from innerbloom.core.errors import BloomError
from innerbloom.core.sound.levels import LevelMeter
from innerbloom.core.sound.resampled import ResampledSource
from innerbloom.core.timeline.document import Timeline, parse_timeline
from innerbloom.core.timeline.measure import make_up_db, measure, over_db
from innerbloom.core.timeline.mix import MIX_RATE, TimelineMix

RECIPES = [SoundRecipe(name="Ribs", source="0" * 64, kind="clip", made={"steps": [{"do": "cut"}]})]
CREDITS = [Credit(name="Wire", recordist="A. Moss", licence="CC0-1.0", digest="0" * 64)]


@pytest.fixture
def sound(tmp_path) -> Path:
    path = tmp_path / "noise.wav"
    rng = np.random.default_rng(8)
    swell = np.linspace(0.05, 0.4, 20 * MIX_RATE)[:, None]
    sf.write(path, swell * rng.uniform(-1, 1, (20 * MIX_RATE, 2)), MIX_RATE, subtype="FLOAT")
    return path


def clip(id_: str, start: int, seconds: float, **more) -> dict:
    return {
        "id": id_,
        "name": id_.title(),
        "recording": "0" * 64,
        "start": start,
        "seconds": seconds,
        **more,
    }


def film(**more) -> Timeline:
    lanes = [
        {
            "id": "l1",
            "name": "Bed",
            "clips": [clip("ribs", 24, 9.0), clip("water", 200, 5.0, offset=9.0)],
        },
        {"id": "l2", "name": "Strikes", "gain": -6.0, "clips": [clip("lid", 100, 2.0, offset=3.0)]},
        {"id": "l3", "name": "Unused", "clips": []},
        {"id": "l4", "name": "Guide", "muted": True, "clips": [clip("guide", 0, 2.0)]},
    ]
    scenes = [
        {"id": "s1", "name": "Surface", "start": 0, "feel": "calm <b>"},
        {"id": "s2", "name": "Under", "start": 120},
    ]
    return parse_timeline({"name": "The announcement", "rate": "23.976", "frames": 330, "lanes": lanes, "scenes": scenes, **more})  # fmt: skip


def mix_of(timeline: Timeline, path: Path) -> TimelineMix:
    return TimelineMix(timeline, lambda _: ResampledSource(path, MIX_RATE))


@pytest.fixture
def handed(sound, tmp_path) -> Path:
    mix = mix_of(film(), sound)
    hand_over_stems(mix, measure(mix), tmp_path / "out", CREDITS, RECIPES)
    return tmp_path / "out"


def test_stems_add_up_to_the_whole(handed):
    """A stem laid back at its time reference nulls against the whole."""
    whole, rate = sf.read(handed / "The_announcement_whole.wav")
    total = np.zeros_like(whole)
    for name in ("Bed", "Strikes"):
        stem, _ = sf.read(handed / f"The_announcement_{name}.wav")
        total += stem
    assert rate == MIX_RATE
    assert 20 * np.log10(np.abs(total - whole).max()) < -100
    assert not list(handed.glob("*Guide*"))
    assert not list(handed.glob("*Unused*"))


def test_the_whole_has_the_loudness_that_was_asked_for(handed):
    """EBU R 128 by libebur128, through pyebur128."""
    samples, rate = sf.read(handed / "The_announcement_whole.wav")
    meter = pyebur128.R128State(
        2, rate, pyebur128.MeasurementMode.MODE_I | pyebur128.MeasurementMode.MODE_LRA
    )
    meter.add_frames(np.ascontiguousarray(samples.ravel()), len(samples))
    assert pyebur128.get_loudness_global(meter) == pytest.approx(-23.0, abs=0.1)
    told = WavInfoReader(str(handed / "The_announcement_whole.wav")).bext
    assert told.version == 2
    assert told.loudness_value == pytest.approx(-23.0, abs=0.1)
    assert told.loudness_range == pytest.approx(pyebur128.get_loudness_range(meter), abs=0.5)


def test_momentary_short_term_and_range_are_those_of_libebur128(sound):
    samples, rate = sf.read(sound, dtype="float32")
    modes = pyebur128.MeasurementMode
    state = pyebur128.R128State(2, rate, modes.MODE_S | modes.MODE_LRA)
    ours = LevelMeter(rate, 2)
    momentary = short = -99.0
    hop = rate // 10
    for at in range(0, len(samples), hop):
        piece = np.ascontiguousarray(samples[at : at + hop])
        ours.feed(piece)
        state.add_frames(np.ascontiguousarray(piece.ravel().astype(np.float64)), len(piece))
        momentary = (
            max(momentary, pyebur128.get_loudness_momentary(state)) if at >= 4 * hop else momentary
        )
        short = max(short, pyebur128.get_loudness_shortterm(state)) if at >= 30 * hop else short
    assert ours.highest_momentary_lufs() == pytest.approx(momentary, abs=0.05)
    assert ours.highest_short_term_lufs() == pytest.approx(short, abs=0.05)
    # EBU Tech 3342 allows 1 LU: it looks every second, we every tenth
    assert ours.range_lu() == pytest.approx(pyebur128.get_loudness_range(state), abs=1.0)


def test_files_tell_when_they_begin_and_what_they_are(handed):
    """`bext` (EBU Tech 3285 v2) and iXML read by wavinfo: an hour at 23.976 counts 86,400 frames."""
    told = WavInfoReader(str(handed / "The_announcement_Bed.wav"))
    assert told.bext.time_reference == round(86_400 * MIX_RATE * 1_001 / 24_000)
    assert told.bext.originator_time == "01:00:00"
    assert "Bed" in told.bext.description
    assert told.ixml.project == "The announcement"
    assert told.ixml.scene == "The announcement"
    assert told.ixml.take == "Bed"
    speed = ET.fromstring(told.ixml.source).find("SPEED")
    assert speed.find("TIMECODE_RATE").text == "24000/1001"
    assert speed.find("TIMECODE_FLAG").text == "NDF"
    low, high = (
        int(speed.find(f"TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_{part}").text) for part in ("LO", "HI")
    )
    assert low + (high << 32) == told.bext.time_reference


def test_checksums_are_read_by_the_shells_own_tool(handed):
    done = subprocess.run(
        ["sha256sum", "-c", "SHA256SUMS"], cwd=handed, capture_output=True, text=True
    )
    assert done.returncode == 0, done.stdout + done.stderr
    assert len(done.stdout.splitlines()) == len(list(handed.iterdir())) - 1
    suffixes = sorted(path.suffix for path in handed.iterdir())
    assert suffixes == sorted(
        [".json", ".csv", ".edl", ".edl", ".html", ".otio", ".txt", ".wav", ".wav", ".wav", ""]
    )


def test_the_cue_sheet_says_what_is_where():
    rows = list(csv.DictReader(cue_csv(film()).splitlines()))
    assert [(row["scene"], row["lane"], row["sound"], row["start"]) for row in rows] == [
        ("Surface", "Bed", "Ribs", "01:00:01:00"),
        ("Surface", "Strikes", "Lid", "01:00:04:04"),
        ("Under", "Bed", "Water", "01:00:09:04"),
    ]
    page = cue_page(film(), [("a.wav", -23.0, None)], CREDITS)
    HTMLParser().feed(page)
    assert "calm &lt;b&gt;" in page
    assert "A. Moss" in page
    assert "src=" not in page
    assert "href=" not in page


@pytest.mark.parametrize("form", ["WAV 24-bit", "WAV float"])
def test_written_twice_it_is_the_same(sound, tmp_path, form):
    made = film(settings={"form": form})
    sums = []
    for name in ("one", "two"):
        mix = mix_of(made, sound)
        hand_over_stems(mix, measure(mix), tmp_path / name, CREDITS)
        sums.append((tmp_path / name / "SHA256SUMS").read_text())
    assert sums[0] == sums[1]


def test_as_mixed_nothing_is_raised(sound, tmp_path):
    mix = mix_of(film(settings={"level": "as mixed", "form": "WAV float"}), sound)
    hand_over_stems(mix, measure(mix), tmp_path / "out", CREDITS)
    whole, _ = sf.read(tmp_path / "out" / "The_announcement_whole.wav", dtype="float32")
    np.testing.assert_allclose(whole, mix_of(mix.timeline, sound).read_lane(0, 0, mix.frames)
                               + mix_of(mix.timeline, sound).read_lane(1, 0, mix.frames), atol=1e-6)  # fmt: skip


def test_a_full_disk_leaves_nothing(sound, tmp_path, monkeypatch):
    def full(*_, **__):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(writing, "as_otio", full)
    mix = mix_of(film(), sound)
    with pytest.raises(BloomError, match="No space left on device"):
        hand_over_stems(mix, measure(mix), tmp_path / "out" / "set", CREDITS)
    assert not list((tmp_path / "out").iterdir())


def test_handing_over_can_be_stopped(sound, tmp_path):
    mix = mix_of(film(), sound)
    found = measure(mix)
    with pytest.raises(BloomError, match="Stopped"):
        hand_over_stems(
            mix, found, tmp_path / "out" / "set", CREDITS, (), lambda share: share < 0.3
        )
    assert not list((tmp_path / "out").iterdir())


@given(name=st.text(min_size=1, max_size=200))
def test_any_name_becomes_one_that_every_system_takes(name):
    plain = plain_name(name)
    assert plain
    assert not set(plain) & set('<>:"/\\|?* \n\t')
    assert plain.strip(".") == plain
    assert len(plain) <= 80


def test_two_stems_of_one_name_are_refused():
    made = film()
    made.lanes[1].name = "BED"
    with pytest.raises(BloomError, match="Two stems would be called"):
        stem_names(made)
    empty = parse_timeline({"name": "x"})
    with pytest.raises(BloomError, match="No lane has a sound"):
        stem_names(empty)


# -- ready? ---------------------------------------------------------------------


def said(
    timeline: Timeline,
    sound: Path,
    credits: list[Credit] | None = None,
    missing: list[str] | None = None,
):
    return findings(timeline, measure(mix_of(timeline, sound)), missing or [], credits or [])


def test_what_is_right_is_said(sound):
    found = said(film(settings={"ceiling": 0.0}), sound)
    assert all(one.right for one in found)
    words = " / ".join(one.text for one in found)
    assert "the whole: −23.0 LUFS" in words
    assert "nothing rings past the end" in words
    assert "muted, so not handed over: Guide" in words


def test_what_is_wrong_comes_first_with_a_way_to_mend_it(sound):
    lanes = film().model_dump(mode="json")["lanes"]
    lanes[0]["clips"][1] |= {"seconds": 30.0, "offset": 0.0}
    lanes[1]["name"] = "bed"
    lanes[1]["clips"][0] |= {"fade_in": 0.0, "gain": 24.0}
    made = film(lanes=lanes, settings={"loudness": -14.0, "ceiling": -10.0})
    unknown = Credit(name="Reeds", licence="CC BY-NC 4.0")
    found = said(made, sound, [unknown])
    wrong = [one for one in found if not one.right]
    assert found[: len(wrong)] == wrong
    assert {one.mend for one in wrong} == {"quieter", "fade", "name", "end", None}
    # what is not known is asked for, what forbids use is said
    assert {one.search for one in wrong} == {"Reeds", ""}
    assert any("non-commercial" in one.text for one in wrong)
    over = next(one for one in wrong if one.mend == "quieter")
    assert "passes its true peak" in over.text
    for _ in range(4):
        for one in [one for one in said(made, sound) if one.mend is not None]:
            made = mended(made, one.mend, one.owner, measure(mix_of(made, sound)))
    left = [one for one in said(made, sound) if not one.right]
    assert left == []
    assert made.lanes[1].name == "bed 2"


def test_one_strike_that_peaks_is_lowered_and_the_rest_left(sound, tmp_path):
    rng = np.random.default_rng(2)
    strike = rng.uniform(-0.9, 0.9, (MIX_RATE // 20, 2))
    sf.write(tmp_path / "strike.wav", strike, MIX_RATE, subtype="FLOAT")
    lanes = [
        {"id": "l1", "name": "Bed", "clips": [clip("bed", 0, 12.0)]},
        {"id": "l2", "name": "Strikes", "clips": [clip("hit", 100, 0.05)]},
    ]
    made = film(lanes=lanes, settings={"ceiling": -9.0})
    mix = TimelineMix(made, lambda one: ResampledSource(
        tmp_path / "strike.wav" if one.id == "hit" else sound, MIX_RATE))  # fmt: skip
    found = measure(mix)
    wrong = [one for one in findings(made, found, [], []) if not one.right]
    assert [(one.mend, one.owner, one.frame) for one in wrong] == [
        ("lower", "hit", found.peak_frame)
    ]
    assert abs(found.peak_frame - 100) <= 2
    after = mended(made, "lower", "hit", found)
    assert after.lanes[1].clips[0].gain == pytest.approx(-over_db(made, found) - 0.3, abs=0.01)
    assert after.lanes[0] == made.lanes[0]


def test_a_mend_reaches_the_ceiling(sound):
    made = film(settings={"loudness": -9.0, "ceiling": -4.0})
    found = measure(mix_of(made, sound))
    assert over_db(made, found) > 0
    assert make_up_db(made, found) == pytest.approx(-9.0 - found.loudness)
    assert over_db(made, replace_peak(found, -30.0)) == 0


def replace_peak(found, peak):
    return found.model_copy(update={"peak": peak})


def test_what_is_gone_and_what_is_silent_is_said(sound, tmp_path):
    made = film()
    found = findings(made, None, ["lid"], [])
    assert found[0].text == "The sound of 'Lid' is gone"
    assert mended(made, "drop", "lid", None).lanes[1].clips == []
    quiet = tmp_path / "silence.wav"
    sf.write(quiet, np.zeros((20 * MIX_RATE, 1)), MIX_RATE)
    measured = measure(mix_of(made, quiet))
    assert measured.loudness is None
    assert any(one.text == "The whole is silent" for one in findings(made, measured, [], []))
    assert [one.text for one in findings(parse_timeline({"name": "x"}), None, [], [])] == [
        "No lane has a sound that would be handed over"
    ]


def test_many_clips_of_one_fault_are_one_finding(sound):
    clips = [clip(f"x{n}", 10 * n, 1.0, fade_in=0.0) for n in range(6)]
    made = film(lanes=[{"id": "l1", "name": "Bed", "clips": clips}])
    found = [one for one in findings(made, None, [], []) if not one.right]
    assert [(one.text, one.mend, one.owner) for one in found] == [
        ("6 clips have an edge without a fade: they may click", "fade", "")
    ]
    after = mended(made, "fade", "", None)
    assert all(one.fade_in > 0 for one in after.lanes[0].clips)


def test_the_recipe_of_each_sound_goes_with_it(handed):
    told = Recipes.model_validate_json((handed / "recipes.json").read_bytes())
    assert told.sounds == RECIPES
