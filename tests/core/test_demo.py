"""The made-up recordings and instruments of the demo project."""

from __future__ import annotations

import numpy as np
import pyloudnorm
import pytest

from innerbloom.core.analysis.evolution import evolution, side_db
from innerbloom.core.analysis.examine import examine
from innerbloom.core.declare.sound import Sound
from innerbloom.core.deliver.render import render_blocks
from innerbloom.core.deliver.sources import beside, file_materials, read_sound
from innerbloom.core.engine import Engine, compile_program
from innerbloom.core.engine.telemetry import arrivals
from innerbloom.core.instrument import doctor
from innerbloom.core.instrument.grow import sound_from
from innerbloom.core.materials.wavetable.document import parse_table
from innerbloom.core.materials.wavetable.files import write_table
from innerbloom.core.materials.wavetable.make import make_table
from innerbloom.core.performance.events import Event, single_note
from innerbloom.core.pitch_names import hz_to_note
from innerbloom.core.sound.metadata import read_origin
from innerbloom.demo.embedded import EMBEDDED
from innerbloom.demo.instruments import INSTRUMENTS, make_instrument
from innerbloom.demo.layered import LAYERED
from innerbloom.demo.moving import MOVING
from innerbloom.demo.recordings import RECORDINGS, synthesise, write_recording
from innerbloom.demo.snapshots import four_depths
from innerbloom.demo.spectral import PLAYED
from innerbloom.demo.tables import TABLES, WAVING
from tests.conftest import RATE

# what the models are built to: cents from the nominal note, None for no clear pitch
ROOTS = {
    "bowed-wire": 110.0 * 2 ** (14 / 1200),
    "kettle-lid": 659.26 * 2 ** (-31 / 1200),
    "pump-distant": 49.0 * 2 ** (3 / 1200),
    "blown-jar": 261.63 * 2 ** (46 / 1200),
    "rain-on-glass": None,
    "reed-stems": None,
    "moths-at-lamp": None,
    "pebbles-under-water": None,
}


@pytest.fixture(scope="module")
def demo_folder(tmp_path_factory):
    folder = tmp_path_factory.mktemp("demo")
    for recording in RECORDINGS:
        write_recording(recording, folder)
    return folder


def file_of(folder, stem):
    return next(folder.glob(f"{stem}.*"))


def test_the_shelf_is_varied():
    assert len(RECORDINGS) == 10
    assert {recording.rate for recording in RECORDINGS} >= {44_100, 48_000, 96_000}
    assert all(3 <= recording.duration <= 30 for recording in RECORDINGS)
    assert {recording.form for recording in RECORDINGS} == {"wav24", "flac"}


def test_recordings_are_deterministic():
    short = next(recording for recording in RECORDINGS if recording.stem == "blown-jar")
    np.testing.assert_array_equal(synthesise(short), synthesise(short))


@pytest.mark.parametrize("recording", RECORDINGS, ids=lambda recording: recording.stem)
def test_a_recording_is_clean_and_says_where_it_came_from(demo_folder, recording):
    path = file_of(demo_folder, recording.stem)
    found = examine(path)
    assert found.info.rate == recording.rate
    assert found.info.seconds == pytest.approx(recording.duration, abs=0.01)
    assert found.peak_dbfs == pytest.approx(recording.peak_db, abs=0.05)
    assert found.true_peak_dbtp < -1
    assert read_origin(path) == recording.origin
    # no thump at the end
    assert np.abs(found.peaks[-1]).max() < 0.35 * np.abs(found.peaks).max()


@pytest.mark.parametrize("stem", ROOTS)
def test_roots_are_found_as_they_were_built(demo_folder, stem):
    root = examine(file_of(demo_folder, stem)).root_hz
    if ROOTS[stem] is None:
        assert root is None
    else:
        assert abs(1200 * np.log2(root / ROOTS[stem])) < 8


