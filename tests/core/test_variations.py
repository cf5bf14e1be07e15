"""Variations of one effect: drawn, the most unlike kept, equally loud, without a seam, handed over whole."""

from __future__ import annotations

import csv
import json
import subprocess

import jsonschema
import numpy as np
import pyloudnorm
import pytest
import soundfile as sf
from hypothesis import given, settings
from hypothesis import strategies as st

from innerbloom.core.analysis.unlike import distances_of, map_places, most_unlike, nearest_of
from innerbloom.core.deliver.contents import contents_schema
from innerbloom.core.deliver.credits import Credit, credits_text, warnings
from innerbloom.core.deliver.hand_over import HandOver, file_names, hand_over
from innerbloom.core.deliver.variation_set import intensity_layers
from innerbloom.core.deliver.variation_settings import VariationSettings
from innerbloom.core.deliver.variations import draws, folded, instrument_for, made_of, variations
from innerbloom.core.errors import BloomError, Cancelled
from innerbloom.core.materials.held import HeldMaterials
from innerbloom.core.performance.events import Event
from innerbloom.core.performance.stretch import gestures_in, varied
from innerbloom.core.performance.take import Take
from tests.core.test_snapshots import four
from tests.engines import RATE, click_db, layered, material_of
from tests.shell import bloom

RNG = np.random.default_rng(4)
MATERIALS = HeldMaterials(material_of((0.2 * RNG.standard_normal(RATE)).astype(np.float32)))


def splash():
    """A strike whose macro leads from dull to bright."""
    return layered(
        {"kind": "noise", "filter": "12 dB", "cutoff": 700, "decay": 120, "sustain": 0, "release": 80},
        {"kind": "wave", "shape": "triangle", "decay": 200, "sustain": 0, "level": -9, "release": 80},
        modulators=[{"kind": "macro", "value": 50}],
        routes=[{"source": "m:m1", "parameter": "cutoff", "depth": 3.0, "polarity": "two-sided"}],
    )  # fmt: skip


def wanted(**more):
    return VariationSettings(**{"drawn": 40, "kept": 8, "seconds": 0.3, "macros": 100,
                                "key_low": 36, "key_high": 84, "loudness": -24, **more})  # fmt: skip


@pytest.fixture(scope="module")
def made():
    return variations(splash(), wanted(), MATERIALS)


# -- which are kept ----------------------------------------------------------------------


def test_those_kept_are_more_unlike_than_a_random_draw_of_as_many():
    drawn = variations(splash(), wanted(kept=40), MATERIALS)
    distances = distances_of([one.timbre for one in drawn])

    def apart(some):
        return nearest_of(distances[np.ix_(some, some)]).min()

    random = np.random.default_rng(1)
    chance = np.median([apart(random.choice(40, 8, replace=False)) for _ in range(200)])
    assert apart(most_unlike(distances, 8)) >= 2.0 * chance


@settings(max_examples=60, deadline=None)
@given(st.lists(st.tuples(st.floats(0, 1), st.floats(0, 1)), min_size=2, max_size=9, unique=True),
       st.integers(2, 5))  # fmt: skip
def test_farthest_points_first_comes_within_half_of_the_best(points, count):
    # Gonzalez 1985 bounds the radius; for the least distance between chosen points the same
    # greedy choice is a half of the optimum: S. S. Ravi et al., Operations Research 42(2), 1994
    from itertools import combinations

    places = np.array(points)
    distances = np.linalg.norm(places[:, None] - places[None], axis=2)

    def apart(some):
        return nearest_of(distances[np.ix_(some, some)]).min()

    chosen = most_unlike(distances, count)
    assert len(set(chosen)) == min(count, len(points))
    best = max(apart(list(some)) for some in combinations(range(len(points)), len(chosen)))
    assert apart(chosen) >= 0.5 * best - 1e-9


