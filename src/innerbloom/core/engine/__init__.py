"""Program, sections and kernels: turns an instrument and events into sound."""

from innerbloom.core.dsp.rates import BLOCK, TICK
from innerbloom.core.engine.engine import Engine
from innerbloom.core.engine.limiter import Limiter
from innerbloom.core.engine.program import Program, compile_program
from innerbloom.core.engine.recording import Recording, Stream
from innerbloom.core.materials.clip import ENGINE_RATE, Material, prepare_material
from innerbloom.core.materials.protocol import Materials

DELAY = Limiter.latency
"""Frames by which a limited output lags behind where no effect adds to it."""

__all__ = [
    "BLOCK",
    "DELAY",
    "ENGINE_RATE",
    "TICK",
    "Engine",
    "Limiter",
    "Material",
    "Materials",
    "Program",
    "Recording",
    "Stream",
    "compile_program",
    "prepare_material",
]
