"""Snapshots: states of an instrument, gone into at once or stood between on a map."""

from __future__ import annotations

import jsonpatch
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from innerbloom.core.deliver.again import Way, played_again
from innerbloom.core.engine import Engine
from innerbloom.core.engine.history import History
from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument import layering, snapshooting
from innerbloom.core.instrument.doctor import examine
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.instrument.owners import owners_of
from innerbloom.core.instrument.snapshot_map import map_of, weights
from innerbloom.core.instrument.snapshots import MAX_SNAPSHOTS, state_of
from innerbloom.core.materials.held import HeldMaterials
from innerbloom.core.performance.events import Event, Recall, Renew, SetParameter
from innerbloom.core.performance.take import EventWriter, read_events
from tests.engines import RATE, click_db, layered, material_of, program_of, sine

TONE = material_of(sine(440.0, 1.0))
CHORD = [Event("on", n, key, 0.8) for n, key in enumerate((45.0, 52.0, 57.0), 1)]
SHARE = st.floats(0, 1)


def changed(document, **values):
    """A document with settings elsewhere: `l1_cutoff=900` and the like."""
    plain = document.model_dump(mode="json")
    for name, value in values.items():
        id_, _, parameter = name.partition("_")
        owner = owners_of(document)[id_]
        at = plain
        for part in owner.settings_path.split("/")[1:]:
            at = at[int(part)] if isinstance(at, list) else at[part]
        at[parameter] = value
    return parse_instrument(plain)


def four():
    """Four snapshots in the corners of the map: dark, bright, thin and far."""
    document = layered(
        {"kind": "wave", "shape": "saw", "filter": "12 dB", "cutoff": 300, "release": 60},
        {"kind": "cloud", "density": 20, "size": 80, "release": 60},
        modulators=[{"kind": "lfo", "rate": 2.0, "restart": "never"}],
        routes=[{"source": "m:m1", "parameter": "pan", "depth": 20.0}],
    )
    plain = document.model_dump(mode="json")
    plain["effects"] = [{"id": "e1", "kind": "echo", "settings": {}}]
    document = snapshooting.take_snapshot(parse_instrument(plain), "Dark")
    bright = changed(document, l1_cutoff=6_000.0, l1_shape="pulse", instrument_level=-9.0)
    document = snapshooting.take_snapshot(bright, "Bright")
    thin = changed(document, l1_level=-30.0, l2_density=140.0, l2_size=20.0, r0_depth=80.0)
    document = snapshooting.take_snapshot(thin, "Thin")
    far = changed(document, e1_mix=90.0, m1_rate=0.4, l2_level=-12.0)
    document = snapshooting.take_snapshot(far, "Far")
    return placed(document, (0.0, 0.0), (1.0, 0.0), (0.0, 1.0), (1.0, 1.0))


def placed(document, *places):
    plain = document.model_dump(mode="json")
    for one, place in zip(plain["snapshots"], places, strict=True):
        one["place"] = place
    return parse_instrument(plain)


def moving(document, depth=60.0):
    """The map moved across by the instrument's LFO."""
    plain = document.model_dump(mode="json")
    plain["routes"].append({"id": "r9", "source": "m:m1", "target": "instrument",
                            "parameter": "map_across", "depth": depth})  # fmt: skip
    return parse_instrument(plain)


def render(document, events=CHORD, seconds=0.5, **more):
    return Engine(program_of(document, TONE), **more).render(round(seconds * RATE), events)


# -- states ---------------------------------------------------------------------------


def test_a_snapshot_holds_only_what_differs():
    document = four()
    dark, bright, thin, far = document.snapshots
    assert dark.values == {}
    assert bright.values == {
        "instrument": {"level": -9.0},
        "l1": {"cutoff": 6_000.0, "shape": "pulse"},
    }
    assert set(thin.values) == {"instrument", "l1", "l2", "r0"}
    assert far.values["m1"] == {"rate": 0.4}


