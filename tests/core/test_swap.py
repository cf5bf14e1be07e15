"""The same instrument over other recordings: stretches and loops found anew, ranked by how far the character holds."""

from __future__ import annotations

import numpy as np
import pytest
import soundfile as sf

from innerbloom.batch.pools import pool_for
from innerbloom.batch.running import Batch
from innerbloom.batch.tasks import swap_task
from innerbloom.core.deliver.opening import open_playable
from innerbloom.core.deliver.swap import Candidate, as_loud, character, holds, swapped, tried
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.layering import add_layer
from innerbloom.store.files import FileStore
from innerbloom.store.linked import link
from innerbloom.store.prepared import DiskMaterials
from tests.engines import RATE, cloud, layered, sine
from tests.shell import bloom

KEY, SECONDS = 57.0, 3.0


@pytest.fixture(scope="module")
def store(tmp_path_factory):
    return FileStore(tmp_path_factory.mktemp("swap") / "project")


def reeds(hz, seconds=6.0, seed=1):
    """A tone with overtones and some breath."""
    random = np.random.default_rng(seed)
    tone = sum(sine(hz * k, seconds, level=0.3 / k) for k in range(1, 6))
    return tone + 0.01 * random.standard_normal(len(tone))


def recording(store, name, samples):
    path = store.root.parent / f"{name}.wav"
    sf.write(path, samples, RATE, "PCM_24")
    return link(store, path)


@pytest.fixture(scope="module")
def found(store):
    """Candidates by name; ``own`` is what the instrument plays."""
    random = np.random.default_rng(2)
    quiet_then_loud = np.concatenate((0.003 * reeds(220.0, 20.0), reeds(220.0, 4.0)))
    samples = {
        "own": reeds(220.0), "twin": 0.05 * reeds(233.0, seed=5),
        "hiss": 0.2 * random.standard_normal(6 * RATE), "late": quiet_then_loud,
        "tiny": reeds(220.0, 0.1), "short": reeds(220.0, 0.9),
    }  # fmt: skip
    roots = {"hiss": None, "twin": 58.0}
    return {
        name: Candidate(recording(store, name, data), name, roots.get(name, 57.0))
        for name, data in samples.items()
    }


@pytest.fixture(scope="module")
def instrument(store, found):
    made = cloud(
        root=57.0, position=40, position_scatter=10, attack=200, release=300, density=50, size=150
    )
    made.layers[0].sounds[0].recording, made.layers[0].sounds[0].path = found["own"].digest, None
    return made


def over(store, instrument, candidate):
    return tried(instrument, candidate, store.locate, DiskMaterials(store), KEY, SECONDS, -23.0)


def test_what_is_alike_holds_the_character_and_what_is_not_does_not(store, instrument, found):
    own = character(instrument, DiskMaterials(store), KEY, SECONDS)
    scores = {}
    for name in ("own", "twin", "hiss", "late"):
        _, sound = tried(
            instrument,
            found[name],
            store.locate,
            DiskMaterials(store),
            KEY,
            SECONDS,
            own.loudness,
        )
        scores[name] = holds(own, sound)
    assert scores["own"].together > 0.9
    assert scores["twin"].together > 0.8
    assert scores["hiss"].timbre < 0.5
    assert scores["hiss"].together < min(scores["twin"].together, scores["late"].together)
    assert all(0.0 <= value <= 1.0 for one in scores.values()
               for value in (one.timbre, one.envelope, one.movement, one.together))  # fmt: skip


def test_every_setting_is_kept_and_only_sounds_change(store, instrument, found):
    made = swapped(instrument, found["twin"], store.locate)
    assert made.layers[0].settings == instrument.layers[0].settings
    assert made.routes == instrument.routes
    (sound,) = made.layers[0].sounds
    assert (sound.recording, sound.root) == (found["twin"].digest, 58.0)


def test_the_place_that_is_played_falls_where_the_recording_is_loud(store, instrument, found):
    # 20 s of near silence and then 4 s of sound: a stretch of six seconds is laid about these
    short = instrument.model_copy(deep=True)
    short.layers[0].sounds[0].length = 6.0
    made = swapped(short, found["late"], store.locate)
    (sound,) = made.layers[0].sounds
    played = sound.start + 0.4 * sound.length
    assert 20.0 < played < 24.0
    assert sound.start + sound.length <= 24.0 + 1e-6
    assert sound.length == pytest.approx(6.0)


