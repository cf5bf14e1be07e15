"""Every way out as a file: what can be read again is, and equals what went out."""

from __future__ import annotations

import json
import zipfile

import mido
import numpy as np
import opentimelineio as otio
import pytest
import soundfile as sf
from hypothesis import given
from hypothesis import strategies as st

from innerbloom.core.deliver.exporters import EXPORTERS, exporter_for
from innerbloom.core.deliver.exporters import subjects as sub
from innerbloom.core.deliver.exporters.opening import open_subject
from innerbloom.core.deliver.sources import beside
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.chains import add_effect, take_chain
from innerbloom.core.instrument.document import Scala, parse_instrument
from innerbloom.core.instrument.reuse import take_piece
from innerbloom.core.materials.spectrum.analyse import analyse
from innerbloom.core.materials.wavetable.document import parse_table
from innerbloom.core.materials.wavetable.make import make_table
from innerbloom.core.performance.events import Event
from innerbloom.core.performance.scala import key_offsets, read_mapping, read_scale
from innerbloom.core.performance.scala_out import mapping_text, scale_text
from innerbloom.core.performance.take import Take
from innerbloom.core.performance.take_format import header_of
from innerbloom.core.prepare.recipe import parse_recipe
from innerbloom.core.timeline.document import parse_timeline
from tests.engines import RATE, layered, sine
from tests.shell import bloom

SCALE = [None if key % 12 == 6 else 17.0 * (key % 5) - 20.0 for key in range(128)]


def instrument():
    made = layered(
        {"kind": "cloud"}, {"kind": "wave", "shape": "sine"},
        modulators=[{"kind": "lfo", "rate": 0.3}],
        routes=[{"source": "m:m1", "parameter": "cutoff", "depth": 1.0}],
    )  # fmt: skip
    made.name = "Reeds"
    made.tuning = Scala(name="Sluice scale", cents=SCALE)
    return add_effect(made, "l1", "echo")


def take():
    events = (
        Event("on", 1, 60.0, 0.8),
        Event("pressure", 1, 60.0, 0.5, 9_600),
        Event("off", 1, 60.0, 0.0, RATE),
    )
    document = instrument().model_dump(mode="json")
    return Take(document, events=events, frames=2 * RATE)


def table():
    source = {"kind": "waves", "operators": [{"id": "o1", "wave": "saw"}]}
    return parse_table({"name": "Saws", "source": source})


def timeline():
    return parse_timeline({
        "name": "Announcement", "lanes": [{"id": "l1", "name": "Water", "clips": [
            {"id": "c1", "name": "Reeds", "recording": "0" * 64, "start": 10, "seconds": 2.0}
        ]}], "scenes": [{"id": "s1", "name": "Panes", "start": 5}],
    })  # fmt: skip


@pytest.fixture
def subjects(tmp_path):
    """One of each kind that is exported."""
    sf.write(tmp_path / "tone.wav", sine(440.0, 1.0), RATE, "PCM_24")
    sf.write(tmp_path / "take.wav", np.stack([sine(220.0, 2.0)] * 2, axis=1), RATE, "FLOAT")
    document = instrument()
    spectrum = analyse(sine(220.0, 0.5)[:, None], RATE, 220.0)
    found = [
        sub.PlayableSubject(document, beside(tmp_path)),
        sub.TakeSubject(header_of(take(), instrument=1, name="Reeds", tempo=96.0), take(), tmp_path / "take.wav"),
        sub.TableSubject(table(), make_table(table(), lambda sound: None)),
        sub.SpectrumSubject("Reeds", spectrum),
        sub.TimelineSubject(timeline()),
        sub.PieceSubject("movement", take_piece(document, "m1")),
        sub.PieceSubject("chain", take_chain(document, "l1", "Wandering").model_dump(mode="json")),
        sub.PieceSubject("recipe", parse_recipe({"steps": [{"do": "reverse"}]}).plain()),
    ]  # fmt: skip
    return {one.kind: one for one in found}