@pytest.mark.parametrize("which", ["s1", "s2", "s3", "s4"])
def test_recalling_brings_the_whole_state_back(which):
    document = four()
    states = {}
    for one in document.snapshots:
        states[one.id] = state_of(snapshooting.recall(document, one.id).document)
    # from wherever one comes
    for other in document.snapshots:
        there = snapshooting.recall(document, other.id).document
        lost = changed(there, l1_resonance=70.0, l1_cutoff=111.0)
        assert state_of(snapshooting.recall(lost, which).document) == states[which]
    assert len({str(one) for one in states.values()}) == 4


def test_how_one_listens_belongs_to_no_state():
    document = changed(four(), l1_solo="on", instrument_routes="off")
    recalled = snapshooting.recall(document, "s1").document
    assert recalled.layers[0].settings.solo == "on"
    assert recalled.settings.routes == "off"


def test_what_was_changed_since_is_told_and_can_be_said_of_all():
    document = snapshooting.recall(four(), "s2").document
    document = changed(document, l1_cutoff=3_000.0, l2_pan=-40.0)
    words = snapshooting.change_words(document, document.snapshots[1])
    assert words == [
        "Layer 1 · cutoff: 6 kHz to 3 kHz",
        "Layer 2 · pan: 0 % to −40 %",
    ]
    said = snapshooting.say_of_all(document, "s2")
    for one in said.snapshots:
        there = snapshooting.recall(said, one.id).document
        assert there.layers[1].settings.pan == -40.0
        assert there.layers[0].settings.cutoff == 3_000.0
    assert snapshooting.change_words(said, said.snapshots[1]) == []


def test_a_snapshot_is_replaced_by_the_present_state_and_the_last_takes_the_base_along():
    document = changed(snapshooting.recall(four(), "s2").document, l1_cutoff=2_000.0)
    document = snapshooting.replace_snapshot(document, "s2")
    away = snapshooting.recall(document, "s3").document
    assert snapshooting.recall(away, "s2").document.layers[0].settings.cutoff == 2_000.0
    for one in list(document.snapshots):
        document = snapshooting.remove_snapshot(document, one.id)
    assert (document.snapshots, document.snapshot_base) == ([], {})


def test_what_remains_of_a_snapshot_is_recalled_and_what_is_gone_is_counted():
    document = four()
    fewer = layering.remove_layer(document, 1)
    recalled = snapshooting.recall(fewer, "s3")
    # density and size of the layer that is gone
    assert recalled.left_out == 2
    assert recalled.document.layers[0].settings.level == -30.0
    # and a layer that comes new does not inherit what the other was
    more = layering.add_layer(fewer, "cloud", name="New", sound=document.layers[1].sounds[0])
    assert more.layers[-1].id not in document.snapshot_base
    assert snapshooting.recall(more, "s3").document.layers[-1] == more.layers[-1]


def test_a_value_that_no_setting_takes_any_more_is_its_default():
    plain = four().model_dump(mode="json")
    plain["snapshots"][1]["values"]["l1"] = {"cutoff": 1e9, "shape": "no such shape"}
    recalled = snapshooting.recall(parse_instrument(plain), "s2").document
    assert recalled.layers[0].settings.shape == "sine"


def test_there_are_sixteen_at_most_and_ids_are_not_shared():
    document = layered({"kind": "wave"})
    for _ in range(MAX_SNAPSHOTS):
        document = snapshooting.take_snapshot(document)
    with pytest.raises(DocumentError, match="16 snapshots at most"):
        snapshooting.take_snapshot(document)
    plain = document.model_dump(mode="json")
    plain["snapshots"][1]["id"] = "s1"
    with pytest.raises(DocumentError, match="share one id"):
        parse_instrument(plain)
    with pytest.raises(DocumentError, match="no longer there"):
        snapshooting.recall(document, "gone")


# -- the map ----------------------------------------------------------------------------