def test_the_map_keeps_distances_that_two_directions_can_keep():
    places = np.random.default_rng(2).random((12, 2)) * (1.0, 0.6)
    distances = np.linalg.norm(places[:, None] - places[None], axis=2)
    found = map_places(distances)
    again = np.linalg.norm(found[:, None] - found[None], axis=2)
    assert again / again.max() == pytest.approx(distances / distances.max(), abs=1e-6)
    assert found.min() >= -1e-9
    assert found.max() <= 1 + 1e-9
    assert map_places(np.zeros((1, 1))).tolist() == [[0.5, 0.5]]
    assert np.isfinite(map_places(np.zeros((3, 3)))).all()


# -- what varies -------------------------------------------------------------------------


def test_draws_lie_in_their_ranges_and_are_seeded():
    some = draws(splash(), wanted(macros=20, velocity_low=90, velocity_high=100))
    assert {one.key for one in some} <= set(range(36, 85))
    assert {one.velocity for one in some} <= set(range(90, 101))
    assert all(30 <= one.macros[0][1] <= 70 for one in some)
    assert len({one.seed for one in some}) == 40
    assert some == draws(splash(), wanted(macros=20, velocity_low=90, velocity_high=100))
    assert {one.seed for one in draws(splash(), wanted(chance="the same"))} == {1}
    # more of them leave those before as they are
    assert (
        draws(splash(), wanted(drawn=60, macros=20, velocity_low=90, velocity_high=100))[:40]
        == some
    )


def test_states_are_drawn_from_snapshots_and_their_map():
    any_of = draws(four(), wanted(snapshots="any of them"))
    assert {one.snapshot for one in any_of} == {"s1", "s2", "s3", "s4"}
    recalled = instrument_for(four(), next(one for one in any_of if one.snapshot == "s3"))
    assert recalled.layers[0].settings.level == -30.0
    between = draws(four(), wanted(snapshots="anywhere on the map"))[0]
    assert 300 <= instrument_for(four(), between).layers[0].settings.cutoff <= 6_000
    for which, words in (("any of them", "no snapshots"), ("anywhere on the map", "on the map")):
        with pytest.raises(BloomError, match=words):
            draws(splash(), wanted(snapshots=which))


@pytest.mark.parametrize(("wrong", "words"), [
    ({"key_low": 80, "key_high": 40}, "lowest key"),
    ({"velocity_low": 90, "velocity_high": 20}, "lowest velocity"),
])  # fmt: skip
def test_a_range_that_stands_upside_down_is_said(wrong, words):
    with pytest.raises(BloomError, match=words):
        draws(splash(), wanted(**wrong))


def test_all_silent_is_said_and_drawing_can_be_stopped():
    silent = layered({"kind": "wave", "level": -60})
    with pytest.raises(BloomError, match="silent"):
        variations(silent, wanted(drawn=2), MATERIALS)
    with pytest.raises(Cancelled):
        variations(splash(), wanted(), MATERIALS, lambda share: share < 0.1)


# -- how they end, and how loud they are ----------------------------------------------------


def test_all_are_equally_loud_as_another_meter_measures_it(made):
    # pyloudnorm (Steinmetz and Reiss, AES 150, 2021) implements ITU-R BS.1770-4
    meter = pyloudnorm.Meter(RATE)
    heard = []
    for one in made:
        missing = max(0, round(0.4 * RATE) - len(one.sound))
        heard.append(meter.integrated_loudness(np.pad(one.sound, ((0, missing), (0, 0)))))
    assert np.ptp(heard) < 0.3
    assert max(one.peak for one in made) <= -0.99


def test_loudness_gives_way_to_the_ceiling():
    loud = variations(splash(), wanted(drawn=6, kept=6, loudness=-8), MATERIALS)
    assert max(one.peak for one in loud) == pytest.approx(-1.0, abs=0.01)
    assert np.ptp([one.loudness for one in loud]) < 0.01
    plain = variations(splash(), wanted(drawn=6, kept=6, level="as played"), MATERIALS)
    assert np.ptp([one.loudness for one in plain]) > 0.5


