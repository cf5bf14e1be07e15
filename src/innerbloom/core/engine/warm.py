"""Compiling every kernel ahead of use, so that no first note waits for a compiler.

Each task compiles what no other one does, so that all cores can work at once; what is made is kept
on disk, see :mod:`innerbloom.core.compiling`.
"""

from __future__ import annotations

import fcntl
import gc
import multiprocessing
import os
import sys
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor, as_completed
from contextlib import contextmanager
from functools import partial

import numpy as np

from innerbloom.core.atomic import written_whole
from innerbloom.core.compiling import COMPLETE, cache_folder, forget_old, is_warm
from innerbloom.core.declare.parameters import default_record
from innerbloom.core.dsp.convolve import convolve_tick
from innerbloom.core.dsp.partitioned import Convolver, partitioned
from innerbloom.core.dsp.rates import BLOCK, TICK
from innerbloom.core.effects import EFFECT_KINDS, Ticks
from innerbloom.core.engine.engine import Engine
from innerbloom.core.engine.program import Program, compile_program
from innerbloom.core.engine.section import Section
from innerbloom.core.engine.worker import Worker
from innerbloom.core.instrument.catalogue import LAYER_KINDS
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.layers.kind import Span, Voices
from innerbloom.core.materials.clip import ENGINE_RATE, prepare_material
from innerbloom.core.materials.held import Answers, HeldMaterials
from innerbloom.core.materials.noise import NoiseRequest
from innerbloom.core.materials.spectrum.analyse import analyse, partials_alone
from innerbloom.core.materials.spectrum.model import Spectrum
from innerbloom.core.parent import end_with_parent_process
from innerbloom.core.performance.events import Event
from innerbloom.core.process.stretch import stretch
from innerbloom.core.process.varispeed import read_at
from innerbloom.core.sound.levels import LevelMeter

Told = Callable[[int, int], object]

_LOOK_EVERY_S = 0.3

_PROGRESS = "progress"

