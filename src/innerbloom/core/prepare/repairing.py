"""Steps that mend and colour: clicks, clipping, an equaliser."""

from __future__ import annotations

from typing import Any

from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.prepare import words as w
from innerbloom.core.prepare.clip import Clip
from innerbloom.core.prepare.declare import Context, StepKind
from innerbloom.core.process.equalise import Band, equalise
from innerbloom.core.process.repair import remove_clicks, repair_clipping

_BELLS = (1, 2, 3)
_CENTRES = (250, 1_000, 4_000)


def declick(clip: Clip, step: Any, context: Context) -> Clip:
    """Make what clicks cover anew from the sound around them."""
    return clip.with_samples(
        remove_clicks(
            clip.samples,
            clip.rate,
            threshold=step.threshold,
            longest_ms=step.longest,
            progress=context.told,
        )
    )


def declip(clip: Clip, step: Any, context: Context) -> Clip:
    """Make peaks that were cut off anew; they rise above where they were cut."""
    return clip.with_samples(repair_clipping(clip.samples, clip.rate, context.told))


def bands_of(step: Any) -> list[Band]:
    """The bands of an equaliser step."""
    bells = [
        Band("bell", *(getattr(step, f"{name}_{n}") for name in ("bell", "gain", "q")))
        for n in _BELLS
    ]
    low = Band("low shelf", step.low_shelf, step.low_gain)
    return [low, *bells, Band("high shelf", step.high_shelf, step.high_gain)]


def equaliser(clip: Clip, step: Any, context: Context) -> Clip:
    """Raise and lower bands of frequencies."""
    return clip.with_samples(equalise(clip.samples, clip.rate, bands_of(step)))


def _in_words(step: Any) -> str:
    said = [
        f"{w.signed(band.gain_db, 'dB', 1)} at {w.hertz(band.hz)}"
        for band in bands_of(step)
        if band.gain_db != 0.0
    ]
    return ", ".join(said) or "flat"


def _gain(id_: str, what: str) -> P:
    return P(id_, "gain", "", "dB", -24, 24, 0, f"Gain of the {what}.", "decibel")


DECLICK = StepKind(
    "declick",
    "Remove clicks",
    "Find short clicks and make what they cover anew.",
    "Clean and level",
    declick,
    lambda s: f"up to {s.longest:g} ms that stand out {s.threshold:g} times",
    (
        P("threshold", "stands out", "", "x", 4, 40, 16, "How far a click stands out of what the "
          "sound around it lets expect; lower finds more.", "log"),
        P("longest", "longest", "", "ms", 0.1, 5, 1, "Longer bursts are strikes and stay.", "log"),
    ),
    order=17,
)  # fmt: skip

DECLIP = StepKind(
    "declip",
    "Repair clipping",
    "Make peaks that were cut off anew; they rise above where they were cut.",
    "Clean and level",
    declip,
    lambda s: "peaks that were cut off",
    order=16,
)

EQUALISER = StepKind(
    "equaliser",
    "Equalise",
    "Raise and lower bands of frequencies.",
    "Clean and level",
    equaliser,
    _in_words,
    (
        P("low_shelf", "low shelf", "", "Hz", 30, 2_000, 120, "Where the low shelf has half its "
          "gain.", "log"),
        _gain("low_gain", "low shelf"),
        *(
            one
            for n, centre in zip(_BELLS, _CENTRES, strict=True)
            for one in (
                P(f"bell_{n}", f"bell {n}", "", "Hz", 30, 20_000, centre, "Its centre.", "log"),
                _gain(f"gain_{n}", f"bell {n}"),
                P(f"q_{n}", "Q", "", "", 0.2, 8, 1, "Centre over bandwidth.", "log"),
            )
        ),
        P("high_shelf", "high shelf", "", "Hz", 1_000, 20_000, 8_000, "Where the high shelf has "
          "half its gain.", "log"),
        _gain("high_gain", "high shelf"),
    ),
    filters=True,
    order=28,
)  # fmt: skip
