"""How the settings of wavetable recipes are shown: names, units and help for the fields declared in
:mod:`.document`, whose ranges and defaults are taken from there."""

from __future__ import annotations

from typing import Any, Literal, get_args, get_origin

from pydantic import BaseModel

from innerbloom.core.declare.parameters import Choice, Declared, Parameter, Scale
from innerbloom.core.materials.wavetable import document as d


def _bounds(model: type[BaseModel], field: str) -> tuple[float, float]:
    """The least and greatest value that a field may have."""
    low, high = None, None
    for one in model.model_fields[field].metadata:
        low = getattr(one, "ge", low)
        high = getattr(one, "le", high)
    if low is None or high is None:
        raise ValueError(f"{model.__name__}.{field} has no range")
    return float(low), float(high)


def _default(model: type[BaseModel], field: str) -> Any:
    return model.model_fields[field].default


def _rule(
    model: type[BaseModel],
    field: str,
    name: str,
    unit: str,
    help_: str,
    scale: Scale = "linear",
    *,
    start_from: float | None = None,
    **narrower: Any,
) -> Parameter:
    """A field as a rule; ``low`` and ``high`` narrow its bounds where it does not need them all."""
    least, most = _bounds(model, field)
    start = _default(model, field) if start_from is None else start_from
    return Parameter(
        field,
        name,
        "",
        unit,
        narrower.get("low", least),
        narrower.get("high", most),
        float(start),
        help_,
        scale,
        movable=False,
        whole_number=narrower.get("whole", False),
    )


def _words(model: type[BaseModel], field: str, name: str, help_: str) -> Choice:
    annotation = model.model_fields[field].annotation
    assert get_origin(annotation) is Literal
    return Choice(field, name, get_args(annotation), _default(model, field), help_, "")


_R, _O = d.FromRecording, d.Operator

RECORDING: tuple[Declared, ...] = (
    _words(
        _R,
        "by",
        "taken by",
        "Its own cycles where it has a clear pitch, its spectrum gathered "
        "at the multiples of a root, or stretches closed at their seam.",
    ),
    _rule(_R, "frames", "frames", "", "How many are taken.", "log", low=2, high=256, whole=True),
    _words(_R, "spread", "spread", "Evenly in time, by how much the timbre changes, or by hand."),
    _rule(
        _R,
        "together",
        "cycles together",
        "",
        "Cycles looked at together: more are steadier, fewer follow faster.",
        "log",
        whole=True,
    ),
    _rule(_R, "stretch_ms", "stretch", "ms", "Length of what is taken as one period.", "log"),
    _rule(_R, "closed", "closed over", "", "Share of a stretch over which its seam is crossed."),
    _words(_R, "level", "level", "All frames equally loud, or as they are in the recording."),
    _words(
        _R,
        "phases",
        "phases",
        "One phase of each harmonic for all frames, so that they cross "
        "over evenly; as they are; or all from zero.",
    ),
)

WAVES: tuple[Declared, ...] = (
    _rule(
        d.FromWaves,
        "frames",
        "frames",
        "",
        "How many there are from start to end.",
        "log",
        low=1,
        whole=True,
    ),
)

_AMOUNT_HELP = (
    "Level where it is heard, peak phase deviation in radians where it modulates; "
    "the least counts as nothing."
)
OPERATOR: tuple[Declared, ...] = (
    _words(_O, "wave", "wave", "What it is made of."),
    _rule(
        _O,
        "harmonic",
        "harmonic",
        "",
        "Cycles in a period; what is left of a fraction is cut.",
        high=32,
    ),
    _rule(_O, "phase", "phase", "", "Where it begins."),
    Parameter(
        "start",
        "at the start",
        "",
        "",
        d.LEAST_AMOUNT,
        d.MOST_AMOUNT,
        1.0,
        _AMOUNT_HELP,
        "log",
        movable=False,
    ),
    Parameter(
        "end",
        "at the end",
        "",
        "",
        d.LEAST_AMOUNT,
        d.MOST_AMOUNT,
        1.0,
        _AMOUNT_HELP,
        "log",
        movable=False,
    ),
    Parameter(
        "bend", "bend", "", "%", -100, 100, 0.0, "How the amount goes between.", movable=False
    ),
)

STEPS: dict[str, tuple[str, str, tuple[Declared, ...]]] = {
    "between": (
        "morph",
        "Frames drawn between frames.",
        (
            _rule(d.Between, "first", "from frame", "", "Where it begins.", whole=True),
            _rule(
                d.Between, "last", "to frame", "", "Where it ends, or the table's end.", whole=True
            ),
            _rule(
                d.Between, "frames", "frames", "", "How many there are to be.", "log", whole=True
            ),
            _words(
                d.Between, "by", "by", "Samples crossed over, or levels and phases of harmonics."
            ),
        ),
    ),
    "tilt": (
        "tilt",
        "Brighter or darker.",
        (_rule(d.Tilt, "db_per_octave", "tilt", "dB", "Added with every octave."),),
    ),
    "keep": (
        "keep harmonics",
        "Leaves the others out.",
        (
            _words(d.Keep, "which", "which", "All, the odd or the even ones."),
            _rule(d.Keep, "lowest", "from", "", "The first that is kept.", "log", whole=True),
            _rule(d.Keep, "highest", "to", "", "The last that is kept.", "log", whole=True),
        ),
    ),
    "level": (
        "level",
        "How loud frames are.",
        (
            _words(
                d.Level, "to", "to", "Each frame to one peak or one level, or the whole as it is."
            ),
        ),
    ),
    "phases": (
        "phases",
        "Where harmonics begin.",
        (_words(d.Phases, "to", "to", "All from zero, one for all frames, or for a low peak."),),
    ),
    "smooth": (
        "smooth",
        "Neighbours mixed along the table.",
        (_rule(d.Smooth, "frames", "over", "", "Frames it reaches over.", "log"),),
    ),
}
"""Steps that have settings: name, help and what can be set."""
