"""Filter, saturation, reading of waves, loops and noise, and routes against the same loops in C."""

from __future__ import annotations

import ctypes
from pathlib import Path

import numba
import numpy as np

from common import compiled_c, in_turn, pointer, say
from innerbloom.core.declare.curves import TABLE_STEPS
from innerbloom.core.dsp.drive import DRIVE, DRIVE_SCRATCH, HISTORY, SIDE, drive, drive_finely
from innerbloom.core.dsp.filter import run_section, set_section
from innerbloom.core.dsp.rates import TICK
from innerbloom.core.dsp.state import SOUND
from innerbloom.core.dsp.taps import Samples, Taps
from innerbloom.core.engine.kernels.routing import FIRST_MODULATOR, SOURCE_COUNT, VoiceTick, run
from innerbloom.core.layers.cloud.grain import Course
from innerbloom.core.layers.loop.readers import READER, Reading, add_reader
from innerbloom.core.layers.noise.source import _fill
from innerbloom.core.layers.wave.oscillator import Table, add_wave
from innerbloom.core.layers.wave.source import WAVE_SCRATCH
from innerbloom.core.materials.clip import prepare_material
from innerbloom.core.materials.wavetable.prepared import build_wavetable
from routes import engine_of

TIMES = 20_000
RNG = np.random.default_rng(2)
X = RNG.normal(0, 0.3, 2 * TICK).astype(np.float32)
COEFFICIENTS = np.zeros(6)
set_section(COEFFICIENTS, 900.0, 1.2, 0.4)
STATE = np.zeros((2, 2))
MEMORY = np.zeros(1, DRIVE)
SCRATCH = np.zeros(1, DRIVE_SCRATCH)
PHASES = np.cumsum(np.full(TICK, 0.0123))
# eight frames alike, read while the place moves
TABLE = build_wavetable(np.repeat(-2j / (np.pi * np.arange(1, 1024))[None, :], 8, axis=0))
FRAMES, MANY = np.zeros(1, SOUND), np.uint64(TICK)
FRAMES["frames"], FRAMES["stride"] = 8, TABLE.stride
SWEPT = np.zeros(1, WAVE_SCRATCH)
SWEPT["wave"]["frame"], SWEPT["wave"]["to_frame"] = 3.2, 3.3
SIZE, FIRST = int(TABLE.mip_levels[8]["frames"]), int(TABLE.mip_levels[8]["offset"])
WEIGHTS, INDEX = np.zeros(4 * TICK, np.float32), np.zeros(TICK, np.int32)
CLIP = prepare_material(RNG.normal(0, 0.1, (96_000, 2)).astype(np.float32), 48_000)
SOUND_RECORD, READERS = np.zeros(1, SOUND), np.zeros(1, READER)
SOUND_RECORD["address"], SOUND_RECORD["samples"] = CLIP.audio.ctypes.data, CLIP.audio.size
SOUND_RECORD["channels"], SOUND_RECORD["trim"], SOUND_RECORD["seconds"] = 2, 1.0, 2.0
READERS["place"], READERS["gain"], READERS["slope"], READERS["on"] = 0.7, 0.2, 0.001, 1
COPY = CLIP.mip_levels[1:2].copy()
STEP_S, SHIFT = 1.37 / 48_000, np.zeros(TICK + 1)


@numba.njit
def filters(times, x, c, state):
    for _ in range(times):
        run_section(x, 0, 2, c, c, state)


@numba.njit
def saturations(times, x, memory, scratch):
    for _ in range(times):
        drive(x, memory[0], scratch[0], 2.0, 0.2, 0.1)


@numba.njit
def fine_saturations(times, x, memory, scratch):
    for _ in range(times):
        drive_finely(x, memory[0], scratch[0], 2.0, 0.2, 0.1)


@numba.njit
def waves(times, into, audio, phases, sound, copy, room):
    for _ in range(times):
        add_wave(into, MANY, phases, Table(audio, sound[0]), copy[0], (1.0, 0.0), room[0])


@numba.njit
def readers(times, out, sounds, mip_levels, readers, shift, weights, index):
    taps = Taps(weights, index)
    reading = Reading(sounds[0], mip_levels[0], STEP_S, 0.7, shift, 0.0)
    for _ in range(times):
        add_reader(out, readers[0], reading, 0, TICK, taps)
        readers[0].place += 1e-9


@numba.njit
def noises(times, out, audio, mip_levels, shift, weights, index):
    taps, level, place = Taps(weights, index), mip_levels[0], 0.7
    samples = Samples(audio, 2, level.offset)
    for _ in range(times):
        moved = Course(place, STEP_S, shift, 0.0, level.frames)
        _fill(out, samples, level, moved, 0.6, taps)
        place += 1e-6


@numba.njit
def routed(times, routing, schedule, at):
    for _ in range(times):
        routing.sums[0, :] = 0.0
        run(routing, schedule, 0, len(schedule), at)


