"""Takes: as a file that another project takes in, and their hands as MIDI."""

from __future__ import annotations

from pathlib import Path
from tempfile import TemporaryDirectory

from innerbloom.core.atomic import written_whole
from innerbloom.core.deliver.exporters.kind import Exporter
from innerbloom.core.deliver.exporters.subjects import TakeSubject
from innerbloom.core.deliver.take_file import SUFFIX, unpack_take, write_take
from innerbloom.core.performance.midi import events_from_midi
from innerbloom.core.performance.midi_out import midi_of
from innerbloom.core.performance.take import RATE, Take

_BEND = 2.0


def _file(subject: TakeSubject, target: Path) -> None:
    write_take(target, subject.header, subject.take, subject.sound)


def _unpacked(path: Path) -> Take:
    with TemporaryDirectory() as folder:
        return unpack_take(path, Path(folder))[1]


def _midi(subject: TakeSubject, target: Path) -> None:
    with written_whole(target) as beside:
        beside.write_bytes(midi_of(subject.take, subject.header.tempo))


TAKE_FILE = Exporter(
    "take", "take", "The take as a file", SUFFIX, "application/zip", _file, _unpacked
)
TAKE_MIDI = Exporter(
    "midi", "take", "Its hands as a MIDI file", ".mid", "audio/midi", _midi,
    lambda path: events_from_midi(path.read_bytes(), RATE, _BEND),
)  # fmt: skip