def test_two_snapshots_count_by_the_squares_of_their_distances():
    # Shepard 1968, equation (1) with u = 2
    places = np.array([[0.0, 0.0], [1.0, 0.0]])
    for at in (0.1, 0.25, 0.5, 0.9):
        first = (1 - at) ** 2 / ((1 - at) ** 2 + at**2)
        assert weights(places, (at, 0.0)) == pytest.approx([first, 1 - first])


@settings(max_examples=200, deadline=None)
@given(st.lists(st.tuples(SHARE, SHARE), min_size=1, max_size=16), SHARE, SHARE)
def test_weights_are_shares_of_one(places, across, up):
    found = weights(np.array(places), (across, up))
    assert np.all(found >= 0)
    assert found.sum() == pytest.approx(1.0)


@settings(max_examples=100, deadline=None)
@given(SHARE, SHARE)
def test_between_snapshots_every_setting_lies_between(across, up):
    found = map_of(four())
    values = found.at((across, up))
    assert np.all(values >= found.values.min(axis=0))
    assert np.all(values <= found.values.max(axis=0))
    there = snapshooting.stand_at(four(), (across, up))
    assert 300.0 <= there.layers[0].settings.cutoff <= 6_000.0
    assert there.layers[0].settings.shape in ("saw", "pulse")


def test_settings_are_blended_on_their_own_scales_and_choices_go_with_the_nearest():
    document = layered({"kind": "wave", "shape": "saw", "cutoff": 200.0, "level": -20.0})
    document = snapshooting.take_snapshot(document)
    document = changed(document, l1_cutoff=3_200.0, l1_level=0.0, l1_shape="pulse")
    document = changed(document, instrument_glide="by time")
    document = placed(snapshooting.take_snapshot(document), (0.0, 0.5), (1.0, 0.5))
    middle = snapshooting.stand_at(document, (0.5, 0.5))
    # half way in octaves, and in decibels
    assert middle.layers[0].settings.cutoff == pytest.approx(800.0)
    assert middle.layers[0].settings.level == pytest.approx(-10.0)
    for at, shape in ((0.4, "saw"), (0.6, "pulse")):
        there = snapshooting.stand_at(document, (at, 0.5))
        assert there.layers[0].settings.shape == shape
        assert there.settings.map_across == pytest.approx(100 * at)


def test_a_map_of_one_moves_nothing():
    document = four()
    plain = document.model_dump(mode="json")
    for one in plain["snapshots"][1:]:
        one["place"] = None
    alone = parse_instrument(plain)
    assert map_of(alone) is None
    there = snapshooting.stand_at(alone, (0.9, 0.2))
    assert state_of(there) == state_of(alone)


@pytest.mark.parametrize("which", range(4))
def test_at_the_place_of_a_snapshot_the_sound_is_that_snapshot_bit_for_bit(which):
    document = snapshooting.recall(four(), "s3").document
    one = document.snapshots[which]
    wanted = render(snapshooting.recall(document, one.id).document)
    assert np.abs(wanted).max() > 0.01
    # by the document, by a finger that came to rest before the notes, and by recalling it
    stood = snapshooting.stand_at(document, one.place)
    assert np.array_equal(render(stood), wanted)
    fingers = [SetParameter("instrument", id_, 100.0 * at)
               for id_, at in zip(("map_across", "map_up"), one.place, strict=True)]  # fmt: skip
    for events in (fingers, [Recall(one.id)]):
        engine = Engine(program_of(document, TONE))
        engine.render(RATE, events)
        reached = engine.section.wanted
        engine.render(0, [Recall(one.id)])
        assert np.array_equal(engine.section.wanted, reached)
        sound = engine.render(round(0.5 * RATE), [Renew(0, RATE), *later(CHORD, RATE)])
        assert np.array_equal(sound, wanted)


def later(events, frames):
    return [Event(e.kind, e.note, e.key, e.value, e.time + frames) for e in events]


