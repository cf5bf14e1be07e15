"""The registry, documents, their errors, and history."""

from __future__ import annotations

import copy
import json

import jsonschema
import pytest
from hypothesis import given
from hypothesis import strategies as st

from innerbloom.core.declare.parameters import Parameter
from innerbloom.core.declare.revisions import Step, open_steps
from innerbloom.core.declare.sound import MAX_STRETCH_S
from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.catalogue import INSTRUMENT, LAYER_KINDS, Choice
from innerbloom.core.instrument.document import KIND, json_schema, parse_instrument
from innerbloom.core.instrument.grow import TARGET_LUFS, grow_cloud
from innerbloom.core.pitch_names import note_name, parse_note


def grown() -> dict:
    document = grow_cloud(
        "Wire", duration_s=12.0, root=45.1, loudness_lufs=-16.0, recording="a" * 64
    )
    return document.model_dump(mode="json")


@pytest.mark.parametrize("kind", ["whole", *LAYER_KINDS])
def test_every_parameter_explains_itself(kind):
    for parameter in INSTRUMENT if kind == "whole" else LAYER_KINDS[kind].declared:
        check_explained(parameter)


def check_explained(parameter):
    assert parameter.help.endswith(".")
    assert parameter.name
    if isinstance(parameter, Choice):
        assert len(set(parameter.options)) == len(parameter.options) > 1
    else:
        assert parameter.low < parameter.high
    assert parameter.group


@pytest.mark.parametrize("kind", LAYER_KINDS)
def test_parameter_ids_are_unique_in_a_kind(kind):
    ids = [p.id for p in LAYER_KINDS[kind].declared]
    assert len(ids) == len(set(ids))


def test_a_default_outside_its_range_is_refused():
    with pytest.raises(ValueError, match="outside"):
        Parameter("x", "x", "g", "", 0, 1, 2, "Help.")
    with pytest.raises(ValueError, match="log scale"):
        Parameter("x", "x", "g", "", 0, 1, 1, "Help.", "log")


def test_a_document_survives_its_own_json():
    document = parse_instrument(grown())
    assert parse_instrument(document.model_dump_json()) == document


def test_documents_follow_the_published_schema():
    """JSON Schema 2020-12, checked with the jsonschema library."""
    jsonschema.Draft202012Validator.check_schema(json_schema())
    jsonschema.Draft202012Validator(json_schema()).validate(grown())


@pytest.mark.parametrize(
    ("path", "value", "said"),
    [
        (("layers", 0, "settings", "size"), 5_000, "layers.0.settings.size"),
        (("layers", 0, "settings", "size"), float("nan"), "layers.0.settings.size"),
        (("layers", 0, "settings", "colour"), 1, "layers.0.settings.colour"),
        (("layers", 0, "kind"), "organ", "layers.0.kind"),
        (("layers",), [], "layers"),
        (("name",), "   ", "name"),
        (("settings", "voices"), 2.5, "settings.voices"),
        (("version",), 9, "version"),
        (("layers", 0, "sounds", 0, "path"), "../../etc/passwd", "layers.0.sounds.0.path"),
        (("layers", 0, "sounds", 0, "path"), "/etc/passwd", "layers.0.sounds.0.path"),
        (("layers", 0, "sounds", 0, "recording"), "abc", "layers.0.sounds.0.recording"),
        (("surprise",), 1, "surprise"),
    ],
)
def test_what_is_wrong_is_named_by_its_path(path, value, said):
    data = grown()
    place = data
    for part in path[:-1]:
        place = place[part]
    place[path[-1]] = value
    with pytest.raises(DocumentError) as caught:
        parse_instrument(data)
    assert f" {said}: " in str(caught.value)
    assert str(caught.value).count("\n") == 0


@pytest.mark.parametrize("text", ["", "{", "[]", "null", "[" * 100_000, '{"name": 1}'])
def test_text_that_is_no_document_gets_one_sentence(text):
    with pytest.raises(DocumentError, match="instrument"):
        parse_instrument(text)


