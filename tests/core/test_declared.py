"""What is declared of parameters and choices: everything else is derived from it."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator

import jsonschema
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from innerbloom.core.declare.parameters import (
    Choice,
    Declared,
    Parameter,
    Settings,
    changes_at_once,
    default_record,
    engine_value,
    from_share,
    option,
    refusal,
    settings_dtype,
    settings_model,
    settings_row,
    to_share,
)
from innerbloom.core.declare.registry import Registry, settings_of
from innerbloom.core.deliver.samples.settings import SAMPLES
from innerbloom.core.deliver.variation_settings import VARIATIONS
from innerbloom.core.ensemble.parameters import ENSEMBLE, PLAYER
from innerbloom.core.instrument.catalogue import (
    BUS,
    EFFECT_KINDS,
    ENTRY,
    INSTRUMENT,
    LAYER_KINDS,
    MEMBER,
    MODULATOR_KINDS,
    ROUTE,
    SEND,
)
from innerbloom.core.performance.phrase_settings import PHRASE
from innerbloom.core.prepare.recipe import STEP_KINDS
from innerbloom.core.timeline.clip_settings import CLIP
from innerbloom.core.timeline.stem_settings import STEMS

UNITS = {
    "", "%", "/s", ": 1", "Hz", "LUFS", "beats", "bpm", "ct", "dB", "dBTP", "key", "m", "ms", "note", "oct", "s", "st",
    "st/s", "x", "°",
}  # fmt: skip
"""Units that the handbook explains; ``key`` and ``note`` are MIDI note numbers."""


def sets() -> Iterator[tuple[str, tuple[Declared, ...]]]:
    """Everything that has settings, by what it is."""
    for what, registry in (
        ("layer", LAYER_KINDS), ("effect", EFFECT_KINDS), ("modulator", MODULATOR_KINDS), ("step", STEP_KINDS),
    ):  # fmt: skip
        yield from ((f"{what} {kind.id}", kind.declared) for kind in registry.values())
    yield from {
        "instrument": INSTRUMENT, "route": ROUTE, "send": SEND, "bus": BUS, "entry": ENTRY, "member": MEMBER,
        "ensemble": ENSEMBLE, "player": PLAYER, "phrase": PHRASE, "variations": VARIATIONS,
        "samples": SAMPLES, "stems": STEMS, "clip": CLIP,
    }.items()  # fmt: skip


ALL = dict(sets())


def numbers(what: str) -> list[Parameter]:
    return [one for one in ALL[what] if isinstance(one, Parameter)]


@pytest.mark.parametrize("what", ALL)
def test_each_has_a_name_of_its_own_words_and_an_explanation(what):
    declared = ALL[what]
    ids = [one.id for one in declared]
    assert len(set(ids)) == len(ids)
    for one in declared:
        # as settings are written in documents, records, and by whoever scripts
        assert re.fullmatch(r"[a-z][a-z0-9_]*", one.id), one.id
        assert one.name == one.name.strip() != "", one.id
        assert re.fullmatch(r"[A-Z0-9].*\.", one.help), one.id


@pytest.mark.parametrize("what", ALL)
def test_what_matters_only_at_times_says_at_which(what):
    """``when`` names a choice that stands beside it, and words that it has."""
    choices = {one.id: one for one in ALL[what] if isinstance(one, Choice)}
    for one in ALL[what]:
        if one.when is None:
            continue
        beside, words = one.when
        # where kinds share a parameter, some of the words are those of others
        there = set(words) & set(choices[beside].options)
        assert there, f"{one.id} matters never"
        assert there != set(choices[beside].options), f"{one.id} matters always"


@pytest.mark.parametrize("what", ALL)
def test_a_number_has_a_unit_and_marks_in_rising_order(what):
    for one in numbers(what):
        assert one.unit in UNITS, one.id
        places = [value for value, _ in one.marks]
        assert places == sorted(set(places)), one.id
        assert all(one.low <= value <= one.high for value in places), one.id
        assert one.moved_in == ("oct" if one.scale == "log" else one.unit)


@pytest.mark.parametrize("what", ALL)
def test_a_rule_goes_from_end_to_end_and_back(what):
    """Invariant: a place on a rule and its value are each other's inverse, and rise together."""
    shares = np.linspace(0.0, 1.0, 101)
    for one in numbers(what):
        values = from_share(one.scale, one.low, one.high, shares)
        assert values[[0, -1]] == pytest.approx([one.low, one.high]), one.id
        assert (np.diff(values) > 0).all(), one.id
        back = to_share(one.scale, one.low, one.high, values)
        assert back == pytest.approx(shares, abs=1e-9), one.id


@given(st.floats(1e-3, 1e3), st.floats(1.01, 1e4), st.floats(0, 1))
def test_on_a_log_scale_equal_steps_are_equal_ratios(low, times, share):
    middle = from_share("log", low, low * times, [0.0, share, 2 * share])
    assert middle[1] ** 2 == pytest.approx(middle[0] * middle[2], rel=1e-9)