def test_a_route_moves_one_across_the_map_and_the_map_moves_others():
    document = moving(four())
    plain = document.model_dump(mode="json")
    plain["routes"].append({"id": "r8", "source": "map_across", "target": "l2",
                            "parameter": "pan", "depth": 100.0})  # fmt: skip
    engine = Engine(program_of(parse_instrument(plain), TONE))
    column = engine.section.layout.column("l1", "cutoff")
    pan = engine.section.layout.column("l2", "pan")
    seen = []
    for _ in range(200):
        engine.render(256, CHORD if engine.now == 0 else ())
        seen.append((engine.section.now[column], engine.section.last_row(0)[pan]))
    cutoffs, pans = np.array(seen).T
    assert cutoffs.max() > 3 * cutoffs.min()
    assert np.ptp(pans) > 50.0
    assert np.all((cutoffs >= 300.0) & (cutoffs <= 6_000.0))


@settings(max_examples=15, deadline=None)
@given(
    st.lists(st.integers(1, 3_000), min_size=1, max_size=12),
    st.lists(st.tuples(st.integers(0, 20_000), SHARE, SHARE), max_size=6),
    st.lists(st.tuples(st.integers(0, 20_000), st.sampled_from(["s1", "s2", "s4"])), max_size=3),
)
def test_moving_on_the_map_sounds_the_same_however_time_is_cut(cuts, moves, recalls):
    events = [*CHORD, *(Recall(which, at) for at, which in recalls)]
    for at, across, up in moves:
        events += [SetParameter("instrument", "map_across", 100 * across, at),
                   SetParameter("instrument", "map_up", 100 * up, at)]  # fmt: skip
    events.sort(key=lambda one: one.time)
    program = program_of(moving(four()), TONE)
    whole = Engine(program).render(24_000, events)
    engine, parts = Engine(program, cores=2), []
    for cut in cuts:
        parts.append(engine.render(cut, events if not parts else ()))
    parts.append(engine.render(24_000 - sum(cuts)) if sum(cuts) < 24_000 else whole[:0])
    assert np.array_equal(np.concatenate(parts)[:24_000], whole)


def test_a_hand_moves_a_setting_that_the_map_has_set_until_one_moves_on():
    engine = Engine(program_of(four(), TONE))
    column = engine.section.layout.column("l1", "cutoff")
    across = SetParameter("instrument", "map_across", 100.0)
    engine.render(0, [across, SetParameter("instrument", "map_up", 0.0)])
    assert engine.section.wanted[column] == 6_000.0
    engine.render(4_096, [SetParameter("l1", "cutoff", 900.0)])
    assert engine.section.wanted[column] == 900.0
    engine.render(64, [SetParameter("instrument", "map_across", 0.0, engine.now)])
    assert engine.section.wanted[column] == 300.0


@pytest.mark.parametrize("to", ["s1", "s2", "s3", "s4"])
def test_recalling_while_notes_sound_never_clicks(to):
    # sines and soft grains, so that whatever lies above 6 kHz is a click
    plain = changed(four(), l1_shape="sine").model_dump(mode="json")
    plain["snapshot_base"]["l1"]["shape"] = "sine"
    for one in plain["snapshots"]:
        one["values"].get("l1", {}).pop("shape", None)
    document = parse_instrument(plain)
    steady = [click_db(render(snapshooting.recall(document, one.id).document, seconds=1.0)[9_000:])
              for one in document.snapshots]  # fmt: skip
    events = [*CHORD, *(Recall(one, at) for at, one in
                        ((12_000, "s2"), (18_000, to), (24_000, "s3"), (30_000, to)))]  # fmt: skip
    assert click_db(render(document, events, 1.0)[9_000:]) < max(steady) + 3.0


