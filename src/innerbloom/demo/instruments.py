"""The three demo instruments, as settings over a grown cloud."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from innerbloom.core.instrument.document import Instrument, parse_instrument
from innerbloom.core.instrument.grow import grow_cloud, narrowed
from innerbloom.core.pitch_names import hz_to_note


@dataclass(frozen=True)
class Plan:
    """What to change on a fresh cloud of one recording, and how loud its sides are: see :func:`.narrowed`."""

    name: str
    recording: str
    petal: str
    notes: str
    settings: dict[str, float | str] = field(default_factory=dict)
    gain_db: float = 0.0
    slide: float = 15.0
    side_db: float | None = None


# fmt: off
INSTRUMENTS: tuple[Plan, ...] = (
    Plan("Ribs under water", "Bowed fence wire", "madder",
         "The iron ribs of the glasshouse, humming. Slow attack; lift a finger to move along the wire.",
         {"position": 30, "position_scatter": 9, "motion": "speed", "drift": 0.3, "size": 320, "density": 22,
          "regularity": 20, "pitch_scatter": 9, "stereo_scatter": 75, "attack": 620, "release": 3_800,
          "attack_curve": -20}, slide=30),
    Plan("Ice choir", "Ice settling on the pond", "lichen",
         "Cracks of the pond stretched into voices. No root: C4 plays it as recorded.",
         {"position": 18, "position_scatter": 7, "motion": "speed", "drift": 0.2, "size": 520, "density": 12,
          "regularity": 10, "pitch": -5, "pitch_scatter": 14, "direction": 25, "stereo_scatter": 90,
          "level_scatter": 6, "attack": 900, "release": 6_500}, gain_db=7.0, slide=40, side_db=-0.9),
    Plan("Lid rain", "Kettle lid", "ochre",
         "The kettle lid broken into drops, each a pitched tick; play it in chords.",
         {"position": 6, "position_scatter": 5, "size": 90, "density": 9, "regularity": 5,
          "softness": 35, "pitch_scatter": 4, "direction": 12, "stereo_scatter": 100,
          "level_scatter": 14, "attack": 4, "attack_curve": 0, "sustain": 70, "decay": 2_500,
          "release": 1_600}, gain_db=5.5, slide=50),
)
# fmt: on


def make_instrument(plan: Plan, digest: str, measured: dict[str, Any]) -> Instrument:
    """The document of a demo instrument over a measured recording."""
    root_hz = measured["root_hz"]
    grown = grow_cloud(
        plan.recording, duration_s=measured["duration_s"], recording=digest,
        root=None if root_hz is None else hz_to_note(root_hz), loudness_lufs=measured["lufs"],
    )  # fmt: skip
    document = grown.model_dump(mode="json")
    layer = document["layers"][0]
    layer["petal"] = plan.petal
    layer["settings"] |= plan.settings
    layer["sounds"][0]["gain_db"] += plan.gain_db
    for route in document["routes"]:
        if route["source"] == "slide":
            route["depth"] = plan.slide
    made = parse_instrument({**document, "name": plan.name, "notes": plan.notes})
    return made if plan.side_db is None else narrowed(made, plan.side_db)
