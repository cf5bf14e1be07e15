"""A simulated recorder's card: takes with notes and timecode, one of them broken."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from innerbloom.core.atomic import written_whole
from innerbloom.core.sound.metadata import Origin, add_bext
from innerbloom.core.sound.takes import Take, add_ixml, add_markers
from innerbloom.core.sound.writing import write_sound
from innerbloom.demo import many_events, models
from innerbloom.demo.recordings import Model


@dataclass(frozen=True)
class CardTake:
    """One take on the card."""

    stem: str
    model: Model
    duration: float
    peak_db: float
    clock: str
    take: Take
    recordist: str = "O. T."


# fmt: off
TAKES: tuple[CardTake, ...] = (
    CardTake("GH07_01", models.bowed_wire, 7.5, -6.0, "06:12:40", Take("7", "1", "Wire, long bow, gate post end", "North boundary")),
    CardTake("GH07_02", models.bowed_wire, 9.0, -4.0, "06:15:08", Take("7", "2", "Wire, harder, best one", "North boundary")),
    CardTake("GH08_01", models.sluice_wheel, 11.0, -8.0, "06:41:55", Take("8", "1", "Sluice, slow turns", "Sarn sluice")),
    CardTake("GH09_01", many_events.rain_on_glass, 12.0, -12.0, "07:03:20", Take("9", "1", "Rain on the east roof, thin", "Vellmoor glasshouse")),
    CardTake("GH10_01", many_events.pebbles, 8.0, -5.0, "07:30:02", Take("10", "1", "Pebbles, three handfuls", "The inlet")),
)
# fmt: on

BROKEN = "GH10_02.WAV"
_RATE = 48_000
_DATE = "2031-04-02"


def make_card(folder: Path, say: Callable[[float], object] = lambda share: None) -> None:
    """Write the card's files into a folder, the same each time."""
    folder.mkdir(parents=True, exist_ok=True)
    for number, one in enumerate(TAKES):
        _write_take(folder / f"{one.stem}.WAV", one, seed=41 + number)
        say((number + 1) / len(TAKES))
    whole = (folder / f"{TAKES[-1].stem}.WAV").read_bytes()
    # the battery ran out: a header that promises sound, and none behind it
    (folder / BROKEN).write_bytes(whole[:28])


def _write_take(path: Path, one: CardTake, seed: int) -> None:
    signal = one.model(np.random.default_rng(seed), one.duration, _RATE)
    signal = signal[:, None] if signal.ndim == 1 else signal
    level = 10.0 ** (one.peak_db / 20.0) / np.abs(signal).max()
    hour, minute, second = (int(part) for part in one.clock.split(":"))
    origin = Origin(notes=one.take.note, recordist=one.recordist, date=_DATE)
    midnight = (3600 * hour + 60 * minute + second) * _RATE
    markers = [round(0.25 * one.duration * _RATE), round(0.6 * one.duration * _RATE)]
    with written_whole(path) as beside:
        write_sound(beside, [(level * signal).astype(np.float32)], _RATE, signal.shape[1])
        add_bext(beside, origin, time_of_day=one.clock, time_reference=midnight)
        add_ixml(beside, one.take)
        add_markers(beside, markers)
