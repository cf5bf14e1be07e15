"""A small reader of SFZ maps that plays them, by the format's open documentation (from memory).

It knows what our maps use and fails on anything else, so that nothing is passed over.
"""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import soundfile as sf

KNOWN = {
    "volume", "lokey", "hikey", "pitch_keycenter", "lovel", "hivel", "seq_length", "seq_position",
    "trigger", "loop_mode", "loop_start", "loop_end", "ampeg_release", "sample",
}  # fmt: skip


def read(path: Path) -> list[dict[str, str]]:
    """All regions, each with what the global and its group say."""
    regions: list[dict[str, str]] = []
    scope: dict[str, dict[str, str]] = {"global": {}, "group": {}, "region": {}}
    now = ""
    for line in path.read_text("utf-8").splitlines():
        line = line.split("//")[0].strip()
        if header := re.fullmatch(r"<(\w+)>", line):
            now = header[1]
            scope[now] = {}
            if now == "region":
                regions.append(scope["region"])
                regions[-1].update(scope["global"] | scope["group"])
        elif line:
            name, value = line.split("=", 1)
            assert name in KNOWN or name.startswith("amp_velcurve_"), name
            scope[now][name] = value
    return regions


class SfzPlayer:
    """Plays single notes of a map, at the rate of its files."""

    def __init__(self, path: Path) -> None:
        self.folder, self.regions = path.parent, read(path)

    def matching(
        self, key: int, velocity: int, trigger: str, turn: int = 0
    ) -> list[dict[str, str]]:
        return [
            one for one in self.regions
            if int(one["lokey"]) <= key <= int(one["hikey"])
            and int(one["lovel"]) <= velocity <= int(one["hivel"])
            and one.get("trigger", "attack") == trigger
            and int(one.get("seq_position", 1)) == turn % int(one.get("seq_length", 1)) + 1
        ]  # fmt: skip

    def note(self, key: int, velocity: int, held_s: float, after_s: float, turn: int = 0):
        """A note held so long, and what follows, shape (frames, 2)."""
        (struck,) = self.matching(key, velocity, "attack", turn)
        sound, rate = self._sound(struck, key, held_s + after_s, velocity)
        held = round(held_s * rate)
        fade = max(1, round(float(struck["ampeg_release"]) * rate))
        if struck["loop_mode"] != "no_loop" or held < len(sound):
            # the common shape of a release: even in dB, and gone at its end
            gains = 10.0 ** (-3.0 * np.arange(len(sound) - held).clip(0) / fade)
            sound[held:] *= np.where(np.arange(len(gains)) < fade, gains, 0.0)[:, None]
        for released in self.matching(key, velocity, "release", turn):
            tail, _ = self._sound(released, key, after_s, velocity)
            sound[held:] += tail[: len(sound) - held]
        return sound, rate

    def _sound(self, region, key: int, seconds: float, velocity: int):
        samples, rate = sf.read(self.folder / region["sample"], always_2d=True)
        speed = 2.0 ** ((key - int(region["pitch_keycenter"])) / 12.0)
        at = np.arange(round(seconds * rate)) * speed
        if region["loop_mode"] == "loop_continuous":
            start, end = int(region["loop_start"]), int(region["loop_end"]) + 1
            at = np.where(at < end, at, start + (at - start) % (end - start))
        # silence after the end
        padded = np.concatenate((samples, np.zeros((2, 2))))
        read_at = [
            np.interp(at, np.arange(len(padded)), channel, right=0.0) for channel in padded.T
        ]
        gain = 10.0 ** (float(region["volume"]) / 20.0) * _velocity_gain(region, velocity)
        return gain * np.stack(read_at, axis=1), rate


def _velocity_gain(region: dict[str, str], velocity: int) -> float:
    points = sorted(
        (int(name.rsplit("_", 1)[1]), float(value))
        for name, value in region.items() if name.startswith("amp_velcurve_")
    )  # fmt: skip
    if not points:
        return (velocity / 127.0) ** 2  # the format's own curve
    return float(np.interp(velocity, *zip(*points, strict=True)))
