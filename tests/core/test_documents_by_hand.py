"""The pages on documents: every example is read, compiled, sounds, and follows the schema; what is misspelt is named."""

from __future__ import annotations

import json
import re
from pathlib import Path

import jsonschema
import numpy as np
import pytest
import soundfile as sf

from innerbloom.core.deliver.sources import beside, file_materials
from innerbloom.core.engine import ENGINE_RATE, Engine, compile_program
from innerbloom.core.ensemble.document import parse_ensemble
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.catalogue import EFFECT_KINDS, LAYER_KINDS, MODULATOR_KINDS
from innerbloom.core.instrument.chain_document import parse_chain
from innerbloom.core.instrument.document import json_schema, parse_instrument
from innerbloom.core.instrument.mixing import parse_effect
from innerbloom.core.materials.wavetable.document import parse_table
from innerbloom.core.performance.events import Event
from innerbloom.core.prepare.recipe import parse_recipe
from tests.conftest import RATE, harmonic_tone

PAGE = (Path(__file__).parents[2] / "docs" / "instrument.md").read_text("utf-8")
BLOCKS = [
    (kind or "whole", json.loads(text))
    for kind, text in re.findall(r"```json ?(\w*)\n(.*?)```", PAGE, re.DOTALL)
]
NOISE = {"id": "l1", "name": "Hiss", "kind": "noise"}
ROOM = {"id": "e1", "kind": "room"}
LFO = {"id": "m1", "name": "Tide", "kind": "lfo"}
FIRST = {"id": "r1", "source": "m:m1", "target": "l1", "parameter": "level", "depth": 6}


def whole(kind: str, part: dict) -> dict:
    """An example within a document that holds what it speaks of."""
    if kind == "whole":
        return part
    cloud = {"id": "l1", "name": "x", "kind": "cloud", "sounds": [{"path": "wire.wav"}]}
    made = {
        "name": "x",
        "layers": [cloud],
        "modulators": [LFO],
        "routes": [FIRST],
        "effects": [ROOM],
    }
    if kind == "route":
        return {**made, "routes": [FIRST, part]}
    return {
        **made,
        {"layer": "layers", "modulator": "modulators", "effect": "effects"}[kind]: [part],
    }


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    path = tmp_path_factory.mktemp("by_hand")
    sf.write(path / "wire.wav", harmonic_tone(111.3, 10.0), RATE, "PCM_24")
    return path


@pytest.mark.parametrize(("kind", "part"), BLOCKS)
def test_every_example_sounds(kind, part, folder):
    document = whole(kind, part)
    jsonschema.validate(document, json_schema())
    program = compile_program(parse_instrument(document), file_materials(beside(folder)))
    sound = Engine(program).render(ENGINE_RATE, [Event("on", 1, 45.0, 0.8)])
    assert np.isfinite(sound).all()
    assert np.abs(sound).max() > 1e-4


def test_there_is_one_for_every_kind():
    for kind, registry in (
        ("layer", LAYER_KINDS), ("modulator", MODULATOR_KINDS), ("effect", EFFECT_KINDS),
    ):  # fmt: skip
        shown = {part["kind"] for of, part in BLOCKS if of == kind}
        assert shown == set(registry)


def said(parse, plain) -> str:
    with pytest.raises(BloomError) as raised:
        parse(plain)
    assert "\n" not in str(raised.value)
    return str(raised.value)


INSTRUMENTS = [
    ({"nmae": "x"}, "nmae: there is no such name here, the nearest is 'name'"),
    ({"layers": [{**NOISE, "settings": {"levle": 3}}]}, "layers.0.settings.levle: there is no such name here, the nearest is 'level'"),
    ({"layers": [{**NOISE, "settings": {"level": 99}}]}, "layers.0.settings.level: input should be less than or equal to 12"),
    ({"layers": [{**NOISE, "kind": "clod"}]}, "layers.0.kind: a layer is one of cloud, loop, wave, noise, spectral, and 'clod' is nearest to 'cloud'"),
    ({"modulators": [{**LFO, "kind": "lfoo"}]}, "modulators.0.kind: a modulator is one of"),
    ({"modulators": [{**LFO, "settings": {"rat": 1}}]}, "modulators.0.settings.rat: there is no such name here, the nearest is 'rate'"),
    ({"effects": [{**ROOM, "settings": {"sise": 1}}]}, "effects.0.settings.sise: there is no such name here, the nearest is 'size'"),
    ({"routes": [{**FIRST, "parameter": "levle"}]}, "routes.0.parameter: 'levle' of a noise cannot be moved, the nearest is 'level'"),
    ({"routes": [{"taget": "l1", "id": "r1", "source": "wheel", "parameter": "level", "depth": 1}]}, "routes.0.taget: there is no such name here, the nearest is 'target'"),
]  # fmt: skip


@pytest.mark.parametrize(("change", "expected"), INSTRUMENTS)
def test_what_is_misspelt_is_named_with_its_path_and_the_nearest_name(change, expected):
    plain = {"name": "x", "layers": [NOISE], "modulators": [LFO], **change}
    assert expected in said(parse_instrument, plain)


OTHERS = [
    (parse_recipe, {"steps": [{"do": "cut", "stat": 3}]}, "Step 1, Cut: stat: there is no such name here, the nearest is 'start'"),
    (parse_recipe, {"steps": [{"do": "norm"}]}, "the nearest is 'normalise'"),
    (parse_chain, {"name": "x", "effects": [{"id": "e1", "kind": "room", "settings": {"mixx": 1}}]}, "effects.0.settings.mixx: there is no such name here, the nearest is 'mix'"),
    (parse_effect, {"id": "e1", "kind": "ecko"}, "'ecko' is nearest to 'echo'"),
    # a union names the branch that is meant
    (parse_table, {"name": "x", "source": {"kind": "recording", "sound": {"path": "a"}, "frame": 3}}, "source.frame: there is no such name here, the nearest is 'frames'"),
    (parse_table, {"name": "x", "source": {"kind": "waves", "operators": [{"id": "o1", "wav": "saw"}]}}, "source.operators.0.wav: there is no such name here, the nearest is 'wave'"),
    (parse_ensemble, {"name": "x", "players": [{"id": "p1", "nam": "x"}]}, "players.0.nam: there is no such name here, the nearest is 'name'"),
]  # fmt: skip


@pytest.mark.parametrize(("parse", "plain", "expected"), OTHERS)
def test_so_it_is_for_every_document(parse, plain, expected):
    assert expected in said(parse, plain)


def test_the_schema_refuses_a_misspelt_route_too():
    plain = {"name": "x", "layers": [NOISE], "modulators": [LFO], "routes": [FIRST]}
    jsonschema.validate(plain, json_schema())
    plain["routes"] = [{**FIRST, "parameter": "levle"}]
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate(plain, json_schema())
