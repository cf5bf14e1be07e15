"""Compiling every kernel ahead of use, so that no first note waits for a compiler."""

from __future__ import annotations

import numpy as np

from innerbloom.core.declare.sound import Sound
from innerbloom.core.dsp.rates import BLOCK
from innerbloom.core.engine.engine import Engine
from innerbloom.core.engine.program import compile_program
from innerbloom.core.instrument.catalogue import LAYER_KINDS
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.materials.clip import ENGINE_RATE, Material, prepare_material
from innerbloom.core.materials.held import HeldMaterials
from innerbloom.core.materials.protocol import Materials
from innerbloom.core.materials.spectrum.analyse import analyse, partials_alone
from innerbloom.core.performance.events import Event
from innerbloom.core.process.stretch import stretch
from innerbloom.core.process.varispeed import read_at
from innerbloom.core.sound.levels import LevelMeter


class _Silence(HeldMaterials):
    """Silence in place of noise, which takes a while to lay out and is not wanted here."""

    def noise(self, colour: str, sound: Sound | None) -> Material:
        return self.clip(Sound())


def _play(materials: Materials) -> None:
    """Every kind of layer, each moving the one above it, with everything in its way."""
    layers = [
        {"id": kind, "name": kind, "kind": kind,
         "sounds": [{"path": "silence.wav"}] if of.needs_sound else [],
         "settings": {"link": "phase", "loudness_hold": "on", "filter": "24 dB", "drive": 6,
                      "bits": 8}}
        for kind, of in LAYER_KINDS.items()
    ]  # fmt: skip
    document = parse_instrument({"name": "warm", "version": 3, "layers": layers, "routes": []})
    engine = Engine(compile_program(document, materials))
    engine.render(4 * BLOCK, [Event("on", 1, 60.0, 1.0), Event("off", 1, 60.0, 0.0, BLOCK)])


def warm_up() -> None:
    """Render a moment of every kind of layer and measure it; compiled code is kept on disk."""
    sound = np.zeros((ENGINE_RATE // 4, 1), np.float32)
    tone = np.sin(0.06 * np.arange(len(sound)), dtype=np.float32)[:, None]
    spectrum = analyse(tone, ENGINE_RATE, None)
    partials_alone(spectrum)
    silence = prepare_material(np.repeat(sound, 2, axis=1), ENGINE_RATE)
    _play(_Silence(silence, spectra=(spectrum,)))
    LevelMeter(ENGINE_RATE, 1).feed(sound)
    stretch(sound, ENGINE_RATE, 2.0)
    read_at(sound, np.arange(64) * 1.01)


if __name__ == "__main__":
    warm_up()
