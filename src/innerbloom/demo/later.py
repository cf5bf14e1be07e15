"""What of the demo takes long: takes, samples, a swap sheet, variations, a film; pages may be open meanwhile."""

from __future__ import annotations

import logging
from collections import deque
from collections.abc import Callable, Iterable
from concurrent.futures import Future
from pathlib import Path
from typing import Any

from innerbloom.core.declare.sound import Sound
from innerbloom.core.declare.spectrum_settings import Analysis
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.document import KIND as INSTRUMENT
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.materials.clip import ClipRequest
from innerbloom.core.materials.protocol import Stretch
from innerbloom.demo.card import make_card
from innerbloom.demo.film import film_bytes
from innerbloom.demo.making import TUNING, Making, Part
from innerbloom.demo.picture import put_to_picture
from innerbloom.demo.sampled import sample_over_keys, try_on_others
from innerbloom.demo.spectral import SPECTRA
from innerbloom.demo.takes import TAKES, make_take
from innerbloom.demo.varied import draw_lid_drops
from innerbloom.demo.wire import put_wire_on_bench
from innerbloom.jobs.materials import SPECTRUM
from innerbloom.store import documents, recordings
from innerbloom.store.files import FileStore
from innerbloom.store.prepared import prepare
from innerbloom.store.spectra import SpectrumStore

log = logging.getLogger(__name__)


def make_the_rest(making: Making) -> bool:
    """Make what is not there yet, side by side.

    Returns
    -------
    bool
        Whether all of it could be made: an instrument or a recording may have been deleted
        meanwhile, or a job been stopped.
    """
    making.say("Playing takes, taking sounds apart, sampling, drawing variations")
    film = making.pool.submit(film_bytes)
    card = making.pool.submit(make_card, making.files.card)
    parts = [
        put_wire_on_bench(making),
        _prepared(making),
        *(make_take(making, plan) for plan in TAKES),
        _take_apart(making),
        sample_over_keys(making),
        try_on_others(making),
        draw_lid_drops(making),
        put_to_picture(making, film),
        iter([card.result]),
    ]
    return _side_by_side(parts) == 0


def _side_by_side(parts: Iterable[Part]) -> int:
    """Begin each part's first job, then go on with each in turn as its job ends; gives how many
    could not be made."""
    going: deque[tuple[Part, Callable[[], object]]] = deque((one, lambda: None) for one in parts)
    failed = 0
    while going:
        part, wait = going.popleft()
        try:
            wait()
            going.append((part, next(part)))
        except StopIteration:
            pass
        except (BloomError, LookupError) as error:
            log.warning("A part of the demo is left out: %s", error)
            failed += 1
    return failed


def _take_apart(making: Making) -> Part:
    """Spectra on the shelf."""
    for name, taken in SPECTRA:
        if making.has(name):
            continue
        row = making.recording(taken)
        sound, _ = recordings.sound_of(row)
        analysed = sound.model_copy(update={"analysis": Analysis()})
        document = {"name": name, "sound": analysed.model_dump(mode="json")}
        params = {"tuning": TUNING, "origin": recordings.origin_of(row)}
        yield making.begin(SPECTRUM, name, params, document)


def _prepared(making: Making) -> Part:
    """Everything that playing would wait for, for all instruments."""
    begun = []
    for row in documents.listed(making.db, INSTRUMENT):
        for layer in parse_instrument(row.content).layers:
            begun += [_prepare(making, layer.kind, sound) for sound in layer.sounds]
    for one in begun:
        if one is not None:
            yield one.result


def _prepare(making: Making, kind: str, sound: Sound) -> Future[Any] | None:
    root = making.files.root
    if kind == "spectral":
        return making.pool.submit(_make_spectrum, root, sound)
    if sound.cycle is None:
        return making.pool.submit(prepare, root, ClipRequest(Stretch.of(sound)))
    return None


def _make_spectrum(root: Path, sound: Sound) -> None:
    SpectrumStore(FileStore(root)).make(sound)