def test_a_cubic_scale_gives_room_to_small_values_of_either_sign():
    values = from_share("cubic", 0.0, 1.0, [0.1, 0.5, 0.9])
    assert values == pytest.approx([0.001, 0.125, 0.729])


@pytest.mark.parametrize("what", ALL)
def test_defaults_are_valid_and_go_to_the_engine_by_name(what):
    declared = ALL[what]
    model = settings_model(f"Some{len(what)}", declared)
    defaults = model()
    row = settings_row(defaults, declared)
    record = default_record(declared)[0] if declared else None
    for place, one in enumerate(declared):
        assert refusal(one, one.default) is None
        assert row[place] == record[one.id] == engine_value(one, one.default)
    assert settings_dtype(declared).names in ((tuple(one.id for one in declared)), None)


@pytest.mark.parametrize("what", ALL)
def test_the_schema_holds_the_ranges_and_refuses_what_the_model_refuses(what):
    """Models and their JSON Schema (by jsonschema, draft 2020-12) are of one mind."""
    declared = ALL[what]
    model = settings_model(f"Other{len(what)}", declared)
    schema = model.model_json_schema()
    checker = jsonschema.Draft202012Validator(schema)
    assert checker.is_valid(model().model_dump())
    for one in declared:
        if isinstance(one, Parameter):
            wrong = [one.low - 1, one.high + 1, "much"]
            right = [int(v) if one.whole_number else v for v in (one.low, one.high)]
        else:
            wrong, right = ["no such word", 3], list(one.options)
        for value in right:
            assert checker.is_valid({one.id: value}), (one.id, value)
            assert getattr(model(**{one.id: value}), one.id) == value
        for value in wrong:
            assert not checker.is_valid({one.id: value}), (one.id, value)
            with pytest.raises(ValidationError):
                model(**{one.id: value})
        assert refusal(one, wrong[0]) is not None
    assert not checker.is_valid({"no_such_setting": 1})


@pytest.mark.parametrize("value", [math.nan, math.inf, -math.inf])
def test_what_is_no_number_is_no_setting(value):
    model = settings_model("Level", (Parameter("level", "Level", "", "dB", -60, 6, 0, "A level."),))
    with pytest.raises(ValidationError):
        model(level=value)
    kept = model(level=-3)
    with pytest.raises(ValidationError):
        kept.level = value
    assert kept.level == -3


def test_declarations_that_contradict_themselves_are_refused():
    with pytest.raises(ValueError, match="default 7"):
        Parameter("level", "Level", "", "dB", -60, 6, 7, "A level.")
    with pytest.raises(ValueError, match="above zero"):
        Parameter("cutoff", "Cutoff", "", "Hz", 0, 100, 50, "Where it begins.", scale="log")
    with pytest.raises(ValueError, match="no option"):
        Choice("way", "Way", ("there", "back"), "up", "A way.")


def test_choices_and_whole_numbers_change_at_once():
    whole = Parameter("voices", "Voices", "", "", 1, 64, 8, "How many.", whole_number=True)
    assert changes_at_once(whole)
    assert changes_at_once(Choice("way", "Way", ("there", "back"), "back", "A way."))
    assert not changes_at_once(Parameter("level", "Level", "", "dB", -60, 6, 0, "A level."))


def test_a_word_is_its_place_and_an_unknown_one_is_refused_in_a_sentence():
    way = Choice("way", "Way", ("there", "back"), "back", "A way.")
    assert option((way,), "way", "back") == 1
    assert engine_value(way, "back") == 1.0
    assert refusal(way, "up") == "Way is one of there, back."
    level = Parameter("level", "Level", "", "dB", -60, 6, 0, "A level.")
    assert refusal(level, 7) == "Level goes from -60 to 6 dB."
    assert refusal(level, "loud") == "Level goes from -60 to 6 dB."


@pytest.mark.parametrize("registry", [LAYER_KINDS, EFFECT_KINDS, MODULATOR_KINDS])
def test_models_of_kinds_are_made_once_and_named_after_them(registry):
    names = [settings_of(kind).__name__ for kind in registry.values()]
    assert len(set(names)) == len(names)
    for kind in registry.values():
        assert settings_of(kind) is settings_of(kind)
        assert issubclass(settings_of(kind), Settings)
        assert registry[kind.id] is kind
        assert list(registry)[registry.number(kind.id)] == kind.id


def test_a_kind_is_there_for_as_long_as_a_block_lasts():
    registry: Registry = Registry(*LAYER_KINDS.values())
    one = next(iter(LAYER_KINDS.values()))
    with pytest.raises(ValueError, match="already"):
        registry.register(one)
    empty: Registry = Registry()
    with empty.with_kind(one) as there:
        assert empty[one.id] is there
        assert len(empty) == 1
    assert one.id not in empty