def test_ringing_out_ends_in_silence_and_cutting_at_the_frame(made):
    for one in made:
        assert np.abs(one.sound[-1]).max() < 1e-6
        level = np.abs(one.sound).max()
        assert np.abs(one.sound[-500:]).max() < level * 10 ** (-40 / 20)
    cut = variations(splash(), wanted(drawn=3, kept=3, ends="is cut"), MATERIALS)
    assert {len(one.sound) for one in cut} == {14_400}
    assert all(np.abs(one.sound[-1]).max() < 1e-6 for one in cut)


def test_a_loop_played_three_times_has_no_seam():
    drone = layered({"kind": "wave", "shape": "sine", "attack": 40, "release": 900})
    setting = wanted(drawn=2, kept=2, ends="loops", seconds=1.0, key_low=40, key_high=50)
    for one in variations(drone, setting, MATERIALS):
        assert one.loop
        assert len(one.sound) == RATE
        thrice = np.concatenate([one.sound] * 3)
        assert click_db(thrice[RATE - 4_800 : RATE + 4_800]) < -60.0
        assert click_db(thrice) < -60.0


def test_folding_loses_nothing():
    sound = RNG.standard_normal((2_500, 2)).astype(np.float32)
    loop = folded(sound, 1_000)
    assert loop.sum(axis=0) == pytest.approx(sound.sum(axis=0), abs=1e-2)
    assert loop[:500] == pytest.approx(sound[:500] + sound[1_000:1_500] + sound[2_000:], abs=1e-5)
    assert np.array_equal(folded(sound[:400], 1_000)[:400], sound[:400])


# -- handed over ----------------------------------------------------------------------------

CREDITS = (Credit(name="Sluice wheel", recordist="A. B.", place="Lock", licence="CC-BY-4.0"),)


@pytest.mark.parametrize(("form", "rate"), [("wav24", None), ("wav16", 44_100), ("flac", None),
                                            ("ogg", 22_050)])  # fmt: skip
def test_what_is_handed_over_is_named_listed_summed_and_credited(made, tmp_path, form, rate):
    how = HandOver("Splash", "Splash maker", "{name}_{number}_{root}", form, rate, CREDITS)
    hand_over(made, how, tmp_path / "out")
    folder = tmp_path / "out"
    contents = json.loads((folder / "contents.json").read_text())
    jsonschema.validate(contents, contents_schema())
    assert contents["credits"][0]["recordist"] == "A. B."
    rows = list(csv.DictReader((folder / "contents.csv").read_text().splitlines()))
    assert [row["file"] for row in rows] == [one["file"] for one in contents["files"]]
    for one in contents["files"]:
        info = sf.info(folder / one["file"])
        assert (info.frames, info.samplerate) == (one["frames"], one["rate"])
        assert info.samplerate == (rate or RATE)
    # the shell's own tool reads the sums
    checked = subprocess.run(["sha256sum", "-c", "SHA256SUMS"], cwd=folder, capture_output=True,
                             check=False)  # fmt: skip
    assert checked.returncode == 0, checked.stdout
    assert (folder / "credits.txt").read_text() == (
        "Sluice wheel, recorded by A. B., Lock, CC-BY-4.0\n"
    )


def test_loops_say_so_in_their_files(tmp_path):
    setting = wanted(drawn=1, kept=1, ends="loops", seconds=0.5)
    made = variations(splash(), setting, MATERIALS)
    hand_over(made, HandOver("Loop", "Splash", rate=44_100), tmp_path / "out")
    entry = json.loads((tmp_path / "out" / "contents.json").read_text())["files"][0]
    assert entry["loop"] == [0, 22_050]
    data = (tmp_path / "out" / entry["file"]).read_bytes()
    at = data.index(b"smpl") + 8
    # Multimedia Programming Interface and Data Specifications 1.0: loops begin at byte 36
    count = int.from_bytes(data[at + 28 : at + 32], "little")
    start, end = (int.from_bytes(data[at + 36 + n : at + 40 + n], "little") for n in (8, 12))
    assert (count, start, end) == (1, 0, 22_049)


