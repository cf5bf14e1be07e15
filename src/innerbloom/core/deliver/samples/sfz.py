"""An SFZ map: plain text that says which sample plays for which keys and velocities.

Opcodes are those of the format's open documentation; a loop's end is inclusive, ``volume`` is in dB,
``ampeg_release`` in seconds, and a point of ``amp_velcurve_N`` the gain, 0..1, at velocity N.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from innerbloom.core.deliver.samples.zones import Zone
from innerbloom.core.sound.loop import Loop

Curve = list[tuple[int, float]]


@dataclass(frozen=True)
class Region:
    """A sample file and what it plays for.

    Attributes
    ----------
    file : str
        Relative to the map.
    loop : Loop or None
        In frames of the file.
    release_s : float
        Seconds in which it fades when the key is let go.
    released : bool
        Whether it is what sounds when the key is let go, rather than when it is struck.
    """

    file: str
    zone: Zone
    loop: Loop | None = None
    release_s: float = 0.0
    released: bool = False


@dataclass(frozen=True)
class SfzMap:
    """All regions of an instrument.

    Attributes
    ----------
    volume_db : float
        By how much files are played louder than they are written.
    turns : int
        How many samples of a note take turns.
    curves : mapping of (softest, hardest) to list of (velocity, gain)
    """

    title: str
    regions: list[Region]
    volume_db: float = 0.0
    turns: int = 1
    curves: Mapping[tuple[int, int], Curve] = field(default_factory=dict)

    def text(self) -> str:
        """The map as text."""
        lines = [f"// {line}" for line in self.title.splitlines()]
        lines += ["", "<global>", f"volume={self.volume_db:.2f}"]
        for key in dict.fromkeys(one.zone.key for one in self.regions):
            regions = [one for one in self.regions if one.zone.key == key]
            zone = regions[0].zone
            head = {"lokey": zone.lowest, "hikey": zone.highest, "pitch_keycenter": key}
            lines += ["", "<group>", _opcodes(head.items())]
            for one in regions:
                lines += ["<region>", _opcodes(self._region(one))]
        return "\n".join(lines) + "\n"

    def _region(self, one: Region) -> Iterable[tuple[str, object]]:
        zone = one.zone
        # last on its line, since names may hold spaces
        yield "lovel", zone.softest
        yield "hivel", zone.hardest
        if self.turns > 1:
            yield "seq_length", self.turns
            yield "seq_position", zone.turn + 1
        for velocity, gain in self.curves.get((zone.softest, zone.hardest), []):
            yield f"amp_velcurve_{velocity}", f"{gain:.4f}"
        if one.released:
            yield "trigger", "release"
            yield "loop_mode", "one_shot"
        elif one.loop is not None:
            yield "loop_mode", "loop_continuous"
            yield "loop_start", one.loop.start
            yield "loop_end", one.loop.end - 1
        else:
            yield "loop_mode", "no_loop"
        if not one.released:
            yield "ampeg_release", f"{one.release_s:.3f}"
        yield "sample", one.file


def _opcodes(pairs: Iterable[tuple[str, object]]) -> str:
    return "\n".join(f"{name}={value}" for name, value in pairs)
