"""Modulators and routes in documents: any graph holds together, edits leave it valid, words fit."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from innerbloom.core.declare.sound import Sound, recordings_in
from innerbloom.core.engine import Engine
from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument import doctor, layering, reach, reuse, sentences, wiring, wording
from innerbloom.core.instrument.catalogue import (
    LAYER_KINDS,
    MODULATOR_KINDS,
    ROUTE,
    SOURCES,
    movable,
)
from innerbloom.core.instrument.document import parse_instrument, sounds_of
from innerbloom.core.instrument.owners import owners_of
from innerbloom.core.performance.events import Event
from tests.engines import (
    RATE,
    edit,
    layered,
    material_of,
    program_of,
    sine,
    trace,
)

TONE = material_of(sine(440, 1.0))
LAYERS = ({"kind": "wave", "filter": "12 dB"}, {"kind": "loop", "link": "phase"}, {"kind": "cloud"})
KINDS_OF_MODULATORS = tuple(MODULATOR_KINDS)


def targets_of(kind: str):
    """What routes may move of a kind of layer or modulator."""
    return movable((LAYER_KINDS.get(kind) or MODULATOR_KINDS[kind]).declared)


NAMED = [source.id for source in SOURCES if "envelope" not in source.id]


@st.composite
def graphs(draw):
    """Documents with any modulators and any routes among everything there is."""
    kinds = draw(st.lists(st.sampled_from(KINDS_OF_MODULATORS), min_size=1, max_size=6))
    modulators = [{"kind": kind} for kind in kinds]
    for one in modulators:
        if one["kind"] == "lfo":
            one |= {"rate": draw(st.floats(0.01, 60)), "restart": draw(st.sampled_from(
                ["with each note", "with each phrase", "never"]))}  # fmt: skip
        if one["kind"] == "follower":
            one["follows"] = draw(st.sampled_from([None, "l1", "l3"]))
            one["measure"] = draw(st.sampled_from(["level", "brightness", "pitch"]))
        if one["kind"] == "contour":
            one["sound"] = draw(st.sampled_from([None, {"path": "course.wav"}]))
    sources = NAMED + [f"m:m{n + 1}" for n in range(len(kinds))]
    count = draw(st.integers(1, 14))
    routes = []
    for number in range(count):
        owner = draw(st.sampled_from(["layer", "modulator", "route"]))
        if owner == "route" and number:
            target, parameter, depth = f"r{draw(st.integers(0, number - 1))}", "amount", 150.0
        elif owner == "modulator" and any(targets_of(kind) for kind in kinds):
            place = draw(st.sampled_from([n for n, kind in enumerate(kinds) if targets_of(kind)]))
            p = draw(st.sampled_from(targets_of(kinds[place])))
            target, parameter, depth = f"m{place + 1}", p.id, p.high - p.low
        else:
            place = draw(st.integers(0, 2))
            p = draw(st.sampled_from(targets_of(LAYERS[place]["kind"])))
            target, parameter, depth = f"l{place + 1}", p.id, 3.0 if p.scale == "log" else p.high
        routes.append({
            "source": draw(st.sampled_from(sources)), "target": target, "parameter": parameter,
            "depth": float(np.clip(depth * draw(st.floats(-2, 2)), -200_000, 200_000)),
            "polarity": draw(st.sampled_from(["as is", "inverted", "mirrored", "two-sided"])),
            "by": draw(st.sampled_from([None, *sources])), "rise": draw(st.sampled_from([0, 30])),
        })  # fmt: skip
    return layered(*LAYERS, modulators=modulators, routes=routes, stack=2)


PLAYED = [Event("on", 1, 50.0, 0.9), Event("on", 2, 62.0, 0.5, 1_900),
          Event("control", 1, value=0.6, time=900), Event("pad_up", value=0.4, time=1_500),
          Event("pad_let_go", time=2_100), Event("off", 1, time=3_000)]  # fmt: skip


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(graphs(), st.lists(st.integers(1, 900), min_size=1, max_size=9), st.sampled_from([1, 2]))
def test_any_graph_is_finite_in_range_and_the_same_however_it_is_cut(document, cuts, cores):
    whole = Engine(program_of(document, TONE)).render(4_800, PLAYED)
    assert np.isfinite(whole).all()
    assert np.abs(whole).max() <= 10 ** (-0.5 / 20) + 1e-6
    again = parse_instrument(document.model_dump_json())
    engine = Engine(program_of(again, TONE), cores=cores)
    engine.render(0, PLAYED)
    parts = [engine.render(cut) for cut in cuts]
    parts.append(engine.render(max(0, 4_800 - sum(cuts))))
    np.testing.assert_array_equal(np.concatenate(parts)[:4_800], whole)
    for seen in trace(document, 0.05, PLAYED, every=240, materials=(TONE,)):
        for (owner, parameter), value in zip(seen.keys, seen.values, strict=True):
            p = reach.declared_of(document, owner, parameter)
            assert p.low - 1e-9 <= value <= p.high + 1e-9


@settings(max_examples=30, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(graphs(), st.data())
def test_whatever_is_taken_away_a_valid_document_stays(document, data):
    owners = [one.id for one in (*document.layers, *document.modulators, *document.routes)]
    gone = data.draw(st.sampled_from(owners))
    left = wiring.without(document, {gone})
    text = left.model_dump_json()
    assert not any(f"{mark}{gone}{end}" in text for mark in ('"', "m:") for end in ('"', ":"))
    assert parse_instrument(left.model_dump(mode="json")) == left


@settings(max_examples=20, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(graphs())
def test_every_fix_of_the_doctor_leaves_a_valid_document_without_its_finding(document):
    import jsonpatch

    for finding in doctor.examine(document):
        mended = jsonpatch.apply_patch(document.model_dump(mode="json"), finding.patch)
        after = doctor.examine(parse_instrument(mended))
        assert finding.id not in [one.id for one in after]


# -- edits while notes sound --------------------------------------------------------------


def steady(**route):
    routes = [{"source": "velocity", "parameter": "level", "depth": 12.0, **route}] if route else []
    return layered({"kind": "wave", "level": -20, "tracking": "fixed"}, routes=routes)


@pytest.mark.parametrize("way", ["made", "taken away", "switched off", "deeper"])
def test_edits_of_routes_while_notes_sound_neither_click_nor_stop(way):
    from tests.engines import click_db

    before, after = {
        "made": (steady(), steady(depth=12.0)),
        "taken away": (steady(depth=12.0), steady()),
        "switched off": (steady(depth=12.0), steady(depth=12.0, on=False)),
        "deeper": (steady(depth=12.0), steady(depth=-20.0)),
    }[way]
    engine = Engine(program_of(before))
    first = engine.render(RATE // 2, [Event("on", 1, 60.0, 1.0)])
    edit(engine, program_of(after))
    second = engine.render(RATE)
    both = np.concatenate((first, second))[RATE // 4 :]
    assert click_db(both) < -60
    assert np.abs(second[-RATE // 10 :]).max() > 0.001
    # and it ends where a fresh note would be
    fresh = Engine(program_of(after)).render(RATE // 2, [Event("on", 1, 60.0, 1.0)])
    ends = [np.abs(sound[-RATE // 10 :]).max() for sound in (second, fresh)]
    assert ends[0] == pytest.approx(ends[1], rel=0.01)


def test_modulators_go_on_where_they_are_when_a_document_is_edited():
    def with_route(depth):
        return layered(
            {"kind": "wave"},
            modulators=[{"kind": "lfo", "rate": 1.3, "restart": "never", "wave": "ramp"}],
            routes=[{"source": "m:m1", "parameter": "pan", "depth": depth}],
        )

    from innerbloom.core.engine.telemetry import arrivals

    engine = Engine(program_of(with_route(10)))
    engine.render(RATE // 4, [Event("on", 1, 60.0, 1.0)])
    before = arrivals(engine).modulators[0, 0]
    edit(engine, program_of(with_route(20)))
    engine.render(64)
    step = 2 * 1.3 * 64 / RATE
    assert arrivals(engine).modulators[0, 0] == pytest.approx(before + step, abs=1e-9)


# -- bad input ----------------------------------------------------------------------------


def plain(**more):
    document = layered({"kind": "wave"}, modulators=[{"kind": "lfo"}]).model_dump(mode="json")
    return {**document, **more}


ROUTE_OF = {"id": "x1", "source": "m:m1", "target": "l1", "parameter": "pan", "depth": 1}


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"source": "m:m9"}, "routes.0.source: there is no modulator 'm9'"),
        ({"target": "zz"}, "routes.0.target: there is nothing called 'zz' to move"),
        ({"parameter": "mute"}, "'mute' of a wave cannot be moved"),
        ({"depth": 1e9}, "routes.0.depth"),
        ({"source": "controller:200"}, "controllers go from 0 to 127"),
        ({"source": "envelope", "target": "m1", "parameter": "rate"}, "moves layers only"),
        ({"target": "m1", "parameter": "rate", "by": "tone_envelope"}, "moves layers only"),
        ({"source": "m:m1:other", "by": "m:m1:third"}, "routes.0.by"),
        ({"curve": {"points": [[0.5, 0, 0], [0.2, 1, 0]]}}, "its places have to rise"),
        ({"curve": {"free": [0.0, 1.0]}}, "a free curve has 128 values"),
        ({"curve": {}}, "a curve has two breakpoints or more"),
        ({"polarity": "sideways"}, "routes.0.polarity"),
    ],
)
def test_a_route_that_cannot_be_is_refused_by_name(change, says):
    with pytest.raises(DocumentError) as refused:
        parse_instrument(plain(routes=[{**ROUTE_OF, **change}]))
    assert says in str(refused.value)


def test_too_many_are_refused():
    many = [{**ROUTE_OF, "id": f"x{n}"} for n in range(300)]
    with pytest.raises(DocumentError, match="routes"):
        parse_instrument(plain(routes=many))
    full = parse_instrument(plain(routes=many[:256]))
    with pytest.raises(DocumentError, match="256 routes at most"):
        wiring.add_route(full, "velocity", "l1", "pan")
    macros = [{"id": f"k{n}", "name": str(n), "kind": "macro"} for n in range(17)]
    with pytest.raises(DocumentError, match="17 macros; 16 at most"):
        parse_instrument(plain(modulators=macros))


# -- words --------------------------------------------------------------------------------


def pond():
    document = layered({"kind": "cloud"}, {"kind": "wave", "filter": "12 dB", "cutoff": 1_200})
    data = document.model_dump(mode="json")
    data["layers"][0]["name"], data["layers"][1]["name"] = "Ice on the pond", "Low sine"
    document = wiring.add_modulator(parse_instrument(data), "lfo", "Slow tide")
    return wiring.add_modulator(document, "macro", "Depth")


@pytest.mark.parametrize(
    ("typed", "said"),
    [
        ("slow tide > ice position 18 %", "Slow tide moves Ice on the pond · position by ±18 %"),
        ("velocity > low cutoff 600 Hz to 4.8 kHz",
         "velocity moves Low sine · cutoff from 600 Hz to 4.8 kHz"),
        ("key > slow rate 0.4 oct", "key moves Slow tide · rate by 0.4 octaves an octave"),
        ("cc 74 > ice dens", "controller 74 moves Ice on the pond · density by +1 octave"),
        ("depth > low sine pan ±30 %", "Depth moves Low sine · pan by ±30 %"),
        ("Slow tide, other side moves Low sine · pan by ±40 %, scaled by mod wheel, "
         "eased 40 ms up, 200 ms down, upside down",
         "Slow tide, other side moves Low sine · pan by ±40 %, upside down, scaled by mod wheel, "
         "eased 40 ms up, 200 ms down"),
    ],
)  # fmt: skip
def test_a_sentence_makes_the_route_that_it_says(typed, said):
    document = sentences.parse(pond(), typed)
    assert wording.sentence_of(document, document.routes[-1]).text() == said


def test_what_a_route_says_can_be_typed_again():
    document = pond()
    for source in ("m:m1", "velocity", "key", "m:m1:other", "m:m2"):
        for target, parameter in (("l1", "position"), ("l2", "cutoff"), ("m1", "rate")):
            made = wiring.add_route(
                document, source, target, parameter, by="wheel", rise=30, fall=9
            )
            text = wording.sentence_of(made, made.routes[-1]).text().replace(" an octave", "")
            again = sentences.parse(document, text)
            for field in ("source", "target", "parameter", "depth", "by", "rise", "fall"):
                one, other = getattr(made.routes[-1], field), getattr(again.routes[-1], field)
                assert one == (pytest.approx(other) if isinstance(one, float) else other), text


@pytest.mark.parametrize(
    ("typed", "at", "says"),
    [
        ("slow tide ice", 13, "with > between them"),
        ("blorp > ice position", 0, "Nothing here is called 'blorp'"),
        ("slow tide > ", 12, "The target is missing"),
        ("slow > ice position 18 dB", 19, "counted in %, not in dB"),
        ("slow > ice position 18 % wobbly", 25, "'wobbly' is not understood"),
        ("slow > ice", 7, "may mean"),
        ("slow > ice position 3 %, scaled by blorp", 35, "Nothing here is called 'blorp'"),
    ],
)
def test_a_sentence_that_does_not_parse_says_where(typed, at, says):
    with pytest.raises(sentences.SentenceError) as wrong:
        sentences.parse(pond(), typed)
    assert says in str(wrong.value)
    assert wrong.value.at == at


def test_completions_are_sentences_that_parse():
    document = pond()
    assert sentences.complete(document, "sl")[:2] == ["slide > ", "Slow tide > "]
    offers = sentences.complete(document, "slow tide > ice po")
    assert offers[0] == "slow tide > Ice on the pond position 20 %"
    for start in ("slow tide > low", "depth > ice s", "key > slow"):
        for offer in sentences.complete(document, start):
            assert len(sentences.parse(document, offer).routes) == 1


@pytest.mark.parametrize("typed", ["slide > pitch 7 st", "slide > layer pitch 7 st"])
def test_pitch_is_the_pitch_of_the_layer_before_its_scatter(typed):
    """A cloud calls it shift, under the heading Pitch; whoever types pitch means that."""
    document = layered({"kind": "cloud"}, modulators=({"kind": "lfo"},))
    made = sentences.parse(document, typed).routes[-1]
    assert (made.target, made.parameter, made.depth) == ("l1", "pitch", 7.0)


def test_an_envelope_of_ones_own_can_be_named():
    document = layered({"kind": "cloud"})
    document = wiring.add_modulator(document, "envelope")
    # a new one is called so that nothing built in is meant
    assert document.modulators[0].name == "Envelope 2"
    document.modulators[0].name = "Envelope"
    assert sentences.parse(document, "envelope > layer pan 20").routes[-1].source == "m:m1"


# -- working on routes ----------------------------------------------------------------------


@settings(max_examples=60, deadline=None)
@given(st.floats(20, 20_000), st.floats(20, 20_000), st.sampled_from(["m:m1", "velocity", "m:m2"]))
def test_a_range_lands_where_it_is_put(low, high, source):
    made = wiring.add_route(pond(), source, "l2", "cutoff", low=low, high=high)
    band = reach.band_of(made, made.routes[-1])
    assert band[0] == pytest.approx(min(low, high), rel=1e-9)
    assert band[1] == pytest.approx(max(low, high), rel=1e-9)


def test_a_mirror_is_the_same_shape_the_other_way_up_scaled_to_balance():
    document = wiring.add_route(pond(), "m:m1", "l1", "position", depth=18.0, rise=30, by="wheel")
    mirrored = wiring.mirror(document, document.routes[-1].id, "l2", "cutoff").routes[-1]
    octaves = np.log2(20_000 / 20)
    assert mirrored.depth == pytest.approx(-0.18 * octaves)
    assert (mirrored.source, mirrored.by, mirrored.rise) == ("m:m1", "wheel", 30)
    document = wiring.add_route(pond(), "velocity", "l1", "level", depth=6.0)
    assert wiring.mirror(document, document.routes[-1].id, "l2", "level").routes[-1].depth == -6.0


def test_a_movement_is_kept_and_dropped_into_another_instrument():
    document = pond()
    for target, parameter in (("l1", "position"), ("l2", "cutoff"), ("m1", "phase")):
        document = wiring.add_route(document, "m:m1", target, parameter, depth=2.0, rise=12)
    piece = reuse.take_piece(document, "m1")
    other = layered({"kind": "wave"}, {"kind": "cloud"})
    dropped = reuse.drop_piece(other, piece)
    made = dropped.modulators[-1]
    assert reuse.missed_by(dropped, piece, made.id) == []
    assert (made.name, made.kind) == ("Slow tide", "lfo")
    assert [(r.target, r.parameter, r.rise) for r in dropped.routes] == [
        ("l2", "position", 12), ("l1", "cutoff", 12), (made.id, "phase", 12)]  # fmt: skip
    # without its target a route is left out, and said so, with what comes nearest to it
    only_noise = reuse.drop_piece(layered({"kind": "noise"}), piece)
    assert [r.parameter for r in only_noise.routes] == ["cutoff", "phase"]
    (missed,) = reuse.missed_by(only_noise, piece, "m1")
    assert missed.name == "position"
    assert all(only_noise.layers[0].id == owner for owner, _ in missed.offers)
    adopted = reuse.adopt(only_noise, piece, missed.which, "m1", missed.offers[0])
    route = adopted.routes[-1]
    assert (route.target, route.parameter) == missed.offers[0]
    assert (route.source, route.rise) == ("m:m1", 12)
    with pytest.raises(DocumentError, match="choose another"):
        reuse.adopt(only_noise, piece, missed.which, "m1", ("l1", "gone"))
    for broken in (
        {},
        {"format": "else"},
        {**piece, "routes": 3},
        {**piece, "modulator": {}},
        {**piece, "routes": [3]},
    ):
        with pytest.raises(DocumentError):
            reuse.drop_piece(other, broken)


def test_whatever_is_made_has_an_id_of_its_own():
    document = layered({"kind": "wave"}).model_dump(mode="json")
    document["modulators"] = [{"id": "l2", "name": "Tide", "kind": "lfo"},
                              {"id": "r1", "name": "Moth", "kind": "drift"}]  # fmt: skip
    made = layering.add_layer(parse_instrument(document), "noise", name="Rain")
    made = layering.duplicate_layer(made, 0)
    made = wiring.add_route(made, "m:l2", "l1", "pan")
    ids = [one.id for one in (*made.layers, *made.modulators, *made.routes)]
    assert len(set(ids)) == len(ids) > 6


def test_the_recording_of_a_contour_is_one_of_the_instruments_sounds():
    digest = "ab" * 32
    made = wiring.add_modulator(pond(), "contour", "Gust")
    made = wiring.take_course(made, made.modulators[-1].id, Sound(recording=digest, name="Reeds"))
    assert sounds_of(made)[-1].name == "Reeds"
    assert recordings_in(made.model_dump(mode="json")) == [digest]


def test_random_macros_stay_inside_and_repeat_by_seed():
    document = wiring.add_modulator(pond(), "macro", "Weather")
    one, again = wiring.randomise_macros(document, 5), wiring.randomise_macros(document, 5)
    other = wiring.randomise_macros(document, 6)
    values = [m.settings.value for m in one.modulators if m.kind == "macro"]
    assert one == again
    assert one != other
    assert all(0 <= value <= 100 for value in values)


# -- the doctor -------------------------------------------------------------------------------


def ailing(*routes, layer=None, modulators=({"kind": "lfo"},)):
    return layered(layer or {"kind": "loop", "crossfade": 0}, routes=routes, modulators=modulators)


TO_PAN = {"source": "m:m1", "parameter": "pan", "depth": 10.0}


def test_a_wheel_that_was_not_touched_is_not_called_dead_at_once():
    document = ailing({**TO_PAN, "source": "wheel"})
    told = [
        [one.text for one in doctor.examine(document, doctor.Seen(looks, {"r0": (0.0, 0.0)}, {}))]
        for looks in (120, 1_700, 1_900)
    ]
    assert [any("never moves" in text for text in texts) for texts in told] == [False, False, True]


@pytest.mark.parametrize(
    ("document", "seen", "says"),
    [
        (ailing({**TO_PAN, "depth": 0.0}), None, "has a depth of 0"),
        (ailing(TO_PAN, {**TO_PAN, "depth": -10.0}), None, "cancel each other"),
        (ailing({**TO_PAN, "parameter": "cutoff"}), None, "has no effect: filter is 'off'"),
        (ailing({**TO_PAN, "parameter": "link_amount"}), None, "has no effect"),
        (ailing({**TO_PAN, "parameter": "link_amount"}, layer={"kind": "wave", "link": "phase"}),
         None, "there is no layer above"),
        (ailing(TO_PAN, layer={"kind": "wave", "mute": "on"}), None, "the layer is muted"),
        (ailing({**TO_PAN, "parameter": "loop_start"}), None, "without a crossfade"),
        (ailing(TO_PAN, {**TO_PAN, "target": "m1", "parameter": "rate"}), None, "in a ring"),
        (ailing(), None, "moves nothing"),
        (ailing(TO_PAN, modulators=({"kind": "contour"},)), None, "no recording to take"),
        (ailing(TO_PAN), doctor.Seen(300, {"r0": (1.0, 1.0)}, {}), "the source never moves"),
        (ailing(TO_PAN, TO_PAN), None, "is there twice"),
        (ailing({**TO_PAN, "by": "wheel"}), doctor.Seen(2_000, {"r0": (0.0, 0.0)}, {}),
         "scaled by mod wheel holds at 0"),
        (ailing({**TO_PAN, "depth": 300.0}), doctor.Seen(300, {"r0": (-300.0, 300.0)},
         {("l1", "pan"): 0.4}), "held at the end of its range 40 % of the time"),
    ],
)  # fmt: skip
def test_the_doctor_finds_what_is_amiss_and_its_fix_mends_it(document, seen, says):
    import jsonpatch

    found = doctor.examine(document, seen)
    told = next(one for one in found if says in one.text)
    mended = parse_instrument(jsonpatch.apply_patch(document.model_dump(mode="json"), told.patch))
    assert told.fix
    if seen is None:
        assert told.id not in [one.id for one in doctor.examine(mended)]
    elif "held" in says and "range" in says:
        assert reach.band_of_all(mended, "l1", "pan") == pytest.approx((-100, 100))


def test_the_doctor_has_nothing_to_say_of_what_is_well():
    document = ailing(TO_PAN, layer={"kind": "loop", "crossfade": 30})
    seen = doctor.Seen(300, {"r0": (-10.0, 10.0)}, {("l1", "pan"): 0.02})
    assert doctor.examine(document, seen) == []


def test_every_target_can_be_named_and_moved():
    layers = [{"kind": kind} for kind in LAYER_KINDS]
    modulators = [{"kind": kind} for kind in MODULATOR_KINDS]
    document = layered(*layers, modulators=modulators)
    owners = [one for one in owners_of(document).values() if one.role != "route"]
    assert len(owners) == 1 + len(layers) + len(modulators)
    for owner in owners:
        for p in owner.targets():
            assert wording.target_name(document, owner.id, p.id)
            assert reach.usual_depth(p) > 0
    assert [p.id for p in ROUTE if p.movable] == ["amount"]


RISING = {"attack": 800, "decay": 1, "sustain": 100, "attack_curve": 0}


def follows(source: str, **more):
    """Two waves: the first rises slowly, the second's pitch follows it up an octave."""
    layers = ({"kind": "wave", **RISING}, {"kind": "wave", "shape": "sine"})
    route = {"source": source, "target": "l2", "parameter": "pitch", "depth": 12.0, **more}
    return layered(*layers, routes=[route])