def test_two_layers_may_not_share_an_id():
    data = grown()
    data["layers"].append(copy.deepcopy(data["layers"][0]))
    with pytest.raises(DocumentError, match="share one id"):
        parse_instrument(data)


@pytest.mark.parametrize("lufs", [-60.0, -20.0, -3.0, None])
def test_a_grown_cloud_aims_for_one_loudness(lufs):
    document = grow_cloud("x", duration_s=3, root=None, loudness_lufs=lufs)
    gain = document.layers[0].sound.gain_db
    assert gain == (0.0 if lufs is None else max(-24.0, min(24.0, TARGET_LUFS - lufs)))


@given(duration=st.floats(0.05, 40_000), share=st.floats(0, 1))
def test_a_grown_stretch_holds_the_chosen_moment(duration, share):
    at = duration * share
    document = grow_cloud("x", duration_s=duration, root=None, loudness_lufs=None, at_s=at)
    layer = document.layers[0]
    length = layer.sound.length or duration
    assert length <= max(MAX_STRETCH_S, duration if duration <= MAX_STRETCH_S else 0)
    assert -1e-3 <= layer.sound.start <= duration - length + 1e-3
    if at > 0:
        place = layer.sound.start + length * layer.settings.position / 100
        assert abs(place - at) < 0.01 + length * 1e-4


@given(st.integers(0, 127))
def test_names_of_keys_come_back(key):
    name, cents = note_name(key)
    assert cents == 0
    assert parse_note(name) == key


@pytest.mark.parametrize(
    ("text", "note"),
    [("C4", 60), ("A4", 69), ("C3", 48), ("c-1", 0), ("Bb3", 58), ("F#2", 42), ("48.5", 48.5),
     ("A2 +14", 45.14), ("A2 \u221214 cents", 44.86), ("G9", 127)],
)  # fmt: skip
def test_notes_are_read(text, note):
    assert parse_note(text) == pytest.approx(note)


@pytest.mark.parametrize("text", ["", "H3", "C", "C12", "-1", "128", "C4 +", "nan"])
def test_what_is_no_note_is_refused(text):
    with pytest.raises(ValueError, match=r"note|keys"):
        parse_note(text)


def test_a_patch_has_its_inverse():
    data = grown()
    patch = [
        {"op": "replace", "path": "/name", "value": "Other"},
        {"op": "replace", "path": "/layers/0/settings/size", "value": 99},
    ]
    changed, inverse = KIND.patched(data, patch)
    assert changed["layers"][0]["settings"]["size"] == 99
    back, _ = KIND.patched(changed, inverse)
    assert back == data


@pytest.mark.parametrize(
    "patch",
    [
        [{"op": "replace", "path": "/nowhere/at/all", "value": 1}],
        [{"op": "fly", "path": "/name"}],
        [{"op": "replace", "path": "/layers/0/settings/size", "value": -1}],
        [{"op": "remove", "path": "/layers/0"}],
        [{"path": "/name"}],
        [{"op": "test", "path": "/name", "value": "not this"}],
        [{"op": "replace", "path": "/name", "value": "x"}] * 1_000,
    ],
)
def test_a_patch_that_does_not_fit_is_refused(patch):
    data = grown()
    before = json.dumps(data)
    with pytest.raises(DocumentError):
        KIND.patched(data, patch)
    assert json.dumps(data) == before


@given(st.lists(st.sampled_from(["edit", "undo", "redo"]), max_size=40))
def test_undo_and_redo_follow_a_plain_stack(wishes):
    """Against a model: a list of states and a place in it."""
    steps: list[Step] = []
    past, future = [], []
    for wish in wishes:
        undoable, redoable = open_steps(steps)
        assert (undoable, redoable) == (past, future)
        number = len(steps) + 1
        if wish == "edit":
            past.append(number)
            future.clear()
        elif wish == "undo" and past:
            future.append(past.pop())
        elif wish == "redo" and future:
            past.append(future.pop())
        else:
            continue
        steps.append(Step(number, wish))