def expected(exporter, subject):
    """What reading again has to give, in the shape that it gives it in."""
    if exporter.id == "bundle":
        return subject.document.name, len(subject.document.layers), subject.document.settings
    if exporter.id == "document":
        return subject.document
    if exporter.id == "tuning":
        return SCALE
    if exporter.id == "take":
        return subject.take.events
    if exporter.id == "midi":
        return [
            (one.kind, one.time, round(one.key))
            for one in subject.take.events
            if one.kind in ("on", "off")
        ]
    if exporter.id == "wavetable":
        return subject.table.waves().astype(np.float32).tolist()
    if exporter.id == "wavetable-recipe":
        return subject.document
    if exporter.id == "spectrum":
        return subject.spectrum.noise.tolist(), [one.hz.tolist() for one in subject.spectrum.tracks]
    if exporter.id == "otio":
        return ["Water"], [48]
    return subject.plain


def read_again(exporter, path):
    found = exporter.read(path)
    if exporter.id == "bundle":
        return found.name, len(found.layers), found.settings
    if exporter.id == "tuning":
        return [None if one is None else pytest.approx(one, abs=1e-4) for one in found]
    if exporter.id == "take":
        return found.events
    if exporter.id == "midi":
        return [(one.kind, one.time, round(one.key)) for one in found if one.kind in ("on", "off")]
    if exporter.id == "wavetable":
        return found.tolist()
    if exporter.id == "spectrum":
        return found.noise.tolist(), [one.hz.tolist() for one in found.tracks]
    if exporter.id == "otio":
        lanes = [one for one in found.tracks if one.kind == otio.schema.TrackKind.Audio]
        return ([one.name for one in lanes],
                [int(one.duration().value) for one in lanes[0] if isinstance(one, otio.schema.Clip)])  # fmt: skip
    return found


READABLE = [one.id for one in EXPORTERS.values() if one.read is not None]


@pytest.mark.parametrize("way", READABLE)
def test_what_is_read_again_equals_what_went_out(way, subjects, tmp_path):
    exporter = EXPORTERS[way]
    subject = subjects[exporter.of]
    path = tmp_path / f"out{exporter.suffix}"
    exporter.write(subject, path)
    assert read_again(exporter, path) == expected(exporter, subject)


@pytest.mark.parametrize("way", READABLE)
def test_the_same_twice_is_the_same_file(way, subjects, tmp_path):
    exporter = EXPORTERS[way]
    contents = []
    for name in ("one", "other"):
        path = tmp_path / f"{name}{exporter.suffix}"
        exporter.write(subjects[exporter.of], path)
        if zipfile.is_zipfile(path):
            # a zip notes when it was written
            with zipfile.ZipFile(path) as opened:
                contents.append({name: opened.read(name) for name in opened.namelist()})
        else:
            contents.append(path.read_bytes())
    assert contents[0] == contents[1]


def test_every_exporter_has_a_subject_and_a_name_of_its_own(subjects):
    assert {one.of for one in EXPORTERS.values()} == set(subjects)
    for kind in subjects:
        names = [one.name for one in EXPORTERS.values() if one.of == kind]
        assert len(names) == len(set(names))


def test_hands_are_read_by_a_general_midi_library(subjects, tmp_path):
    EXPORTERS["midi"].write(subjects["take"], tmp_path / "hands.mid")
    seconds = 0.0
    struck = []
    for message in mido.MidiFile(tmp_path / "hands.mid"):
        seconds += message.time
        if message.type == "note_on" and message.velocity:
            struck.append((round(seconds, 3), message.note))
    assert struck == [(0.0, 60)]


def test_cues_are_a_table(subjects, tmp_path):
    EXPORTERS["cues"].write(subjects["timeline"], tmp_path / "cues.csv")
    lines = (tmp_path / "cues.csv").read_text().splitlines()
    assert lines[0].startswith("scene,lane,sound")
    assert lines[1].startswith("Panes,Water,Reeds")