_SILENCE = np.zeros((ENGINE_RATE // 4, 1), np.float32)


def _program(kind: str) -> Program:
    """One layer of a kind, with silence to play."""
    sounds = [{"path": "silence.wav"}] if LAYER_KINDS[kind].needs_sound else []
    layer = {"id": "l1", "name": kind, "kind": kind, "sounds": sounds}
    document = parse_instrument({"name": "warm", "layers": [layer]})
    clip = prepare_material(np.repeat(_SILENCE, 2, axis=1), ENGINE_RATE)
    nothing = np.zeros((2, 60), np.float32)
    spectrum = Spectrum(0.25, None, 0.0, (), nothing, nothing, (), 2048)
    # noise takes a while to lay out and is not wanted here
    answers: Answers = {NoiseRequest: lambda _: clip}
    return compile_program(document, HeldMaterials(clip, spectra=(spectrum,), answers=answers))


def compile_layer(kind: str) -> None:
    """The kernel of a kind of layer, called for no voice at all."""
    section = Section(_program(kind))
    state = section.layers[0]
    span = Span(0, 1, np.uint64(1), np.zeros(4))
    voices = Voices(section.voices.records, section.slots.pitches)
    state.program.kind.render(
        span, voices, state.layer, state.program.played, state.signals, state.scratch
    )


def compile_engine() -> None:
    """What every instrument needs: control, modulation, finishing, mixing, limiter, two threads."""
    engine = Engine(_program("noise"))
    engine.render(4 * BLOCK, [Event("on", 1, 60.0, 1.0), Event("off", 1, 60.0, 0.0, BLOCK)])
    taps = np.zeros(8, np.float32)
    Worker("warm").both(lambda: None, lambda: None)
    convolve_tick(np.zeros(TICK, np.float32), np.zeros(TICK + 7, np.float32), taps, taps, 0.0, 1.0)


def compile_effects(kind: str) -> None:
    """The kernels of a kind of effect, with its settings as they are at first."""
    declared = EFFECT_KINDS[kind]
    effect = declared.make(None)
    values = np.repeat(default_record(declared.declared), BLOCK // TICK)
    for first in range(0, 32, BLOCK // TICK):
        effect.process(np.full((BLOCK, 2), 1e-3, np.float32), Ticks(first, 0.0, values))


def compile_convolution() -> None:
    """Convolution with a response long enough for two sizes of partitions."""
    convolver = Convolver(partitioned(np.repeat(_SILENCE, 2, axis=1)))
    for first in range(0, 130, BLOCK // TICK):
        convolver.process(np.zeros((BLOCK, 2), np.float32), first)


def compile_spectra() -> None:
    """Taking sounds apart, and their parts alone."""
    tone = np.sin(0.06 * np.arange(len(_SILENCE)), dtype=np.float32)[:, None]
    partials_alone(analyse(tone, ENGINE_RATE, None))


def compile_processes() -> None:
    """Measuring, stretching and reading at other speeds."""
    LevelMeter(ENGINE_RATE, 1).feed(_SILENCE)
    stretch(_SILENCE, ENGINE_RATE, 2.0)
    read_at(_SILENCE, np.arange(64) * 1.01)


_OTHERS: dict[str, Callable[[], None]] = {
    "engine": compile_engine,
    "convolution": compile_convolution,
    "processes": compile_processes,
    "spectra": compile_spectra,
    **{f"effect {kind}": partial(compile_effects, kind) for kind in EFFECT_KINDS},
}
_PREPARING = ("processes", "spectra")
"""What prepares sounds, and plays none."""

_LONGEST_FIRST = ("engine", "spectral", "wave", "loop")


def tasks() -> list[str]:
    """What there is to compile, the longest first."""
    # the engine is tried out with noise, which it compiles as well
    found = [*_OTHERS, *(kind for kind in LAYER_KINDS if kind != "noise")]
    return sorted(found, key=lambda one: one not in _LONGEST_FIRST)


def run(task: str) -> str:
    """Compile one of :func:`tasks`; gives its name."""
    if task in _OTHERS:
        _OTHERS[task]()
    else:
        compile_layer(task)
    return task


def _begin() -> None:
    """What a process does that compiles: it ends with the one that asked for it.

    Compilers make millions of small objects that all stay, and looking through them for what may
    go would take a tenth of the time.
    """
    end_with_parent_process()
    gc.freeze()
    gc.set_threshold(50_000, 20, 100)


def warm_up(told: Told = lambda done, count: None) -> None:
    """Compile everything that is not kept on disk yet, on all cores.

    Several processes may ask at the same time: one compiles, the others wait for it, and take over
    where it ends before it is done.

    Parameters
    ----------
    told : callable
        ``told(done, count)``, now and then: how many parts are there, of how many. What it raises
        ends the waiting.
    """
    while not is_warm():
        with _turn() as ours:
            if ours:
                _compile_all(told)
                return
        told(*_progress())
        time.sleep(_LOOK_EVERY_S)


@contextmanager
def _turn() -> Iterator[bool]:
    """Whether this process is the one that compiles; it is until it leaves, or ends."""
    with (cache_folder() / "compiling").open("w") as handle:
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            yield False
        else:
            yield True


def _progress() -> tuple[int, int]:
    """How many parts the process that compiles has made."""
    try:
        done, count = (cache_folder() / _PROGRESS).read_text().split()
        return int(done), int(count)
    except (OSError, ValueError):
        return 0, len(tasks())


def _compile_all(told: Told) -> None:
    all_of_them = tasks()
    context = multiprocessing.get_context("spawn")
    with ProcessPoolExecutor(os.cpu_count() or 1, mp_context=context, initializer=_begin) as pool:
        waiting = [pool.submit(run, task) for task in all_of_them]
        told(0, len(all_of_them))
        try:
            for number, done in enumerate(as_completed(waiting), 1):
                done.result()
                with written_whole(cache_folder() / _PROGRESS) as beside:
                    beside.write_text(f"{number} {len(all_of_them)}")
                told(number, len(all_of_them))
        except BaseException:
            pool.shutdown(cancel_futures=True)
            raise
    (cache_folder() / COMPLETE).touch()
    (cache_folder() / _PROGRESS).unlink(missing_ok=True)
    forget_old()


def load() -> None:
    """Bring all that plays into this process, so that no first note waits for the disk."""
    for task in tasks():
        if task not in _PREPARING:
            run(task)


if __name__ == "__main__":
    warm_up(lambda done, count: print(f"    {done} of {count} kernels", file=sys.stderr))