def test_loops_are_found_anew_and_about_as_long(store, found):
    looped = layered({"kind": "loop", "loop": "forward", "loop_length": 800.0,
                      "sounds": [{"recording": found["own"].digest, "root": 57}]})  # fmt: skip
    made = swapped(looped, found["twin"], store.locate)
    assert made.layers[0].settings.loop_length >= 400.0
    assert made.layers[0].settings.loop_length != 800.0
    # the seam does not click: what repeats is as smooth there as elsewhere
    held = character(made, DiskMaterials(store), 58.0, 4.0).sound[: 4 * RATE, 0]
    jumps = np.abs(np.diff(held, 2))[RATE:]
    assert jumps.max() < 12 * np.median(jumps)


def test_it_is_about_as_loud_as_it_was(store, instrument, found):
    own = character(instrument, DiskMaterials(store), KEY, SECONDS)
    for name in ("twin", "late", "hiss"):
        _, sound = tried(
            instrument,
            found[name],
            store.locate,
            DiskMaterials(store),
            KEY,
            SECONDS,
            own.loudness,
        )
        assert abs(sound.loudness - own.loudness) < 1.5, name


def test_what_is_too_short_and_what_plays_no_recording_is_said(store, instrument, found):
    with pytest.raises(BloomError, match=r"'tiny' is too short for an instrument: 0\.10 s"):
        over(store, instrument, found["tiny"])
    with pytest.raises(BloomError, match="nothing to swap"):
        over(store, layered({"kind": "wave"}), found["twin"])
    made, sound = over(store, instrument, found["short"])
    assert made.layers[0].sounds[0].length is None
    assert np.isfinite(sound.loudness)


def test_wavetables_stay_as_they_are(store, instrument, found):
    plain = instrument.model_dump(mode="json")
    table = {**plain["layers"][0]["sounds"][0], "cycle": 2048}
    both = add_layer(instrument, "wave", name="Table")
    both.layers[-1].sounds = [type(both.layers[0].sounds[0]).model_validate(table)]
    made = swapped(both, found["twin"], store.locate)
    assert [one.sounds[0].recording for one in made.layers] == [
        found["twin"].digest,
        found["own"].digest,
    ]


def test_raising_stays_within_bounds(instrument):
    assert as_loud(instrument, 400.0).layers[0].sounds[0].gain_db <= 60.0
    assert as_loud(instrument, 6.0).layers[0].sounds[0].gain_db == pytest.approx(
        instrument.layers[0].sounds[0].gain_db + 6.0
    )


def test_as_a_batch_it_is_the_same_and_one_that_fails_is_named(store, instrument, found):
    plain = instrument.model_dump(mode="json")
    names = ("twin", "tiny", "hiss")
    tasks = [swap_task(plain, found[name], KEY, SECONDS, -23.0) for name in names]
    with pool_for(store, 3, count=2) as pool:
        twin, tiny, hiss = Batch(tasks, store, pool).in_order()
    assert "too short" in tiny.error
    for name, outcome in (("twin", twin), ("hiss", hiss)):
        document, alone = over(store, instrument, found[name])
        assert outcome.value.document == document.model_dump(mode="json")
        assert np.array_equal(outcome.value.character.sound, alone.sound)


def test_the_shell_writes_sounds_bundles_and_a_table_the_nearest_first(tmp_path):
    sf.write(tmp_path / "own.wav", reeds(220.0), RATE, "PCM_24")
    sf.write(tmp_path / "twin.wav", reeds(233.0, seed=5), RATE, "PCM_24")
    sf.write(tmp_path / "hiss.wav", 0.2 * np.random.default_rng(2).standard_normal(3 * RATE), RATE)
    (tmp_path / "list.wav").write_text("milk, bread")
    document = cloud(root=57.0, position=40, position_scatter=10)
    document.layers[0].sounds[0].path = "own.wav"
    (tmp_path / "reeds.json").write_text(document.model_dump_json())
    others = [tmp_path / f"{name}.wav" for name in ("hiss", "list", "twin")]
    done = bloom("swap", tmp_path / "reeds.json", *others, "--out", tmp_path / "sheet",
                 "--note", "A3", "--seconds", 1.5)  # fmt: skip
    assert done.exit_code == 0, done.stderr
    assert "Wrote 2 of 3" in done.stdout
    assert "list.wav" in done.stderr
    names = sorted(path.name for path in (tmp_path / "sheet").iterdir())
    assert names == [
        "00 as it is.wav",
        "01 twin.wav",
        "01 twin.zip",
        "02 hiss.wav",
        "02 hiss.zip",
        "sheet.csv",
    ]
    with open_playable(tmp_path / "sheet/01 twin.zip") as (made, locate):
        assert locate(made.layers[0].sounds[0]).is_file()
    for words in (["--note", "Q"], ["--seconds", 700]):
        wrong = bloom("swap", tmp_path / "reeds.json", *others, "--out", tmp_path / "x", *words)
        assert wrong.exit_code == 2
        assert not (tmp_path / "x").exists()