def routes_of(count: int):
    """What the routes of one voice work on, without its modulators."""
    section = engine_of(count, 1).section
    routing = section.modulation.routing
    schedule = np.ascontiguousarray(routing.schedule[routing.schedule[:, 0] < 2])
    row, named = np.ones(4_096), np.full(SOURCE_COUNT, 0.3)
    row[routing.moves["depth"]] = 0.1
    voice = section.voices.records[0]
    return routing, schedule, VoiceTick(0, 0, 1, np.uint64(1), voice, named, row, row.copy(), False)


def main() -> None:
    c = compiled_c(Path(__file__).with_name("twins.c"))
    if c is None:
        say("C", "there is no gcc here")
        return
    mono = X[:TICK].copy()
    memory = np.zeros(3 * HISTORY, np.float32)
    scratch = np.zeros((4, HISTORY + TICK), np.float32)
    audio = TABLE.audio[FIRST - 1 :]
    count = ctypes.c_int64(TIMES)
    clip = CLIP.audio.reshape(-1)
    base, rate, frames = int(COPY[0]["offset"]), float(COPY[0]["rate"]), float(COPY[0]["frames"])
    begin = clip[2 * base :]
    out = np.zeros(2 * TICK, np.float32)
    count_of_routes = 64
    routing, schedule, at = routes_of(count_of_routes)
    of_c = (
        schedule,
        routing.moves,
        routing.targets,
        at.named,
        routing.played[0],
        routing.nodes[0],
        routing.lags[0].copy(),
        routing.outputs[0].copy(),
        at.row.copy(),
        at.base,
        routing.sums[0].copy(),
        routing.residue[0],
        routing.curves,
    )
    f, d = ctypes.c_float, ctypes.c_double
    times = in_turn({
        "filter": lambda: filters(TIMES, X.copy(), COEFFICIENTS, STATE),
        "filter C": lambda: c.filter(count, pointer(X.copy()), pointer(COEFFICIENTS), pointer(STATE)),
        "saturation": lambda: saturations(TIMES, X.copy(), MEMORY, SCRATCH),
        "saturation at 4x": lambda: fine_saturations(TIMES // 4, X.copy(), MEMORY, SCRATCH),
        "saturation C": lambda: c.saturate(count, pointer(mono.copy()), pointer(memory),
                                           pointer(scratch), pointer(SIDE), f(2.0), f(0.2), f(0.1)),
        "wave": lambda: waves(TIMES, np.zeros(TICK, np.float32), TABLE.audio, PHASES, FRAMES,
                              TABLE.mip_levels[8:9].copy(), SWEPT),
        "wave C": lambda: c.wave(count, pointer(np.zeros(TICK, np.float32)), pointer(audio),
                                 pointer(PHASES), d(0.0), d(0.0), d(SIZE), d(3.2), d(3.3),
                                 ctypes.c_int64(8), ctypes.c_int64(TABLE.stride), pointer(WEIGHTS),
                                 pointer(INDEX), pointer(np.zeros(TICK, np.float32))),
        "loop": lambda: readers(TIMES, out.copy(), SOUND_RECORD, COPY, READERS, SHIFT, WEIGHTS, INDEX),
        "loop C": lambda: c.reader(count, pointer(out.copy()), pointer(begin), d(0.7 * rate), d(STEP_S * rate),
                                   d(frames - 1), d(0.2), d(0.001), pointer(SHIFT), d(0.0), d(0.7),
                                   pointer(WEIGHTS), pointer(INDEX)),
        "noise": lambda: noises(TIMES, out.copy(), clip, COPY, SHIFT, WEIGHTS, INDEX),
        "noise C": lambda: c.noise(count, pointer(out.copy()), pointer(begin), d(0.7), d(STEP_S), pointer(SHIFT),
                                   d(0.0), d(rate), d(frames), f(0.6), pointer(WEIGHTS), pointer(INDEX)),
        "routes": lambda: routed(TIMES // 4, routing, schedule, at),
        "routes C": lambda: c.routes(
            ctypes.c_int64(TIMES // 4), pointer(of_c[0]), ctypes.c_int64(len(of_c[0])),
            *(pointer(one) for one in of_c[1:]), ctypes.c_int64(TABLE_STEPS),
            ctypes.c_int64(SOURCE_COUNT), ctypes.c_int64(FIRST_MODULATOR)),
    })  # fmt: skip
    each = 1e9 * times["routes"] / (TIMES // 4 * count_of_routes)
    say("routes", f"{each:.2f} ns a route, {times['routes'] / times['routes C']:.2f} of C's time")
    for name in ("filter", "saturation", "wave", "loop", "noise"):
        each = 1e9 * times[name] / (TIMES * TICK)
        say(name, f"{each:.2f} ns a frame, {times[name] / times[name + ' C']:.2f} of C's time")
    finely = 4 * times["saturation at 4x"] / times["saturation"]
    say("saturation at 4x", f"{finely:.1f} times that at 2x")


if __name__ == "__main__":
    main()
