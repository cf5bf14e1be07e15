"""Program, voices and kernels: turns an instrument and events into sound."""

from innerbloom.core.engine.engine import DELAY, Engine
from innerbloom.core.engine.material import ENGINE_RATE, Material, prepare_material
from innerbloom.core.engine.program import Materials, Program, compile_program
from innerbloom.core.engine.state import BLOCK, TICK

__all__ = [
    "BLOCK",
    "DELAY",
    "ENGINE_RATE",
    "TICK",
    "Engine",
    "Material",
    "Materials",
    "Program",
    "compile_program",
    "prepare_material",
]
