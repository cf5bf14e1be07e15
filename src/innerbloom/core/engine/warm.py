"""Compiling every kernel ahead of use, so that no first note waits for a compiler."""

from __future__ import annotations

import numpy as np

from innerbloom.core.engine.engine import Engine
from innerbloom.core.engine.material import ENGINE_RATE, prepare_material
from innerbloom.core.engine.program import compile_program
from innerbloom.core.engine.state import BLOCK
from innerbloom.core.instrument.grow import grow_cloud
from innerbloom.core.performance.events import Event
from innerbloom.core.process.stretch import stretch
from innerbloom.core.process.varispeed import read_at
from innerbloom.core.sound.levels import LevelMeter


def warm_up() -> None:
    """Render a moment of every kind of layer and measure it; compiled code is kept on disk."""
    sound = np.zeros((ENGINE_RATE // 4, 1), np.float32)
    material = prepare_material(sound, ENGINE_RATE)
    document = grow_cloud("warm", duration_s=0.25, root=60.0, loudness_lufs=None)
    engine = Engine(compile_program(document, lambda _: material))
    engine.render(4 * BLOCK, [Event("on", 1, 60.0, 1.0), Event("off", 1, 60.0, 0.0, BLOCK)])
    LevelMeter(ENGINE_RATE, 1).feed(sound)
    stretch(sound, ENGINE_RATE, 2.0)
    read_at(sound, np.arange(64) * 1.01)


if __name__ == "__main__":
    warm_up()