# -- rolled, taken, refused ------------------------------------------------------------------


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10_000))
def test_what_is_rolled_between_two_lies_between_them_and_is_seeded(seed):
    document = four()
    rolled = snapshooting.roll_between(document, "s1", "s3", seed)
    assert rolled == snapshooting.roll_between(document, "s1", "s3", seed)
    there = snapshooting.recall(rolled, rolled.snapshots[-1].id).document
    assert 20.0 <= there.layers[1].settings.size <= 80.0
    assert 20.0 <= there.layers[1].settings.density <= 140.0
    assert there.effects == snapshooting.recall(document, "s1").document.effects


def test_nothing_lies_between_two_that_are_alike():
    document = snapshooting.take_snapshot(layered({"kind": "wave"}))
    document = snapshooting.take_snapshot(document)
    with pytest.raises(DocumentError, match="alike"):
        snapshooting.roll_between(document, "s1", "s2", 1)


def test_a_take_holds_what_was_recalled_and_plays_through_another_snapshot():
    document = snapshooting.recall(four(), "s1").document
    engine = Engine(program_of(document, TONE), limited=False)
    history = History(engine, document.model_dump(mode="json"))
    live = engine.render(24_000, [*CHORD, Recall("s2", 9_000)])
    take = history.take(0, 24_000)
    writer = EventWriter(take.document)
    lines = [writer.line(one) for one in take.events]
    again, lost = read_events(lines, take.document)
    assert (tuple(again), lost) == (take.events, 0)
    materials = HeldMaterials(TONE)
    same = np.concatenate(list(played_again(take, Way(), materials)))
    assert np.array_equal(same, live)
    other = np.concatenate(list(played_again(take, Way(snapshot="s3"), materials)))
    through = snapshooting.recall(document, "s3").document
    assert np.array_equal(other, render(through, limited=False))
    # a snapshot that is not there leaves the take as it is, but for what was recalled
    none = np.concatenate(list(played_again(take, Way(snapshot="gone"), materials)))
    assert np.array_equal(none, render(document, limited=False))


def test_effects_are_part_of_the_state():
    assert snapshooting.recall(four(), "s4").document.effects[0].settings.mix == 90.0
    assert snapshooting.recall(four(), "s1").document.effects[0].settings.mix < 90.0


@pytest.mark.parametrize(("choice", "other"), [
    ("sync", "with the note"), ("filter", "24 dB"), ("shape", "triangle"), ("tracking", "fixed"),
])  # fmt: skip
def test_choices_of_a_snapshot_are_passed_over_to_without_a_click(choice, other):
    def with_both(first, second):
        document = layered({"kind": "wave", choice: first, "release": 60})
        document = snapshooting.take_snapshot(document)
        return snapshooting.take_snapshot(changed(document, **{f"l1_{choice}": second}))

    plain = layered({"kind": "wave"}).layers[0].settings
    document = with_both(getattr(plain, choice), other)
    low = [Event("on", 1, 40.0, 0.8)]
    steady = max(click_db(render(snapshooting.recall(document, one).document, low, 1.0)[9_000:])
                 for one in ("s1", "s2"))  # fmt: skip
    turns = [Recall("s1" if n % 2 else "s2", 10_000 + 3_001 * n) for n in range(10)]
    turned = render(document, [*low, *turns], 1.0)[9_000:]
    assert click_db(turned) < max(steady + 3.0, -62.0)
    # and nothing is lost meanwhile
    level = np.sqrt(np.convolve(np.mean(turned**2, axis=1), np.ones(1_200) / 1_200, "valid"))
    assert level.min() > 0.4 * level.max()


def test_the_doctor_says_that_a_route_to_a_map_on_which_nothing_lies_does_nothing():
    assert not [one for one in examine(moving(four())) if "map" in one.text]
    alone = moving(layered({"kind": "wave"}, modulators=[{"kind": "lfo", "rate": 2.0}]))
    found = next(one for one in examine(alone) if "across the map" in one.text)
    assert "no two snapshots lie on the map" in found.text
    assert jsonpatch.apply_patch(alone.model_dump(mode="json"), found.patch)["routes"] == []
