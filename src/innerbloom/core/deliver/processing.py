"""Any sound through a chain of effects: the engine's own, with a stream of samples for voices."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.dsp.rates import BLOCK, RATE, TICK, TICK_S
from innerbloom.core.engine.chain import Chain as Running
from innerbloom.core.engine.clock import Moment
from innerbloom.core.engine.layout import lay_out
from innerbloom.core.engine.program import compile_chain
from innerbloom.core.instrument.chain_document import Chain
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.materials.protocol import Materials

LONGEST_TAIL_S = 40.0
"""What still rings so long after the sound is cut."""

_TEMPO = 120.0
_TICKS = BLOCK // TICK


class _NoNote(NamedTuple):
    """Nothing is played: time goes on from the sound's beginning."""

    seconds: float

    def age_s(self) -> float:
        return self.seconds

    def keys_of_down(self) -> tuple[float, ...]:
        return ()


def _no_layer(layer: str, frames: int) -> None:
    """There is none to listen to."""


def process_blocks(
    chain: Chain, sound: NDArray[np.float32], materials: Materials
) -> Iterator[NDArray[np.float32]]:
    """Blocks of a sound at 48 kHz through a chain, until it has rung out.

    Parameters
    ----------
    chain : Chain
        Tempo is 120, and no key is down.
    sound : ndarray of float32, shape (frames, 2)
    materials : Materials
        Finds the sounds of effects that work with one.

    Yields
    ------
    ndarray of float32, shape (up to BLOCK, 2)
        The latency of effects is taken off, so that frame 0 stays frame 0.

    Raises
    ------
    BloomError
        If a sound cannot be found.
    """
    layer = {"id": "l1", "name": "Stream", "kind": "noise"}
    effects = chain.model_dump(mode="json")["effects"]
    document = {"name": chain.name, "layers": [layer], "effects": effects}
    document["settings"] = {"tempo": _TEMPO}
    layout = lay_out(parse_instrument(document))
    rows = np.repeat(layout.row[None, :], _TICKS, axis=0)
    running = Running(compile_chain(chain.effects, materials))
    skip = running.latency
    end = len(sound) + skip
    for at in range(0, end + round(LONGEST_TAIL_S * RATE), BLOCK):
        if at >= end and not running.ringing():
            return
        block = np.zeros((BLOCK, 2), np.float32)
        piece = sound[at : at + BLOCK]
        block[: len(piece)] = piece
        first = at // TICK
        moment = Moment(
            first, _TICKS, layout, rows, rows, True, _NoNote((first + _TICKS) * TICK_S), _no_layer
        )
        running.process(block, moment)
        yield block[skip:]
        skip = max(0, skip - BLOCK)
