"""Engines and renders for tests of sound."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from scipy.signal import butter, sosfilt

from innerbloom.core.analysis.contour import contour_of
from innerbloom.core.engine import Engine, Material, Program, compile_program, prepare_material
from innerbloom.core.engine.telemetry import arrivals
from innerbloom.core.instrument.document import Instrument, parse_instrument
from innerbloom.core.instrument.grow import grow_cloud
from innerbloom.core.instrument.modulation import Route
from innerbloom.core.materials.described import ContourRequest
from innerbloom.core.materials.held import HeldMaterials
from innerbloom.core.performance.events import EditProgram, Event, SetParameter

RATE = 48_000


def sine(hz: float, seconds: float, rate: int = RATE, level: float = 0.5) -> np.ndarray:
    t = np.arange(round(seconds * rate)) / rate
    return (level * np.sin(2 * np.pi * hz * t)).astype(np.float32)


def material_of(samples: np.ndarray, rate: int = RATE) -> Material:
    shaped = samples[:, None] if samples.ndim == 1 else samples
    return prepare_material(np.ascontiguousarray(shaped, np.float32), rate)


def cloud(
    root: float | None = 69.0, whole: dict[str, float] | None = None, **settings: float
) -> Instrument:
    """An instrument with one cloud: even, central and level unless said otherwise."""
    plain = {
        "position_scatter": 0, "pitch_scatter": 0, "stereo_scatter": 0, "level_scatter": 0,
        "regularity": 100, "attack": 1, "decay": 1, "sustain": 100, "release": 5, "position": 50,
    }  # fmt: skip
    document = grow_cloud("test", duration_s=4.0, root=root, loudness_lufs=None)
    document.routes.clear()
    for key, value in {**plain, **settings}.items():
        setattr(document.layers[0].settings, key, value)
    for key, value in {"level": 0, **(whole or {})}.items():
        setattr(document.settings, key, value)
    return document


def moved(
    document: Instrument, source: str, parameter: str, depth: float, polarity: str = "as is",
    **more: float,
) -> Instrument:  # fmt: skip
    """The document with a route more, to its first layer."""
    route = {
        "id": f"t{len(document.routes)}", "source": source, "target": document.layers[0].id,
        "parameter": parameter, "depth": depth, "polarity": polarity, **more,
    }  # fmt: skip
    document.routes.append(Route.model_validate(route))
    return document


def layered(
    *layers: dict[str, Any], routes: Sequence[dict[str, Any]] = (), stack: int | list[Any] = 1,
    modulators: Sequence[dict[str, Any]] = (), **whole: float | str,
) -> Instrument:  # fmt: skip
    """An instrument of layers given by kind and settings; plain envelopes unless said otherwise.

    Modulators are given like layers and are called m1, m2 and so on. Sounds of clouds and loops have their root at A4 unless the layer brings its own.
    """
    flat = {"attack": 0.5, "decay": 1, "sustain": 100, "release": 1}
    made = []
    for number, given in enumerate(layers, 1):
        layer = dict(given)
        kind = layer.pop("kind")
        own = {key: layer.pop(key) for key in ("sounds", "picks", "path") if key in layer}
        if kind in ("cloud", "loop") and "sounds" not in own:
            own["sounds"] = [{"path": "tone.wav", "root": 69}]
        made.append({"id": f"l{number}", "name": f"Layer {number}", "kind": kind,
                     "settings": {**flat, **layer}, **own})  # fmt: skip
    moving = []
    for number, given in enumerate(modulators, 1):
        one = dict(given)
        own = {
            key: one.pop(key)
            for key in ("kind", "points", "steps", "follows", "sound")
            if key in one
        }
        moving.append({"id": f"m{number}", "name": f"Modulator {number}", **own, "settings": one})
    members = [{} for _ in range(stack)] if isinstance(stack, int) else stack
    return parse_instrument(
        {"version": 4, "name": "layered", "settings": {"level": 0, **whole}, "stack": members,
         "layers": made, "modulators": moving, "routes": [{"id": f"r{i}", "target": "l1", **r} for i, r in enumerate(routes)]}
    )  # fmt: skip


def program_of(
    document: Instrument, *materials: Material, course: np.ndarray | None = None
) -> Program:
    answers = {}
    if course is not None:
        found = contour_of(course.astype(np.float32)[:, None], RATE)
        answers = {ContourRequest: lambda _: found}
    return compile_program(document, HeldMaterials(*materials, answers=answers))


def trace(
    document: Instrument, seconds: float, events: Sequence[Event] = (), every: int = 64,
    materials: Sequence[Material] = (), course: np.ndarray | None = None,
) -> list[Any]:  # fmt: skip
    """What arrives at every tick (or every so many frames) while a document is played."""
    engine = Engine(program_of(document, *materials, course=course))
    seen = []
    for number in range(round(seconds * RATE / every)):
        engine.render(every, events if number == 0 else ())
        seen.append(arrivals(engine))
    return seen


def play(program: Program, seconds: float, events: Sequence[Event]) -> np.ndarray:
    return Engine(program).render(round(seconds * RATE), events)


def move(engine: Engine, owner: str, parameter: str, value: float | str) -> None:
    """Move a control now."""
    engine.render(0, [SetParameter(owner, parameter, value, engine.now)])


def edit(engine: Engine, program: Program) -> None:
    """Let another program take over now."""
    engine.render(0, [EditProgram(program, engine.now)])


def strongest_hz(samples: np.ndarray, rate: int = RATE) -> float:
    """Frequency of the highest spectral peak, to a fraction of a Hz."""
    spectrum = np.abs(np.fft.rfft(samples * np.hanning(len(samples)), 8 * len(samples)))
    return float(spectrum.argmax() * rate / (8 * len(samples)))


def click_db(sound: np.ndarray) -> float:
    """Highest level above 6 kHz against the sound's own peak, in dB.

    For a sound whose tones lie far below: a click is what puts energy up there.
    """
    sos = butter(6, 6_000, "highpass", fs=RATE, output="sos")
    # the filter's own start is left out
    above = sosfilt(sos, sound.astype(np.float64), axis=0)[400:]
    return float(20 * np.log10(np.abs(above).max() / np.abs(sound).max() + 1e-12))
