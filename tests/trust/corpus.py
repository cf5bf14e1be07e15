"""Valid files of every format that is read, and files damaged by a seed."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import soundfile as sf

from innerbloom.core.prepare.lineage import add_lineage, lineage_of
from innerbloom.core.prepare.recipe import parse_recipe
from innerbloom.core.sound.loop import Loop
from innerbloom.core.sound.metadata import Origin
from innerbloom.core.sound.sampler import add_sampler
from innerbloom.core.sound.takes import Take, add_ixml, add_markers
from innerbloom.core.sound.writing import write_sound
from tests.core.test_damaged_files import _MAKERS
from tests.core.test_decoding import CODECS, FILMS, write
from tests.engines import sine

RATE = 48_000
SECONDS = 0.25


def _plain(suffix: str, subtype: str) -> Callable[[Path], Path]:
    def make(folder: Path) -> Path:
        path = folder / f"tone.{suffix}"
        sf.write(path, np.stack([sine(220.0, SECONDS)] * 2, axis=1), RATE, subtype)
        return path

    return make


def _told(folder: Path) -> Path:
    """A recording with every chunk that is read."""
    path = folder / "told.wav"
    origin = Origin("Reeds", "By the weir", "A. Listener", "CC0", "2031-03-03")
    write_sound(path, [sine(220.0, SECONDS)[:, None]], RATE, 1, origin=origin, history="A=PCM\r\n")
    add_ixml(path, Take(scene="4", take="2", note="wind", place="Weir"))
    add_markers(path, [100, 2_000])
    add_sampler(path, RATE, 57.0, Loop(1_000, 5_000))
    recipe = parse_recipe({"steps": [{"do": "normalise"}]})
    add_lineage(path, lineage_of(path, "0" * 64, recipe), 57.0)
    return path


def _foreign(suffix: str) -> Callable[[Path], Path]:
    def make(folder: Path) -> Path:
        path = folder / f"tone.{suffix}"
        codec, form = CODECS[suffix]
        write(path, codec, form, sine(220.0, SECONDS), FILMS.get(suffix, ""))
        return path

    return make


RECORDINGS: dict[str, Callable[[Path], Path]] = {
    "wav16": _plain("wav", "PCM_16"),
    "wav24": _plain("wav", "PCM_24"),
    "wav32f": _plain("wav", "FLOAT"),
    "rf64": _plain("rf64", "PCM_24"),
    "aiff": _plain("aiff", "PCM_24"),
    "flac": _plain("flac", "PCM_24"),
    "ogg": _plain("ogg", "VORBIS"),
    "mp3": _plain("mp3", "MPEG_LAYER_III"),
    "au": _plain("au", "PCM_16"),
    "caf": _plain("caf", "PCM_16"),
    "told": _told,
    **{suffix: _foreign(suffix) for suffix in CODECS},
}

_LAYER = {"id": "l1", "name": "x", "kind": "noise", "effects": [{"id": "e1", "kind": "room"}]}
_INSTRUMENT = {
    "name": "x",
    "layers": [_LAYER],
    "modulators": [{"id": "m1", "name": "x", "kind": "lfo"}],
    "routes": [{"id": "r1", "source": "m:m1", "target": "l1", "parameter": "level", "depth": 6}],
}
DOCUMENTS: dict[str, dict] = {
    "instrument": _INSTRUMENT,
    "ensemble": {"format": "inner-bloom/ensemble", "name": "x", "players": [
        {"id": "p1", "name": "x", "document": _INSTRUMENT}]},
    "recipe": {"format": "inner-bloom/recipe", "steps": [
        {"do": "cut", "start": 0.1, "end": 0.2}, {"do": "normalise"}]},
    "table": {"format": "inner-bloom/wavetable", "name": "x", "source": {
        "kind": "waves", "operators": [{"id": "o1", "wave": "saw"}]}},
    "chain": {"format": "inner-bloom/chain", "name": "x", "effects": [{"id": "e1", "kind": "echo"}]},
    "timeline": {"format": "inner-bloom/timeline", "name": "x"},
}  # fmt: skip


def scala() -> tuple[bytes, bytes]:
    """A scale and a mapping, after the formats' own description."""
    scale = b"! x.scl\n!\nx\n 5\n!\n 240.0\n 3/2\n 720.0\n 960.0\n 2/1\n"
    return scale, b"! x.kbm\n12\n0\n127\n60\n69\n440.0\n12\n" + b"\n".join(
        b"%d" % key for key in range(12)
    )


def texts() -> dict[str, bytes]:
    """Lists of scenes and scales, as they are valid."""
    scale, mapping = scala()
    edl = (
        b"TITLE: X\nFCM: NON-DROP FRAME\n\n001  AX       V     C        "
        b"00:00:00:00 00:00:02:00 00:00:00:00 00:00:02:00\n* FROM CLIP NAME: WEIR\n"
    )
    csv = b"start,name\n00:00:00:00,Weir\n00:00:04:00,Sluice\n"
    return {"scl": scale, "kbm": mapping, "edl": edl, "csv": csv}


def packed(kind: str) -> bytes:
    """A bundle, take, spectrum, wavetable or MIDI file."""
    with TemporaryDirectory() as folder:
        return _MAKERS[kind](Path(folder))


def damaged(whole: bytes, random: np.random.Generator) -> bytes:
    """Bits turned, bytes taken out, doubled, zeroed or set to the largest there is, the end cut off."""
    data = bytearray(whole)
    for _ in range(int(random.integers(1, 5))):
        at = int(random.integers(0, max(1, len(data))))
        size = int(random.choice([1, 2, 4, 8, 64, 512]))
        match int(random.integers(0, 7)):
            case 0:
                data[at : at + 1] = bytes([random.integers(0, 256)])
            case 1:
                del data[at : at + size]
            case 2:
                data[at:at] = data[at : at + size]
            case 3:
                data[at : at + size] = bytes(min(size, len(data) - at))
            case 4:
                data[at : at + 4] = b"\xff\xff\xff\xff"[: len(data) - at]
            case 5:
                data[at : at + size] = random.bytes(min(size, len(data) - at))
            case _:
                del data[at:]
        if not data:
            break
    return bytes(data)


def altered(plain: object, random: np.random.Generator) -> object:
    """Plain data with one thing in it replaced by something else that JSON can say."""
    strange = [None, True, -1, 0, 1e308, 10**30, "", "x" * 5_000, "\x00", [], {}, [[[]]], {"a": {"b": []}},
               float(random.normal()), "m:m9", "../../etc", -0.0, 2**63]  # fmt: skip
    text = json.loads(json.dumps(plain))
    at: object = text
    for _ in range(int(random.integers(1, 7))):
        inside = (
            list(at)
            if isinstance(at, dict)
            else list(range(len(at)))
            if isinstance(at, list)
            else []
        )
        if not inside:
            break
        key = inside[int(random.integers(0, len(inside)))]
        if random.random() < 0.35 or not isinstance(at[key], dict | list):
            at[key] = strange[int(random.integers(0, len(strange)))]
            break
        at = at[key]
    if isinstance(at, dict) and random.random() < 0.2:
        at["unheard of"] = 1
    return text