@given(
    st.lists(
        st.one_of(st.none(), st.floats(-600, 600).map(lambda x: round(x, 3))),
        min_size=128,
        max_size=128,
    )
)
def test_any_tuning_comes_back_from_scala_files(cents):
    if sum(one is not None for one in cents) < 2:
        with pytest.raises(BloomError, match="fewer than two keys"):
            scale_text("t", cents)
        return
    back = key_offsets(read_scale(scale_text("t", cents)), read_mapping(mapping_text(cents)))
    assert [one is None for one in back] == [one is None for one in cents]
    assert all(
        a == pytest.approx(b, abs=2e-4) for a, b in zip(back, cents, strict=True) if b is not None
    )


def test_what_a_thing_does_not_have_is_said(subjects, tmp_path):
    plain = subjects["instrument"].document.model_copy(update={"tuning": None})
    with pytest.raises(BloomError, match="no scale of its own"):
        EXPORTERS["tuning"].write(
            sub.PlayableSubject(plain, lambda sound: None), tmp_path / "no.zip"
        )
    assert not (tmp_path / "no.zip").exists()
    with pytest.raises(BloomError, match="A take is exported as midi, take, not as 'otio'"):
        exporter_for("take", "otio")


# -- in the shell ------------------------------------------------------------------------


# those that others read are no documents of ours
OPENED = [way for way in READABLE if way not in ("midi", "tuning", "wavetable", "otio")]


@pytest.mark.parametrize("way", OPENED)
def test_the_shell_opens_what_was_exported_and_exports_it_anew(way, subjects, tmp_path):
    exporter = EXPORTERS[way]
    first = tmp_path / f"thing{exporter.suffix}"
    exporter.write(subjects[exporter.of], first)
    with open_subject(first) as opened:
        assert opened.kind == exporter.of
    done = bloom("export", first, "--as", way, "--out", tmp_path / "out")
    assert done.exit_code == 0, done.stderr
    (made,) = (tmp_path / "out").iterdir()
    assert read_again(exporter, made) == read_again(exporter, first)


def test_the_shell_lists_the_ways_out_and_says_what_cannot_be(subjects, tmp_path):
    listed = bloom("export", "--list")
    assert listed.exit_code == 0
    assert [line.split()[0] for line in listed.stdout.splitlines()] == list(EXPORTERS)
    EXPORTERS["take"].write(subjects["take"], tmp_path / "a.take")
    (tmp_path / "nothing.json").write_text(json.dumps([1]))
    done = bloom("export", tmp_path / "a.take", tmp_path / "nothing.json", tmp_path / "gone.take",
                 "--as", "midi", "--out", tmp_path / "out")  # fmt: skip
    assert done.exit_code == 1
    assert "Wrote 1 of 3" in done.stdout
    assert "'nothing.json' is nothing that can be exported anew" in done.stderr
    assert "There is no file" in done.stderr
    again = bloom("export", tmp_path / "a.take", "--as", "midi", "--out", tmp_path / "out")
    assert "there already" in again.stderr


def test_an_instrument_of_many_sounds_leaves_and_comes_back(tmp_path):
    # 64 sounds in each of two layers: as many as a layer holds
    sounds = []
    for number in range(64):
        sf.write(tmp_path / f"{number}.wav", sine(200.0 + number, 0.1), RATE, "PCM_16")
        sounds.append({"path": f"{number}.wav", "root": 60})
    layers = [{"id": f"l{n}", "name": f"L{n}", "kind": "loop", "sounds": sounds} for n in (1, 2)]
    document = parse_instrument({"name": "Many", "layers": layers})
    bundle = EXPORTERS["bundle"]
    bundle.write(sub.PlayableSubject(document, beside(tmp_path)), tmp_path / "many.zip")
    back = bundle.read(tmp_path / "many.zip")
    assert [len(layer.sounds) for layer in back.layers] == [64, 64]