def test_names_that_would_be_the_same_are_refused_and_nothing_is_left(made, tmp_path):
    with pytest.raises(BloomError, match=r"both .Splash\.wav."):
        hand_over(made, HandOver("Splash", "x", "{name}"), tmp_path / "out")
    with pytest.raises(BloomError, match=r"There is no \{mood\}"):
        hand_over(made, HandOver("Splash", "x", "{mood}"), tmp_path / "out")
    with pytest.raises(Cancelled):
        hand_over(made, HandOver("Splash", "x"), tmp_path / "out", lambda share: share < 0.5)
    assert list(tmp_path.iterdir()) == []
    awkward = HandOver('a/b\\c:d*e?"f<g>h|é', "x", "{name} {number}")
    hand_over(made[:1], awkward, tmp_path / "out")
    assert (tmp_path / "out" / "a_b_c_d_e_f_g_h_é 001.wav").is_file()
    with pytest.raises(BloomError, match="there already"):
        hand_over(made, HandOver("Splash", "x"), tmp_path / "out")


def test_a_full_disk_is_said_and_leaves_nothing_half(made, tmp_path, monkeypatch):
    import innerbloom.core.deliver.export as module

    def full(*_, **__):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(module, "export_sound", full)
    with pytest.raises(BloomError, match=r"No space left on device\. Nothing was left"):
        hand_over(made, HandOver("Splash", "x"), tmp_path / "out")
    assert list(tmp_path.iterdir()) == []


def test_credits_say_what_is_missing_and_what_forbids():
    some = [
        Credit(name="One", recordist="A. B.", licence="CC0-1.0"),
        Credit(name="Two", licence="CC BY-NC-ND 4.0"),
        Credit(name="Three", recordist="C. D."),
        Credit(name="Four", recordist="E.", licence="Attribution-NonCommercial"),
    ]
    said = warnings(some)
    assert len(said) == 5
    assert "not known of 'Two' who recorded it" in said[0]
    assert "no derivatives" in said[1]
    assert "non-commercial" in said[2]
    assert "not known of 'Three' its licence" in said[3]
    assert "'Four'" in said[4]
    assert credits_text(some).splitlines()[2] == "Three, recorded by C. D., licence not known"
    # words that merely hold these letters forbid nothing
    assert warnings([Credit(name="x", recordist="y", licence="standard")]) == []


def test_the_shell_draws_and_writes(tmp_path):
    path = tmp_path / "splash.json"
    path.write_text(splash().model_dump_json())
    result = bloom("vary", path, "--out", tmp_path / "out", "--drawn", 6, "--kept", 3,
                   "--seconds", 0.2, "--names", "{name}_{number}", "--title", "Splash")  # fmt: skip
    assert result.exit_code == 0, result.output
    assert "Wrote 3 files" in result.output
    assert (tmp_path / "out" / "Splash_001.wav").is_file()
    again = bloom("vary", path, "--out", tmp_path / "out")
    assert again.exit_code != 0
    assert "there already" in again.output


# -- of takes ------------------------------------------------------------------------------


def hands_of(*notes, seconds=2.0, lead_in=0, others=()):
    """A take of notes (start, end, key, velocity) of the splash."""
    events = [event for n, (start, end, key, velocity) in enumerate(notes, 1) for event in (
        Event("on", n, key, velocity, lead_in + round(start * RATE)),
        Event("off", n, key, 0.3, lead_in + round(end * RATE)))]  # fmt: skip
    ordered = tuple(sorted((*events, *others), key=lambda one: one.time))
    return Take(
        splash().model_dump(mode="json"),
        events=ordered,
        lead_in=lead_in,
        frames=round(seconds * RATE),
    )