def test_another_layers_envelope_moves_a_layer():
    """The first layer rises in 800 ms in a straight line: half way it stands at a half."""
    seen = trace(follows("envelope:l1"), 1.0, [Event("on", 1, 60, 0.9)])
    values = [float(one.values[0]) for one in seen]
    assert values[0] == pytest.approx(0.0, abs=0.1)
    assert values[round(0.4 * RATE / 64)] == pytest.approx(6.0, abs=0.3)
    assert values[-1] == pytest.approx(12.0, abs=0.01)
    # its own is at the top within a millisecond
    own = trace(follows("envelope"), 0.05, [Event("on", 1, 60, 0.9)])
    assert float(own[-1].values[0]) == pytest.approx(12.0, abs=0.01)


def test_a_layer_that_the_note_does_not_sound_moves_nothing():
    document = follows("envelope:l1")
    document.layers[0].settings.key_low = 100
    seen = trace(document, 1.0, [Event("on", 1, 60, 0.9)])
    assert max(abs(float(one.values[0])) for one in seen) == 0


def test_an_envelope_of_another_layer_goes_with_that_layer():
    document = follows("velocity", by="tone_envelope:l1")
    assert layering.remove_layer(document, 0).routes[0].by is None
    assert layering.remove_layer(follows("envelope:l1"), 0).routes == []


def test_an_envelope_of_another_layer_is_said_and_understood():
    document = follows("envelope:l1")
    assert wording.sentence_of(document, document.routes[0]).source == "Layer 1, envelope"
    made = sentences.parse(document, "layer 1 envelope > layer 2 pan 20")
    assert made.routes[-1].source == "envelope:l1"


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"source": "envelope:l9"}, "routes.0.source: there is no layer 'l9'"),
        ({"source": "envelope:l1", "by": "envelope"}, "both envelopes of a route"),
        ({"source": "velocity:l1"}, "routes.0.source"),
    ],
)
def test_envelopes_that_cannot_be_read_are_refused(change, says):
    with pytest.raises(DocumentError) as refused:
        follows(**{"source": "envelope", **change})
    assert says in str(refused.value)
