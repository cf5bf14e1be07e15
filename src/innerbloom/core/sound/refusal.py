"""Why a file cannot be read, in one sentence: as much as its first bytes tell."""

from __future__ import annotations

import struct
from pathlib import Path

from innerbloom.core.sound.metadata import riff_chunks

_FORMAT = struct.Struct("<HHIIHH")
_CODECS = {1: "PCM", 3: "floating point", 6: "A-law", 7: "mu-law", 0xFFFE: "extensible PCM"}
_BITS = (8, 16, 24, 32, 64)


def why_unreadable(path: Path) -> str:
    """A sentence that names the file and says what is the matter with it."""
    name, size = path.name, path.stat().st_size
    if size == 0:
        return f"'{name}' is empty (0 bytes): export it again."
    with path.open("rb") as file:
        head = file.read(512)
    if head[:4] in (b"RIFF", b"RF64") and head[8:12] == b"WAVE":
        return _why_wav(path)
    if _is_text(head):
        return f"'{name}' is text, not sound."
    return (
        f"'{name}' is not a sound file that can be read here: "
        "its content is damaged or of another kind."
    )


def _is_text(head: bytes) -> bool:
    try:
        # the last letter may be cut
        text = head.decode("utf-8", "strict" if len(head) < 512 else "ignore")
    except UnicodeDecodeError:
        return False
    return all(letter.isprintable() or letter in "\r\n\t" for letter in text)


def _why_wav(path: Path) -> str:
    name = path.name
    with path.open("rb") as file:
        for chunk, offset, _ in riff_chunks(file):
            file.seek(offset)
            said = file.read(_FORMAT.size)
            if chunk != b"fmt " or len(said) < _FORMAT.size:
                continue
            codec, channels, rate, _, _, bits = _FORMAT.unpack(said)
            if codec not in _CODECS:
                return (
                    f"'{name}' is a WAV file of codec {codec:#06x}, which cannot be decoded here: "
                    "export it as PCM."
                )
            if bits not in _BITS:
                return (
                    f"'{name}' says it has {bits} bits a sample; 8, 16, 24, 32 and 64 can be "
                    "read: export it with one of these."
                )
            return (
                f"'{name}' is a WAV file whose header cannot be right ({channels} channels at "
                f"{rate} Hz, {bits} bits) or whose content is damaged: export it again."
            )
    return f"'{name}' begins like a WAV file but says nothing of its format: it is damaged."