def test_a_stretch_of_a_take_is_a_performance_of_its_own():
    lead = 512
    bend = Event("bend", 2, 60.0, 1.0, lead + RATE)
    take = hands_of((0.0, 0.3, 60, 0.8), (0.9, 1.8, 64, 0.5), lead_in=lead,
                    others=[Event("control", 11, value=0.4, time=lead), bend])  # fmt: skip
    found = gestures_in(take, 0.5, 1.0)
    assert [(one.kind, one.time) for one in found] == [
        ("control", 0), ("on", round(0.4 * RATE)), ("bend", RATE // 2), ("off", RATE),
    ]  # fmt: skip
    assert gestures_in(take, 1.9, 0.5)[0].kind == "control"
    higher = varied(found, 12.0, 10.0)
    assert [(one.key, one.value) for one in higher if one.kind == "on"] == [(76.0, 1.0)]


def test_variations_of_a_take_play_its_hands():
    take = hands_of((0.0, 0.2, 60, 0.8), (0.25, 0.4, 67, 0.8))
    hands = gestures_in(take, 0.0, 0.6)
    asked = wanted(drawn=3, kept=3, seconds=0.6, key_low=60, key_high=60, velocity_low=100,
                   velocity_high=100, macros=0, chance="the same")  # fmt: skip
    made = list(made_of(splash(), asked, MATERIALS, lambda share: True, hands))
    # nothing varies: three times the same, and the second strike is in it
    assert np.array_equal(made[0].sound, made[1].sound)
    level = np.abs(made[0].sound).max(axis=1)
    second = slice(round(0.25 * RATE), round(0.3 * RATE))
    assert level[second].max() > 4 * level[round(0.2 * RATE) : round(0.245 * RATE)].max()
    note = next(iter(made_of(splash(), asked, MATERIALS, lambda share: True)))
    assert not np.array_equal(note.sound[: len(made[0].sound)], made[0].sound[: len(note.sound)])


# -- layers --------------------------------------------------------------------------------


def test_intensity_layers_are_equally_long_loops_of_each_snapshot_aligned_to_the_sample():
    document = four()
    asked = intensity_layers(document, seconds=1.5)
    made = list(made_of(document, asked, MATERIALS, lambda share: True))
    assert [one.draw.snapshot for one in made] == [one.id for one in document.snapshots]
    assert {len(one.sound) for one in made} == {round(1.5 * RATE)}
    assert {(one.draw.key, one.draw.velocity, one.draw.seed) for one in made} == {
        (60, 100, document.settings.seed)
    }
    for one in made:
        # no step at the seam that is not elsewhere
        inside = np.abs(np.diff(one.sound, axis=0)).max()
        assert np.abs(one.sound[0] - one.sound[-1]).max() <= inside
    names = file_names([one.draw for one in made], HandOver(
        "Depths", "Four", "{name}_{snapshot}", states={one.id: one.name for one in document.snapshots}))  # fmt: skip
    assert names[0] == f"Depths_{document.snapshots[0].name}.wav"
    with pytest.raises(BloomError, match="two at least"):
        intensity_layers(splash())


# -- Opus ----------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("asked", "written"), [(None, 48_000), (44_100, 48_000), (24_000, 24_000), (22_050, 24_000)]
)
def test_opus_is_written_at_a_rate_of_its_own(made, tmp_path, asked, written):
    """RFC 6716, section 2; read back by libsndfile."""
    how = HandOver("Splash", "Splash", form="opus", rate=asked)
    contents = hand_over(made[:2], how, tmp_path / "out")
    for entry, one in zip(contents.files, made, strict=False):
        assert entry.file.endswith(".opus")
        sound, rate = sf.read(tmp_path / "out" / entry.file)
        assert rate == written
        assert len(sound) / rate == pytest.approx(len(one.sound) / RATE, abs=0.03)
        assert np.abs(sound).max() > 0.1 * np.abs(one.sound).max()


def test_the_contents_tell_tags_state_and_take(made, tmp_path):
    how = HandOver("Splash", "Wet", take="Knocking", tags=("wet", "short"))
    contents = hand_over(made[:2], how, tmp_path / "out")
    data = json.loads((tmp_path / "out" / "contents.json").read_text())
    jsonschema.validate(data, contents_schema())
    assert data["files"][0]["tags"] == ["wet", "short"]
    assert data["files"][0]["lineage"]["take"] == "Knocking"
    rows = list(csv.DictReader((tmp_path / "out" / "contents.csv").open()))
    assert (rows[0]["tags"], rows[0]["take"]) == ("wet short", "Knocking")
    assert len(contents.files) == 2