def spectra(sound: np.ndarray) -> np.ndarray:
    """Smoothed magnitude spectra of half-second stretches, each at unit length."""
    rows = []
    for at in range(RATE, len(sound) - RATE // 2, RATE // 2):
        piece = sound[at : at + RATE // 2].mean(axis=1) * np.hanning(RATE // 2)
        bands = np.abs(np.fft.rfft(piece))[:6_000].reshape(-1, 20).mean(axis=1)
        rows.append(bands / np.linalg.norm(bands))
    return np.array(rows)


@pytest.mark.parametrize("plan", INSTRUMENTS, ids=lambda plan: plan.name)
def test_an_instrument_is_level_clean_and_evolves(demo_folder, plan):
    recording = next(one for one in RECORDINGS if one.title == plan.recording)
    path = file_of(demo_folder, recording.stem)
    found = examine(path)
    summary = {**found.summary(), "root_hz": found.root_hz}
    document = make_instrument(plan, "0" * 64, summary)
    document.layers[0].sound.path = path.name
    root = document.layers[0].sound.root or 60
    program = compile_program(document, file_materials(beside(demo_folder, trusted=True)))
    sound = np.concatenate(list(render_blocks(program, single_note(round(root), 8.0, RATE))))
    assert 0.05 < np.abs(sound).max() < 0.7
    assert abs(sound.mean()) < 1e-3
    held = spectra(sound[: 8 * RATE])
    likeness = held @ held.T
    assert likeness.min() < 0.97
    # wide, and no more than one channel can take
    assert -12 < side_db(sound[RATE:]) < -3
    assert np.abs(sound[-10:]).max() < 1e-4


def finder(demo_folder):
    """Finds demo recordings by their names, as the shelf would."""

    def find(name):
        plan = next((one for one in TABLES if one.name == name), None)
        if plan is not None:
            return table_file(demo_folder, plan), None
        recording = next(one for one in RECORDINGS if one.title == name)
        path = file_of(demo_folder, recording.stem)
        found = examine(path)
        root = None if found.root_hz is None else hz_to_note(found.root_hz)
        sound = sound_from(duration_s=found.info.seconds, root=root, loudness_lufs=found.lufs,
                           path=path.name, name=name)  # fmt: skip
        return sound, None

    return find


def table_file(folder, plan):
    """A wavetable of the demo as a file beside its recordings."""
    path = folder / f"{plan.name}.wav"
    if not path.exists():
        source = dict(plan.source)
        if plan.recording is not None:
            stem = next(one.stem for one in RECORDINGS if one.title == plan.recording)
            source["sound"] = {"path": file_of(folder, stem).name}
        document = parse_table({"name": plan.name, "source": source, "steps": plan.steps})
        table = make_table(document, lambda sound: read_sound(sound, beside(folder)))
        write_table(path, table, plan.name)
    return Sound(path=path.name, cycle=2_048, name=plan.name)


@pytest.mark.parametrize("build", LAYERED, ids=lambda build: build.__name__)
def test_an_instrument_of_layers_is_level_clean_and_evolves(demo_folder, build):
    document = build(finder(demo_folder))
    engine = Engine(compile_program(document, file_materials(beside(demo_folder, trusted=True))))
    events = [Event("on", 1, 57.0, 0.9)]
    events += [Event("slide", 1, value=n / 60, time=2 * RATE + n * 3_200) for n in range(61)]
    sound = engine.render(8 * RATE, events)
    assert 0.05 < np.abs(sound).max() < 0.7
    assert np.isfinite(sound).all()
    held = spectra(sound)
    assert (1 - held @ held[0]).max() > 0.1
    chord = Engine(compile_program(document, file_materials(beside(demo_folder, trusted=True))))
    loud = chord.render(2 * RATE, [Event("on", n, 45.0 + 5 * n, 1.0) for n in range(6)])
    assert np.abs(loud).max() < 0.945
    assert chord.held_down_db() > -3


@pytest.mark.parametrize(
    "build",
    [*LAYERED, *EMBEDDED, *MOVING, *WAVING, *PLAYED, four_depths],
    ids=lambda build: build.__name__,
)
def test_an_instrument_left_alone_goes_on_moving(demo_folder, build):
    """Further over seconds than from one half second to the next, and to both sides."""
    document = build(finder(demo_folder))
    engine = Engine(compile_program(document, file_materials(beside(demo_folder, trusted=True))))
    sound = engine.render(40 * RATE, [Event("on", 1, 57.0, 0.9)])
    moved = evolution(sound[2 * RATE :], RATE)
    assert moved.far > moved.near
    assert -14 < moved.side_db < -3


def test_instruments_are_as_loud_as_each_other(demo_folder):
    """A held A3, BS.1770 by pyloudnorm: nobody reaches for the volume when going from one to the next."""
    meter, found = pyloudnorm.Meter(RATE, filter_class="DeMan"), {}
    materials = file_materials(beside(demo_folder, trusted=True))
    for build in (*LAYERED, *MOVING, *WAVING, *PLAYED, *EMBEDDED, four_depths):
        engine = Engine(compile_program(build(finder(demo_folder)), materials))
        sound = engine.render(20 * RATE, [Event("on", 1, 57.0, 0.8)])
        found[build.__name__] = meter.integrated_loudness(sound[2 * RATE :])
    middle = np.median(list(found.values()))
    assert {name: lufs - middle for name, lufs in found.items() if abs(lufs - middle) > 3} == {}
    assert -28 < middle < -22


@pytest.mark.parametrize("build", [*MOVING, *WAVING, *PLAYED], ids=lambda build: build.__name__)
def test_an_instrument_lives_for_a_minute_without_repeating(demo_folder, build):
    document = build(finder(demo_folder))
    assert doctor.examine(document) == []
    engine = Engine(compile_program(document, file_materials(beside(demo_folder, trusted=True))))
    sound = engine.render(
        60 * RATE, [Event("on", n, key, 0.8) for n, key in enumerate((48.0, 55.0))]
    )
    assert np.isfinite(sound).all()
    assert 0.05 < np.abs(sound).max() < 0.9
    held = spectra(sound)
    likeness = held @ held.T
    # it wanders far, and no two stretches ten seconds apart or more are the same
    assert likeness.min() < 0.75
    apart = np.abs(np.subtract.outer(np.arange(len(held)), np.arange(len(held)))) >= 20
    assert likeness[apart].max() < 0.9999
    seconds = (sound.astype(np.float64).reshape(60, RATE, 2) ** 2).mean(axis=(1, 2))
    level = 10 * np.log10(seconds[3:] + 1e-12)
    assert 2 < np.ptp(level) < 30
    # the whole row of values never comes back either
    again = Engine(compile_program(document, file_materials(beside(demo_folder, trusted=True))))
    rows = []
    again.render(0, [Event("on", 1, 48.0, 0.8)])
    for _ in range(60):
        again.render(RATE)
        rows.append(arrivals(again).modulators[:, 0])
    distance = np.abs(np.array(rows)[:, None] - np.array(rows)[None]).sum(axis=2)
    assert distance[~np.eye(60, dtype=bool)].min() > 1e-4
