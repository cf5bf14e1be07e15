"""Many variations of one effect: drawn at random, the most unlike kept, equally loud, ended as asked."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.analysis.timbre import timbre
from innerbloom.core.analysis.unlike import distances_of, map_places, most_unlike, nearest_of
from innerbloom.core.deliver.render import render_blocks
from innerbloom.core.engine import ENGINE_RATE, compile_program
from innerbloom.core.errors import BloomError, Cancelled
from innerbloom.core.instrument import snapshooting as shooting
from innerbloom.core.instrument.document import Instrument, parse_instrument
from innerbloom.core.instrument.snapshot_map import map_of
from innerbloom.core.materials.protocol import Materials
from innerbloom.core.performance.events import Event, single_note
from innerbloom.core.performance.stretch import varied
from innerbloom.core.sound.fades import faded
from innerbloom.core.sound.levels import LevelMeter
from innerbloom.core.units import db_to_gain

Sound = NDArray[np.float32]
Hands = tuple[Event, ...]
CEILING_DB = -1.0
AS_PLAYED_KEY, AS_PLAYED_VELOCITY = 60, 100
ALL_SILENT = "All that was drawn is silent: choose other keys, or look at the levels."
_SILENT_DB = -60.0
_LEAST_LOUD_S = 0.4
"""Loudness is measured over 0.4 s at least (BS.1770): what is shorter is followed by silence."""

_FADE_MS = 8.0


@dataclass(frozen=True)
class Draw:
    """How one variation is played.

    Attributes
    ----------
    number : int
        From 1, in the order in which they were drawn.
    key, velocity : int
    seed : int
    macros : tuple of (id, value)
    snapshot : str or None
        Id of the snapshot that is recalled.
    place : (across, up) or None
        Where on the map it stands.
    """

    number: int
    key: int
    velocity: int
    seed: int
    macros: tuple[tuple[str, float], ...] = ()
    snapshot: str | None = None
    place: tuple[float, float] | None = None


@dataclass(frozen=True)
class Variation:
    """One that was made.

    Attributes
    ----------
    draw : Draw
    sound : ndarray of float32, shape (frames, 2), at 48 kHz
    loudness : float
        In LUFS; -inf for silence.
    peak : float
        True peak in dBTP.
    loop : bool
        Whether it goes on from its end to its start.
    nearest : float
        How unlike it is to the one of those kept that is most like it.
    place : (across, up)
        On a map of how unlike they are, each in 0..1.
    """

    draw: Draw
    sound: Sound
    loudness: float
    peak: float
    loop: bool = False
    nearest: float = 0.0
    place: tuple[float, float] = (0.5, 0.5)
    timbre: list[float] = field(default_factory=list)


def draws(document: Instrument, settings: Any) -> list[Draw]:
    """What is to be played; the same settings give the same draws.

    Raises
    ------
    BloomError
        If a range stands upside down, or snapshots are asked for and there are none.
    """
    for low, high, what in (("key_low", "key_high", "key"),
                            ("velocity_low", "velocity_high", "velocity")):  # fmt: skip
        if getattr(settings, low) > getattr(settings, high):
            raise BloomError(f"The lowest {what} lies above the highest: turn them round.")
    random = np.random.default_rng(settings.seed)
    macros = [one for one in document.modulators if one.kind == "macro"]
    return [
        Draw(
            number,
            int(random.integers(settings.key_low, settings.key_high + 1)),
            int(random.integers(settings.velocity_low, settings.velocity_high + 1)),
            _seed_of(document, settings, number, random),
            tuple((one.id, _around(one, settings.macros, random)) for one in macros),
            **_state(document, settings.snapshots, number, random),
        )
        for number in range(1, settings.drawn + 1)
    ]


def _seed_of(document: Instrument, settings: Any, number: int, random: np.random.Generator) -> int:
    if settings.chance == "the same":
        return int(document.settings.seed)  # type: ignore[attr-defined]
    return int(random.integers(0, 1_000_000))


def _around(macro: Any, reach: float, random: np.random.Generator) -> float:
    aside = float(random.uniform(-reach, reach)) if reach else 0.0
    return float(np.clip(macro.settings.value + aside, 0.0, 100.0))


def _state(
    document: Instrument, which: str, number: int, random: np.random.Generator
) -> dict[str, Any]:
    if which in ("any of them", "each in turn"):
        if not document.snapshots:
            raise BloomError("The instrument has no snapshots: take some, or play it as it is set.")
        count = len(document.snapshots)
        at = (number - 1) % count if which == "each in turn" else int(random.integers(count))
        return {"snapshot": document.snapshots[at].id}
    if which == "anywhere on the map":
        if map_of(document) is None:
            raise BloomError("Nothing lies on the map: put two snapshots there first.")
        return {"place": (float(random.random()), float(random.random()))}
    return {}


def instrument_for(document: Instrument, draw: Draw) -> Instrument:
    """The instrument in the state in which a variation is played."""
    if draw.snapshot is not None:
        document = shooting.recall(document, draw.snapshot).document
    elif draw.place is not None:
        document = shooting.stand_at(document, draw.place)
    plain = document.model_dump(mode="json")
    plain["settings"]["seed"] = draw.seed
    values = dict(draw.macros)
    for one in plain["modulators"]:
        if one["id"] in values:
            one["settings"]["value"] = values[one["id"]]
    return parse_instrument(plain)


def play(
    document: Instrument, draw: Draw, settings: Any, materials: Materials, hands: Hands = ()
) -> Sound:
    """The sound of one variation, ended as asked, as loud as it comes.

    Parameters
    ----------
    hands : tuple of Event
        What is played; one note where nothing is given. Hands play at the pitch and as hard as they did
        where the key is :data:`AS_PLAYED_KEY` and the velocity :data:`AS_PLAYED_VELOCITY`.
    """
    program = compile_program(instrument_for(document, draw), materials)
    if hands:
        harder = draw.velocity / AS_PLAYED_VELOCITY
        events = varied(hands, draw.key - AS_PLAYED_KEY, harder)
    else:
        key = float(draw.key)
        events = single_note(key, settings.seconds, ENGINE_RATE, draw.velocity / 127.0)
    whole = np.concatenate(list(render_blocks(program, events)))
    frames = max(2, round(settings.seconds * ENGINE_RATE))
    if settings.ends == "loops":
        return folded(whole, frames)
    if settings.ends == "is cut":
        return faded(whole[:frames].copy(), 0, _fade_frames(frames), "linear", "equal power")
    return rung_out(whole)


def _fade_frames(frames: int) -> int:
    return min(frames // 2, round(1e-3 * _FADE_MS * ENGINE_RATE))


def folded(sound: Sound, frames: int) -> Sound:
    """A loop of so many frames: what sounds beyond its end sounds over its beginning.

    Played over and over it goes on without a seam, since each turn begins under the tail of the
    one before, as that tail was played.
    """
    turns = -(-len(sound) // frames)
    padded = np.zeros((turns * frames, sound.shape[1]), np.float32)
    padded[: len(sound)] = sound
    return np.asarray(padded.reshape(turns, frames, -1).sum(axis=0), np.float32)


def rung_out(sound: Sound) -> Sound:
    """A sound up to where it lies 60 dB below its highest sample for good, faded there."""
    level = np.abs(sound).max(axis=1, initial=0.0)
    heard = np.flatnonzero(level > level.max(initial=0.0) * db_to_gain(_SILENT_DB))
    if not len(heard):
        return sound[:2].copy()
    end = min(len(sound), int(heard[-1]) + 1 + _fade_frames(len(sound)))
    return faded(sound[:end].copy(), 0, _fade_frames(end), "linear", "equal power")


def variations(
    document: Instrument,
    settings: Any,
    materials: Materials,
    report: Callable[[float], bool] = lambda share: True,
) -> list[Variation]:
    """Draw variations and keep those that are most unlike one another.

    Parameters
    ----------
    settings : VariationSettings
    report : callable
        Is told the share done, 0..1; gives False to stop.

    Returns
    -------
    list of Variation
        Those kept, in the order in which they were drawn.

    Raises
    ------
    BloomError
        If nothing of what was drawn can be heard.
    Cancelled
        If it was told to stop.
    """
    return kept_of(list(made_of(document, settings, materials, report)), settings)


def kept_of(made: list[Variation], settings: Any) -> list[Variation]:
    """Those of what was drawn that are most unlike one another, as loud as asked."""
    distances = distances_of([one.timbre for one in made])
    kept = sorted(most_unlike(distances, settings.kept))
    among = distances[np.ix_(kept, kept)]
    nearest, places = nearest_of(among), map_places(among)
    chosen = [
        replace(
            made[i], nearest=float(nearest[n]), place=(float(places[n, 0]), float(places[n, 1]))
        )
        for n, i in enumerate(kept)
    ]
    return equally_loud(chosen, settings.loudness) if settings.level == "equally loud" else chosen


def made_of(
    document: Instrument,
    settings: Any,
    materials: Materials,
    report: Callable[[float], bool],
    hands: Hands = (),
) -> Iterator[Variation]:
    """All that is drawn and not silent, as loud as it comes; arguments, and what is raised, as for
    :func:`variations` and :func:`play`."""
    wanted, heard = draws(document, settings), False
    for done, draw in enumerate(wanted):
        if not report(done / len(wanted)):
            raise Cancelled("Stopped.")
        one = made_by(document, draw, settings, materials, hands)
        if one is not None:
            heard = True
            yield one
    if not heard:
        raise BloomError(ALL_SILENT)


def made_by(
    document: Instrument, draw: Draw, settings: Any, materials: Materials, hands: Hands = ()
) -> Variation | None:
    """One variation, as loud as it comes; None where it is silent. Arguments as for :func:`play`."""
    sound = play(document, draw, settings, materials, hands)
    loudness, peak = measured(sound)
    if not np.isfinite(peak):
        return None
    mono = np.ascontiguousarray(sound.mean(axis=1))
    return Variation(draw, sound, loudness, peak, settings.ends == "loops",
                     timbre=timbre(mono, ENGINE_RATE))  # fmt: skip


def measured(sound: Sound, rate: int = ENGINE_RATE) -> tuple[float, float]:
    """Loudness in LUFS and true peak in dBTP."""
    meter = LevelMeter(rate, sound.shape[1])
    missing = max(0, round(_LEAST_LOUD_S * rate) - len(sound))
    meter.feed(np.concatenate((sound, np.zeros((missing, sound.shape[1]), np.float32))))
    return meter.integrated_lufs(), meter.true_peak_dbtp


def equal_target(levels: Iterable[tuple[float, float]], wanted_lufs: float) -> float:
    """The loudness that all can have, given theirs and their true peaks: the wanted one, or as much
    less as keeps every peak below -1 dBTP."""
    return min([wanted_lufs, *(loudness + CEILING_DB - peak for loudness, peak in levels)])


def equally_loud(made: list[Variation], wanted_lufs: float) -> list[Variation]:
    """All at one loudness; see :func:`equal_target`."""
    levels = [(one.loudness, one.peak) for one in made if np.isfinite(one.loudness)]
    target = equal_target(levels, wanted_lufs)
    return [
        _raised(one, target - one.loudness) if np.isfinite(one.loudness) else one for one in made
    ]


def _raised(one: Variation, gain_db: float) -> Variation:
    sound = (one.sound * np.float32(db_to_gain(gain_db))).astype(np.float32)
    return replace(one, sound=sound, loudness=one.loudness + gain_db, peak=one.peak + gain_db)
