"""One kind more of layer, modulator and effect each, added from outside the product.

Each is one declaration and one line that registers it; run as a program, it uses all of them, as
:mod:`tests.core.test_kinds` does in a process and with compiled code of its own.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Parameter
from innerbloom.core.dsp.rates import TICK
from innerbloom.core.effects import EFFECT_KINDS, Effect, EffectKind, Ticks
from innerbloom.core.layers import LAYER_KINDS
from innerbloom.core.layers.kind import LayerKind, Prepared
from innerbloom.core.materials.wavetable.prepared import WavetableRequest
from innerbloom.core.modulators import MODULATOR_KINDS, ModulatorKind

# -- a layer: a steady value --------------------------------------------------------------

NOTHING = np.dtype([("unused", np.float64)])
HEIGHT = Parameter("height", "height", "Steady", "", -1, 1, 0.5, "What it stands at.")


@borrowing
def render_steady(span, voices, layer, played, signals, scratch):
    for v in range(span.first, len(voices.records), span.step):
        for tick in range(layer.voices[v].ticks):
            height = layer.settings[v, tick].height
            signals.out[v, 2 * tick * TICK : 2 * (tick + 1) * TICK] = height


def prepare_steady(layer, materials):
    return Prepared((materials.get(WavetableRequest(None, "sine")),))


LAYER_KINDS.register(
    LayerKind("steady", (HEIGHT,), "A steady value.", prepare_steady, render_steady,
              NOTHING, NOTHING)
)  # fmt: skip

# -- a modulator: always the same -----------------------------------------------------------

SHARE = Parameter("share", "share", "Constant", "%", 0, 100, 50, "What it always gives.")


@borrowing
def advance_constant(modulator, state, row, now, drawn, heard, out):
    out[0] = 0.01 * row[modulator.at]


MODULATOR_KINDS.register(
    ModulatorKind("constant", "constant", (SHARE,), advance_constant, "Always the same.")
)

# -- an effect: turns everything over ---------------------------------------------------------

AMOUNT = Parameter("amount", "amount", "Turned over", "%", 0, 100, 100, "How far.")


class TurnedOver(Effect):
    def __init__(self, made: object) -> None:
        pass

    def process(self, audio: np.ndarray, ticks: Ticks) -> None:
        audio *= (1 - 0.02 * ticks.values["amount"]).repeat(TICK)[:, None].astype(np.float32)


EFFECT_KINDS.register(EffectKind("turned", "Turned over", (AMOUNT,), TurnedOver, "Turns over."))

# -- all of them at work ----------------------------------------------------------------------


def main(folder: Path) -> dict[str, object]:
    """Documents, plays, routes and stores one of each; what was found."""
    from innerbloom.cli.reference import parameter_reference
    from innerbloom.core.engine import Engine, compile_program
    from innerbloom.core.instrument import chains, wiring
    from innerbloom.core.instrument.document import KIND, json_schema, parse_instrument
    from innerbloom.core.materials.held import HeldMaterials
    from innerbloom.core.performance.events import Event, SetParameter
    from innerbloom.store import documents
    from innerbloom.store.database import open_database

    layer = {"id": "l1", "name": "Steady", "kind": "steady", "settings": {"sustain": 100}}
    document = parse_instrument({"name": "Added", "settings": {"level": 0}, "layers": [layer]})
    steady = document.layers[0].id
    document = chains.add_effect(document, steady, "turned")
    turned = document.layers[0].effects[0].id
    document = wiring.add_modulator(document, "constant", name="Constant")
    constant = document.modulators[0].id
    plain = document.model_dump(mode="json")
    for target, parameter, depth in ((steady, "height", 0.4), (turned, "amount", -50.0)):
        plain["routes"].append(
            {
                "id": f"r{target}",
                "source": f"m:{constant}",
                "target": target,
                "parameter": parameter,
                "depth": depth,
            }
        )
    document = parse_instrument(plain)

    program = compile_program(document, HeldMaterials())
    engine = Engine(program, limited=False)
    events = [
        Event("on", 1, 60.0, 1.0),
        SetParameter(constant, "share", 100.0, 48_000),
        SetParameter(turned, "on", "off", 96_000),
        SetParameter(steady, "height", 0.1, 144_000),
    ]
    sound = engine.render(192_000, events)
    levels = [float(sound[at, 0]) for at in range(47_000, 192_000, 48_000)]

    session = open_database(folder / "project.db")
    with session() as db:
        number = documents.create(db, KIND, document).id
        db.commit()
    with session() as db:
        stored = documents.listed(db, KIND)[0]
        back = parse_instrument(stored.content)
    reference, schema = parameter_reference(), json.dumps(json_schema())
    helps = ("A steady value.", "Always the same.", "Turns over.")
    names = ("SteadySettings", "ConstantModulatorSettings", "TurnedEffectSettings")
    return {
        "levels": levels,
        "stored": back == document and stored.id == number,
        "documented": all(help_ in reference for help_ in helps),
        "published": all(name in schema for name in names),
    }


if __name__ == "__main__":
    print(json.dumps(main(Path(sys.argv[1]))))
