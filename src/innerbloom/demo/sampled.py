"""A demo set of samples of one instrument, and the same instrument tried on other recordings."""

from __future__ import annotations

from innerbloom.core.deliver.samples.document import KIND as SAMPLES
from innerbloom.core.deliver.samples.document import parse_samples
from innerbloom.demo.making import Making, Part
from innerbloom.jobs.sampling import SAMPLE
from innerbloom.jobs.swapping import SWAP
from innerbloom.store.recordings import sound_of

SAMPLED = "Ribs under water"
TRIED = ("Blown jar", "Sluice wheel", "Reed stems in a gust")
"""Recordings that the instrument is tried on."""


def sample_over_keys(making: Making) -> Part:
    """A set for a game's engine."""
    instrument = making.instrument(SAMPLED)
    settings = {"key_low": 48, "key_high": 72, "step": 12, "placing": "evenly", "velocities": 2,
                "seconds": 2.0}  # fmt: skip
    made = parse_samples({
        "name": f"{instrument.name}, keys", "instrument": instrument.id,
        "instrument_name": instrument.name, "names": "ribs_{root}_{velocity}", "settings": settings,
    })  # fmt: skip
    row = making.kept(SAMPLES, made)
    asked = {"set": row.content, "instrument": instrument.content}
    yield making.begin(SAMPLE, row.name, {"samples": row.id}, asked)


def try_on_others(making: Making) -> Part:
    """A swap sheet."""
    instrument = making.instrument(SAMPLED)
    rows = [making.recording(one) for one in TRIED]
    candidates = [
        {"digest": row.digest, "name": row.name, "root": sound_of(row)[0].root} for row in rows
    ]
    params = {"instrument": instrument.id, "name": instrument.name, "key": 60, "seconds": 2.0,
              "scheduler": ""}  # fmt: skip
    asked = {"instrument": instrument.content, "candidates": candidates, "problems": []}
    yield making.begin(SWAP, instrument.name, params, asked)
