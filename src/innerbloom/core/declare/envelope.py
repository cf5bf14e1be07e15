"""Declarations of an envelope, in the order in which kernels read them."""

from __future__ import annotations

from innerbloom.core.declare.parameters import Choice, Declared
from innerbloom.core.declare.parameters import Parameter as P


# fmt: off
def envelope(prefix: str, group: str, of: str, **defaults: float) -> tuple[Declared, ...]:
    """The thirteen settings of an envelope, in the order the engine reads them."""
    def time(id_: str, name: str, help_: str, low: float, high: float, default: float) -> P:
        scale = "log" if low > 0 else "cubic"
        return P(prefix + id_, name, group, "ms", low, high, defaults.get(id_, default), help_,
                 scale, "voice")  # type: ignore[arg-type]

    def share(id_: str, name: str, help_: str, default: float, low: float = 0) -> P:
        return P(prefix + id_, name, group, "%", low, 100, defaults.get(id_, default), help_,
                 scope="voice")

    bend = "Below zero it starts slowly, above it starts fast."
    return (
        time("delay", "delay", f"Wait before {of} begins.", 0, 20_000, 0),
        time("attack", "attack", "Time to rise to the peak.", 0.5, 20_000, 180),
        time("hold", "hold", "Time spent at the peak.", 0, 20_000, 0),
        time("decay", "decay", "Time to fall from the peak to the sustain level.", 1, 20_000, 800),
        share("sustain", "sustain", "Level held while the key is down.", 85),
        time("release", "release", "Time to the end level once the key is up.", 1, 30_000, 1_400),
        share("attack_curve", "attack curve", f"Curve of the rise. {bend}", 20, -100),
        share("decay_curve", "decay curve", f"Curve of the fall to sustain. {bend}", 50, -100),
        share("release_curve", "release curve", f"Curve of the end. {bend}", 60, -100),
        share("start_level", "start", "Level at which the rise begins.", 0),
        share("peak_level", "peak", "Level at which the rise ends.", 100),
        share("end_level", "end", f"Level at which {of} comes to rest.", 0),
        Choice(prefix + "repeat", "repeat", ("off", "on"), "off",
               "Starts again after the decay for as long as the key is down.", group),
    )
# fmt: on
