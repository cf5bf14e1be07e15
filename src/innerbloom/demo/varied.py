"""A demo set of variations: drops on a kettle lid, drawn, the most unlike kept."""

from __future__ import annotations

from innerbloom.core.deliver.variation_set import KIND as VARIATIONS
from innerbloom.core.deliver.variation_set import parse_variations
from innerbloom.demo.making import Making, Part
from innerbloom.jobs.varying import DRAW


def draw_lid_drops(making: Making) -> Part:
    """A set, drawn."""
    instrument = making.instrument("Lid rain")
    settings = {"drawn": 16, "kept": 8, "seed": 7, "seconds": 0.6, "key_low": 52, "key_high": 76,
                "velocity_low": 50, "velocity_high": 120}  # fmt: skip
    made = parse_variations({
        "name": "Lid drops", "instrument": instrument.id, "instrument_name": instrument.name,
        "names": "drop_{number}_{root}", "settings": settings,
    })  # fmt: skip
    row = making.kept(VARIATIONS, made)
    asked = {"set": row.content, "instrument": instrument.content, "take": None}
    yield making.begin(DRAW, row.name, {"variations": row.id}, asked)
