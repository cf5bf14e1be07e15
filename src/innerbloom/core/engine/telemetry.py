"""What moves, as plain numbers: for traces on screen, and for finding what is amiss."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.dsp.state import HELD, RELEASED
from innerbloom.core.engine.layout import Key

if TYPE_CHECKING:
    from innerbloom.core.engine.engine import Engine


@dataclass(frozen=True)
class Arrivals:
    """What arrives at one moment, for the newest note; for the leader where none sounds.

    Attributes
    ----------
    routes : ndarray, shape (routes,)
        What each route adds, in its target's own scale, in the document's order.
    modulators : ndarray, shape (modulators, 2)
        What each gives, and its other side.
    keys : tuple of (owner, parameter)
        What is moved.
    added, values : ndarrays, shape (targets,)
        The sum of what is added, and the value that comes of it.
    clamped : ndarray of bool, shape (targets,)
        Whether the end of the range holds the value.
    """

    routes: NDArray[np.float64]
    modulators: NDArray[np.float64]
    keys: tuple[Key, ...]
    added: NDArray[np.float64]
    values: NDArray[np.float64]
    clamped: NDArray[np.bool_]


def arrivals(engine: Engine) -> Arrivals:
    """What arrives at the end of what was last rendered."""
    section = engine.section
    modulation, program = section.modulation, section.program.modulation
    leader = modulation.slots
    voice = _newest(engine, leader)
    in_voice = np.array(program.in_voice, np.bool_)
    routes = np.where(in_voice, modulation.outputs[voice], modulation.outputs[leader])
    common = np.repeat(program.modulators["shared"] == 1, 2)
    nodes = np.where(common, modulation.nodes[leader], modulation.nodes[voice])
    # where only the leader moves something, it has the only say there
    led = np.array([section.is_led(key) for key in modulation.keys], np.bool_)
    added = np.where(led, modulation.sums[leader], modulation.sums[voice])
    places, log = modulation.targets["index"], modulation.targets["log"] == 1
    row = section.last_row(voice)[places]
    values = np.where(led, section.last_row(leader)[places], row)
    base = section.last_settings()[places]
    wanted = np.where(log, base * 2.0 ** np.clip(added, -60, 60), base + added)
    low, high = modulation.targets["low"], modulation.targets["high"]
    slack = 1e-9 * (high - low)
    clamped = (wanted < low - slack) | (wanted > high + slack)
    return Arrivals(routes, nodes.reshape(-1, 2), modulation.keys, added, values, clamped)


def _newest(engine: Engine, otherwise: int) -> int:
    records = engine.section.voices.records
    sounding = np.flatnonzero((records["state"] == HELD) | (records["state"] == RELEASED))
    if not sounding.size:
        return otherwise
    return int(sounding[np.argmax(records["serial"][sounding])])


@dataclass
class Watch:
    """What has been seen to move while notes sounded, for the doctor.

    Attributes
    ----------
    looks : int
        How often it has looked.
    lowest, highest : dict of route id to float
        Farthest that each route's arrivals have been.
    held : dict of (owner, parameter) to int
        How often the end of a range held a target.
    """

    looks: int = 0
    lowest: dict[str, float] = field(default_factory=dict)
    highest: dict[str, float] = field(default_factory=dict)
    held: dict[Key, int] = field(default_factory=dict)

    def look(self, engine: Engine, seen: Arrivals) -> None:
        """Take in one moment, if anything sounds."""
        if not engine.sounding():
            return
        self.looks += 1
        for id_, value in zip(
            engine.section.program.modulation.route_ids, seen.routes, strict=True
        ):
            self.lowest[id_] = min(self.lowest.get(id_, value), float(value))
            self.highest[id_] = max(self.highest.get(id_, value), float(value))
        for key, clamped in zip(seen.keys, seen.clamped, strict=True):
            self.held[key] = self.held.get(key, 0) + int(clamped)
