"""Writing what is derived from the declarations: schema, parameter reference, API description.

Run as ``python -m innerbloom.cli.reference docs``.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path
from tempfile import TemporaryDirectory

import innerbloom
from innerbloom.cli.typed import sources
from innerbloom.core.declare.parameters import Choice, Declared
from innerbloom.core.deliver.contents import contents_schema
from innerbloom.core.deliver.samples.settings import SAMPLES
from innerbloom.core.deliver.variation_settings import VARIATIONS
from innerbloom.core.ensemble.document import json_schema as ensemble_schema
from innerbloom.core.ensemble.parameters import ENSEMBLE, PLAYER
from innerbloom.core.instrument.catalogue import (
    BUS,
    EFFECT,
    EFFECT_KINDS,
    ENTRY,
    INSTRUMENT,
    LAYER,
    LAYER_KINDS,
    MEMBER,
    MODULATOR_KINDS,
    ROUTE,
    SEND,
    SOURCES,
)
from innerbloom.core.instrument.document import json_schema
from innerbloom.core.materials.wavetable.document import table_schema
from innerbloom.core.performance.phrase_settings import PHRASE
from innerbloom.core.prepare.recipe import STEP_KINDS, recipe_schema
from innerbloom.core.timeline.clip_settings import CLIP
from innerbloom.core.timeline.document import timeline_schema
from innerbloom.core.timeline.stem_settings import STEMS


def parameter_reference() -> str:
    """All parameters as a Markdown page."""
    lines = ["# Parameters", "", "Made by `make reference` from the registry; do not edit.", ""]
    lines += ["## The whole instrument", "", *_table(INSTRUMENT)]
    lines += ["", "## Every layer", "", *_table(LAYER)]
    for kind in LAYER_KINDS.values():
        lines += ["", f"## Layer: {kind.id}", "", kind.help, "", *_table(kind.parameters)]
    lines += ["", "## Every effect", "", *_table(EFFECT)]
    for effect in EFFECT_KINDS.values():
        heading = f"## Effect: {effect.name} (`{effect.id}`)"
        lines += ["", heading, "", effect.help, "", *_table(effect.parameters)]
    lines += ["", "## A send", "", *_table(SEND), "", "## A shared bus", "", *_table(BUS)]
    lines += ["", "## A layer's sound among many", "", *_table(ENTRY)]
    lines += ["", "## A member of the stack", "", *_table(MEMBER)]
    lines += [
        "",
        "## A route",
        "",
        "Sources: `controller:0` to `controller:127`, `envelope:ID` and `tone_envelope:ID` of another layer, and:",
        "",
    ]
    lines += [f"- `{source.id}`: {source.help}" for source in SOURCES]
    lines += ["- `envelope:ID`, `tone_envelope:ID`: the envelopes of another layer."]
    lines += ["- `m:ID`: a modulator; `m:ID:other` the other side of an LFO.", "", *_table(ROUTE)]
    for modulator in MODULATOR_KINDS.values():
        heading = f"## Modulator: {modulator.name} (`{modulator.id}`)"
        lines += ["", heading, "", modulator.help, "", *_table(modulator.parameters)]
    for heading, declared in (
        ("An ensemble", ENSEMBLE),
        ("A player of an ensemble", PLAYER),
        ("A phrase", PHRASE),
        ("A set of variations", VARIATIONS),
        ("A set of samples", SAMPLES),
        ("Stems of a timeline", STEMS),
        ("A clip of a timeline", CLIP),
    ):
        lines += ["", f"## {heading}", "", *_table(declared)]
    return "\n".join(lines) + "\n"


def _table(declared: tuple[Declared, ...]) -> list[str]:
    rows = [
        "| id | name | unit | range | default | scale | what it does |",
        "|---|---|---|---|---|---|---|",
    ]
    return rows + [_row(one) for one in declared]


def _row(one: Declared) -> str:
    name = f"{one.group + ': ' if one.group else ''}{one.name}"
    if isinstance(one, Choice):
        return (
            f"| `{one.id}` | {name} | | {', '.join(one.options)} | {one.default} | | {one.help} |"
        )
    return (
        f"| `{one.id}` | {name} | {one.unit} | {one.low:g} to {one.high:g} | {one.default:g} "
        f"| {one.scale} | {one.help} |"
    )


def step_reference() -> str:
    """All kinds of steps as a Markdown page."""
    lines = [
        "# Steps of a recipe",
        "",
        "Made by `make reference` from the declarations; do not edit.",
    ]
    lines += [
        "",
        'A recipe is `{"format": "inner-bloom/recipe", "version": 1, "steps": [...]}`; each step',
    ]
    lines += ["names its kind in `do`, and may be left out with `on: false`."]
    for kind in STEP_KINDS.values():
        lines += ["", f"## {kind.name} (`{kind.id}`)", "", kind.help]
        if kind.declared:
            lines += ["", *_table(kind.declared)]
    return "\n".join(lines) + "\n"


def openapi() -> str:
    """The API's description (OpenAPI 3.1) as JSON."""
    from innerbloom.web.app import create_app

    class NoLive:
        def ticket(self, origin: str) -> tuple[int, str]:
            raise NotImplementedError

    with TemporaryDirectory() as folder:
        app = create_app(Path(folder), NoLive())
        with app.app_context():
            spec = app.spec
    return json.dumps(spec, indent=1, sort_keys=True) + "\n"


def written() -> dict[str, str]:
    """Every derived file by name."""
    return {
        "instrument.schema.json": json.dumps(json_schema(), indent=1) + "\n",
        "ensemble.schema.json": json.dumps(ensemble_schema(), indent=1) + "\n",
        "timeline.schema.json": json.dumps(timeline_schema(), indent=1) + "\n",
        "contents.schema.json": json.dumps(contents_schema(), indent=1) + "\n",
        "parameters.md": parameter_reference(),
        "steps.md": step_reference(),
        "recipe.schema.json": json.dumps(recipe_schema(), indent=1) + "\n",
        "wavetable.schema.json": json.dumps(table_schema(), indent=1) + "\n",
        "openapi.json": openapi(),
    }


if __name__ == "__main__":
    for name, text in written().items():
        (Path(sys.argv[1]) / name).write_text(text, "utf-8")
    for name, text in sources().items():
        (Path(innerbloom.__file__).parent / name).write_text(text, "utf-8")
