"""Real recordings from freely licensed Debian packages; tests skip where they are missing."""

from __future__ import annotations

import io
import struct
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf

SHARE = Path("/usr/share")
CAT = SHARE / "games/openttd/baseset/opensfx/opensfx.cat"
ALSA = SHARE / "sounds/alsa"
ICONS = SHARE / "sounds/sound-icons"
KITS = SHARE / "hydrogen/data/drumkits"
WIND = SHARE / "games/lugaru/Sounds/Wind.ogg"
STEPS = SHARE / "games/minetest/games/minetest_game/mods/default/sounds"


def effects() -> list[tuple[np.ndarray, int]]:
    """All WAV files inside the packed one."""
    if not CAT.is_file():
        pytest.skip("the package openttd-opensfx is not installed")
    data, out, at = CAT.read_bytes(), [], 0
    while (at := data.find(b"RIFF", at)) >= 0:
        size = struct.unpack("<I", data[at + 4 : at + 8])[0] + 8
        try:
            inside = io.BytesIO(data[at : at + size])
            samples, rate = sf.read(inside, dtype="float32", always_2d=True)
        except sf.LibsndfileError:
            samples, rate = np.zeros((0, 1), np.float32), 0
        if len(samples):
            out.append((samples, rate))
        at += 8
    return out


def folder(path: Path, package: str) -> list[tuple[np.ndarray, int]]:
    if not path.is_dir():
        pytest.skip(f"the package {package} is not installed")
    found = [sf.read(one, dtype="float32", always_2d=True) for one in sorted(path.glob("*.wav"))]
    return [(samples, rate) for samples, rate in found if len(samples)]
