"""Routes: 24 voices with 64 and more of them, each with a curve, easing and a second source.

Times are shares of one core, found as differences between instruments that are alike otherwise,
in turn within one run; the last lines are of the traces on screen.
"""

from __future__ import annotations

import time

import numpy as np

from common import say
from innerbloom.core.engine import ENGINE_RATE, Engine, compile_program
from innerbloom.core.engine.telemetry import arrivals
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.materials.held import HeldMaterials
from innerbloom.core.performance.events import Event
from layers import blocks

CURVE = {"points": [[0, 0, 40], [0.5, 0.7, -30], [1, 1, 0]]}
PARAMETERS = ("cutoff", "pan", "drive", "resonance", "fine", "bits", "width", "asymmetry")
SOURCES = ("m:m1", "m:m2", "slide", "pressure")


def engine_of(routes: int, voices: int = 24) -> Engine:
    made = [
        {"id": f"r{n}", "source": SOURCES[n % 4], "target": f"l{n % 4}",
         "parameter": PARAMETERS[n // 4 % len(PARAMETERS)], "depth": 0.01, "curve": CURVE,
         "rise": 20, "fall": 40, "by": "wheel", "span": [-0.5, 1]}
        for n in range(routes)
    ]  # fmt: skip
    layers = [{"id": f"l{n}", "name": str(n), "kind": "wave", "settings": {"filter": "12 dB"}}
              for n in range(4)]  # fmt: skip
    modulators = [
        {"id": "m1", "name": "one", "kind": "lfo"},
        {"id": "m2", "name": "two", "kind": "drift"},
    ]
    document = {"version": 4, "name": "bench", "layers": layers, "modulators": modulators,
                "routes": made, "settings": {"voices": 24}}  # fmt: skip
    engine = Engine(compile_program(parse_instrument(document), HeldMaterials()))
    engine.render(ENGINE_RATE // 2, [Event("on", i, 40.0 + i, 0.8) for i in range(voices)])
    return engine


def main() -> None:
    counts = (0, 64, 128, 256)
    engines = {str(count): engine_of(count) for count in counts}
    found = {name: np.median(times) for name, times in blocks(engines, 5.0).items()}
    for count in counts[1:]:
        cost = found[str(count)] - found["0"]
        say(f"24 voices x {count} routes", f"{100 * cost:.1f} % of a core, "
            f"{1e4 * cost / count:.2f} % a hundred routes")  # fmt: skip
    engine = engines["64"]
    start = time.perf_counter()
    for _ in range(300):
        arrivals(engine)
    each = (time.perf_counter() - start) / 300
    say("traces of 64 routes, 30 times a second", f"{100 * 30 * each:.2f} % of a core")
    idle = engine_of(64, 0)
    say(
        "64 routes, idle", f"{100 * np.median(blocks({'idle': idle}, 2.0)['idle']):.2f} % of a core"
    )


if __name__ == "__main__":
    main()
