"""A take played again, otherwise: with other chance, through another instrument, slower, in parts."""

from __future__ import annotations

import copy
import hashlib
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.deliver.playable import parse_playable, with_seed
from innerbloom.core.deliver.replay import Change, replay
from innerbloom.core.ensemble.document import is_ensemble
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.instrument.owners import MAIN
from innerbloom.core.instrument.snapshooting import recall
from innerbloom.core.materials.protocol import Materials
from innerbloom.core.performance.events import Recall, SetParameter
from innerbloom.core.performance.hands import at_tempo, by_hands, loosened
from innerbloom.core.performance.take import EditDocument, Plain, Take


@dataclass(frozen=True)
class Way:
    """How a take is to be played again; all defaults play it as it was.

    Attributes
    ----------
    seed : int, optional
        Another chance.
    slower : float
        How many times as long gestures take; pitches stay.
    layers : tuple of str
        Ids of the only layers, or players, to be heard; empty for all.
    document : dict, optional
        Another instrument, or an ensemble, as plain data. Controls that were moved belong to the one that they
        were moved on, and stay behind.
    snapshot : str, optional
        Id of a snapshot that it is played through, of every instrument that has it; snapshots
        that were recalled meanwhile are left out.
    stream : str, optional
        Id of the only shared stream to be heard, or ``"main"`` for what goes past all of them.
    fine : bool
        In high quality: layers are driven at four times the rate instead of twice. Nothing else is
        reckoned more coarsely while one plays than it could be.
    """

    seed: int | None = None
    slower: float = 1.0
    layers: tuple[str, ...] = ()
    document: Plain | None = None
    snapshot: str | None = None
    stream: str | None = None
    fine: bool = False

    @property
    def same(self) -> bool:
        """Whether it changes nothing."""
        return self == Way()

    def of(self, take: Take) -> Take:
        """The take as it is played this way."""
        if self.document is not None:
            gestures = (
                one for one in by_hands(take).events
                if not isinstance(one, SetParameter | EditDocument)
            )  # fmt: skip
            take = replace(loosened(take), document=self.document, moved=(), events=tuple(gestures))
        if self.snapshot is not None:
            events = tuple(one for one in take.events if not isinstance(one, Recall))
            take = replace(loosened(take), moved=(), events=events)
        if self.seed is not None:
            take = _without_moves(take, "seed")
        if self.fine:
            take = _without_moves(take, "oversampling")
        return take if self.slower == 1.0 else at_tempo(take, self.slower)

    def change(self, document: Plain) -> Plain:
        """An instrument or ensemble of the take as it sounds this way."""
        if is_ensemble(document):
            return self._of_ensemble(document)
        plain = document
        if self.snapshot is not None and _has(document, self.snapshot):
            recalled = recall(parse_instrument(document), self.snapshot)
            plain = recalled.document.model_dump(mode="json")
        plain = self._seeded(plain)
        if self.fine:
            _oversample(plain)
        for layer in plain["layers"] if self.layers else []:
            layer["settings"]["mute"] = "off" if layer["id"] in self.layers else "on"
            layer["settings"]["solo"] = "off"
        return plain

    def _of_ensemble(self, document: Plain) -> Plain:
        """Players stand for layers."""
        plain = self._seeded(document)
        for player in plain["players"] if self.fine else []:
            if player["document"] is not None:
                _oversample(player["document"])
        for player in plain["players"] if self.layers else []:
            player["settings"]["mute"] = "off" if player["id"] in self.layers else "on"
        return plain

    def _seeded(self, document: Plain) -> Plain:
        """A copy, with another chance if that is asked for."""
        if self.seed is None:
            return copy.deepcopy(document)
        return with_seed(parse_playable(document), self.seed).model_dump(mode="json")


def _has(document: Plain, snapshot: str) -> bool:
    return any(one["id"] == snapshot for one in document.get("snapshots", []))


def _without_moves(take: Take, parameter: str) -> Take:
    """A take in which nobody moved a parameter."""
    return replace(
        take, moved=tuple(one for one in take.moved if one[1] != parameter),
        events=tuple(one for one in take.events
                     if not (isinstance(one, SetParameter) and one.parameter == parameter)),
    )  # fmt: skip


def _oversample(instrument: Plain) -> None:
    for layer in instrument["layers"]:
        layer["settings"]["oversampling"] = "4x"


def can_be_finer(take: Take) -> bool:
    """Whether high quality makes a difference: whether a layer is driven somewhere in it."""
    moved = {parameter for _, parameter, _ in take.moved}
    moved |= {one.parameter for one in take.events if isinstance(one, SetParameter)}
    if "drive" in moved:
        return True
    documents = [take.document]
    documents += [one.document for one in take.events if isinstance(one, EditDocument)]
    return any(_drives(one) for document in documents for one in _instruments(document))


def _instruments(document: Plain) -> list[Plain]:
    if is_ensemble(document):
        return [one["document"] for one in document["players"] if one["document"] is not None]
    return [document]


def _drives(instrument: Plain) -> bool:
    if any(one.get("parameter") == "drive" for one in instrument.get("routes", [])):
        return True
    states = (one.get("values", {}) for one in instrument.get("snapshots", []))
    if any(values.get("drive", 0.0) > 0.0 for state in states for values in state.values()):
        return True
    settings = (one["settings"] for one in instrument["layers"])
    return any(one.get("drive", 0.0) > 0.0 and one.get("oversampling") != "4x" for one in settings)


def played_again(
    take: Take, way: Way, materials: Materials, report: Callable[[float], bool] | None = None
) -> Iterator[NDArray[np.float32]]:
    """The sound of a take played a certain way, ahead of the limiter; see :func:`.replay`."""
    change: Change = way.change
    return replay(way.of(take), materials, change=change, stream=way.stream, report=report)


def stems_of(document: Plain) -> list[Way]:
    """Ways to play a take that add up to the whole, which comes last.

    Each layer as it goes past shared streams, if it does, and each shared stream; of an ensemble each
    player. Where the main bus has effects that answer to level, nothing can add up to what they make.

    Parameters
    ----------
    document : dict
        What the take begins with, as plain data.
    """
    if is_ensemble(document):
        return [*(Way(layers=(one["id"],)) for one in document["players"]), Way()]
    streams = [one["id"] for one in document.get("buses", [])]
    if not streams:
        return [*(Way(layers=(one["id"],)) for one in document["layers"]), Way()]
    direct = [one["id"] for one in document["layers"] if _goes_past(one)]
    past = [Way(layers=(id_,), stream=MAIN) for id_ in direct]
    return [*past, *(Way(stream=id_) for id_ in streams), Way()]


def _goes_past(layer: Plain) -> bool:
    """Whether a layer goes to the main bus, or past all effects."""
    past = layer["settings"].get("effects") == "past"
    return past or bool(layer.get("output", MAIN) == MAIN)


class Digest:
    """The hash of a sound that passes: SHA-256 of float32 samples, little endian, interleaved."""

    def __init__(self) -> None:
        self._hash = hashlib.sha256()

    def of(self, blocks: Iterator[NDArray[np.float32]]) -> Iterator[NDArray[np.float32]]:
        """Pass blocks on."""
        for block in blocks:
            self._hash.update(np.ascontiguousarray(block, "<f4").tobytes())
            yield block

    def hexdigest(self) -> str:
        return self._hash.hexdigest()
