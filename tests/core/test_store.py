"""The project's folder, prepared sounds, jobs cut short, and names that arrive from outside."""

from __future__ import annotations

import os
import time
from concurrent.futures import BrokenExecutor, Executor, Future, ThreadPoolExecutor
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
import soundfile as sf
from hypothesis import given
from hypothesis import strategies as st

from innerbloom.core.declare.sound import Sound
from innerbloom.core.declare.spectrum_settings import Analysis
from innerbloom.core.digest import file_digest
from innerbloom.core.errors import BloomError, SoundFileError
from innerbloom.core.materials.clip import ClipRequest
from innerbloom.core.materials.described import SegmentsRequest
from innerbloom.core.materials.held import CachedMaterials, FileMaterials
from innerbloom.core.materials.protocol import Stretch
from innerbloom.core.materials.spectrum.prepared import AnalysisRequest, SpectrumRequest
from innerbloom.jobs.changes import Changes
from innerbloom.jobs.importing import IMPORT
from innerbloom.jobs.kind import Work
from innerbloom.jobs.report import Report
from innerbloom.jobs.service import JobService
from innerbloom.live.messages import MessageError, parse_message
from innerbloom.store import prepared
from innerbloom.store.database import open_database
from innerbloom.store.files import FileStore, safe_suffix, safe_title
from innerbloom.store.models import JobRow, Recording
from innerbloom.store.prepared import DiskMaterials
from innerbloom.store.settings import ProjectSettings
from innerbloom.store.tidying import tidy, used
from tests.conftest import RATE, harmonic_tone
from tests.full_disks import FullDisk


@pytest.fixture
def store(tmp_path):
    return FileStore(tmp_path / "project")


@pytest.fixture
def sound(store, tone_file):
    digest = file_digest(tone_file)
    incoming = store.new_incoming(tone_file.name)
    incoming.write_bytes(tone_file.read_bytes())
    store.adopt(incoming, digest, ".wav")
    return Sound(recording=digest)


@given(st.text(max_size=300))
def test_any_name_becomes_a_harmless_one(name):
    title = safe_title(name)
    assert 1 <= len(title) <= 120
    assert title.isprintable()
    assert not set(safe_suffix(name)) & set("/\\\0")
    assert safe_suffix(name).startswith(".")


def test_an_original_is_stored_once(store, sound, tone_file):
    again = store.new_incoming("again.wav")
    again.write_bytes(tone_file.read_bytes())
    kept = store.adopt(again, sound.recording, ".wav")
    assert kept == store.find(sound.recording)
    assert not again.exists()


def test_an_unknown_recording_is_said(store):
    for unknown in (Sound(recording="0" * 64), Sound()):
        with pytest.raises(SoundFileError):
            store.locate(unknown)


@pytest.fixture
def kept(store):
    return DiskMaterials(store)


def test_a_prepared_clip_is_the_same_from_disk(store, sound, kept):
    request = ClipRequest(Stretch.of(sound))
    assert kept.find(request) is None
    fresh = FileMaterials(store.locate).get(request)
    again = kept.get(request)
    np.testing.assert_array_equal(again.audio, fresh.audio)
    np.testing.assert_array_equal(again.mip_levels, fresh.mip_levels)
    assert (again.seconds, again.octaves_up) == (fresh.seconds, fresh.octaves_up)


@pytest.mark.parametrize("analysis", [None, Analysis(partials=12)])
def test_a_kept_spectrum_is_the_same_from_disk(store, sound, kept, analysis):
    sound.analysis = analysis
    request = AnalysisRequest.of(sound)
    assert CachedMaterials(kept).get(SpectrumRequest.of(sound, "by ratio")).seconds == 2.0
    fresh = FileMaterials(store.locate).get(request)
    made = kept.get(request)
    again = kept.find(request)
    assert (len(made.tracks), made.seconds) == (len(fresh.tracks), fresh.seconds)
    np.testing.assert_array_equal(again.noise, made.noise)


def test_a_damaged_clip_is_made_again(store, sound, kept):
    request = ClipRequest(Stretch.of(sound))
    kept.get(request)
    (store.prepared.folder(request.key()) / "about.npz").write_bytes(b"rubbish")
    assert kept.find(request) is None
    assert kept.get(request).seconds == pytest.approx(2.0)


def test_the_oldest_prepared_sounds_are_given_up(store, sound, kept, monkeypatch):
    monkeypatch.setattr(prepared, "MOST_BYTES", 1)
    first, second = (ClipRequest(replace(Stretch.of(sound), length=s)) for s in (1.0, 0.5))
    kept.get(first)
    time.sleep(0.02)
    kept.get(second)
    assert kept.find(first) is None
    assert kept.find(second) is not None


def test_what_is_asked_for_by_value_is_made_once(store, sound):
    """Two requests that say the same are one; any difference is another."""
    made = []

    class Counting:
        def get(self, request):
            made.append(request)
            return FileMaterials(store.locate).get(request)

    cached = CachedMaterials(Counting())
    stretch = Stretch.of(sound)
    one, same = cached.get(ClipRequest(stretch)), cached.get(ClipRequest(replace(stretch)))
    assert one is same
    cached.get(ClipRequest(replace(stretch, length=0.5)))
    cached.get(SegmentsRequest(stretch))
    assert len(made) == 3
    assert len({request.key() for request in made}) == 3


def test_memory_is_given_up_by_use(store, sound):
    stretch = Stretch.of(sound)
    requests = [ClipRequest(replace(stretch, length=s)) for s in (0.5, 0.6, 0.7)]
    sizes = [FileMaterials(store.locate).get(one).audio.nbytes for one in requests]
    cached = CachedMaterials(FileMaterials(store.locate), most_bytes=sizes[0] + sizes[2] + 1)
    first = cached.get(requests[0])
    cached.get(requests[1])
    assert cached.get(requests[0]) is first
    cached.get(requests[2])
    assert cached.get(requests[0]) is first


def test_a_sweep_removes_half_files_only(store, sound):
    half = store.new_incoming("half.wav")
    half.write_bytes(b"half")
    waiting = store.new_incoming("waiting.wav")
    waiting.write_bytes(b"whole")
    (store.renders / ".part").write_bytes(b"")
    store.sweep({waiting.name})
    assert not half.exists()
    assert waiting.exists()
    assert list(store.renders.iterdir()) == []
    assert store.find(sound.recording) is not None


def test_progress_travels_through_files(store):
    worker, watcher = Report(store.jobs, "a"), Report(store.jobs, "a")
    assert watcher.read() == 0
    assert worker(0.25) is True
    assert watcher.read() == 0.25
    watcher.ask_to_stop()
    assert worker(0.5) is False
    watcher.forget()
    assert list(store.jobs.iterdir()) == []


class Breaking(Executor):
    """An executor whose worker always dies, before it begins with anything."""

    submitted = 0

    def submit(self, fn, /, *args, **kwargs):
        self.submitted += 1
        future: Future = Future()
        future.set_exception(BrokenExecutor("gone"))
        return future


@pytest.fixture
def sessions(store):
    return open_database(store.database)


def ended(sessions, job):
    """What is kept of a job that has come to its end: whoever submits it does not wait for that."""
    until = time.monotonic() + 60
    while True:
        with sessions() as db:
            row = db.get(JobRow, job)
            if row.state != "queued":
                return row
        assert time.monotonic() < until, "the job did not end"
        time.sleep(0.01)


def test_a_worker_that_dies_is_said(store, sessions):
    executor = Breaking()
    jobs = JobService(store, sessions, lambda **_: executor)
    row = ended(sessions, jobs.submit("render", "x", {}))
    assert row.state == "failed"
    assert "unexpectedly" in row.error
    assert 1 < executor.submitted < 10


def test_what_nobody_waits_for_keeps_nobody_waiting(store, sessions):
    """Whatever its kind, it goes to the process that runs while nothing else does."""
    lanes = []
    jobs = JobService(store, sessions, lambda *, idle: lanes.append(idle) or AtOnce())
    params = {"folder": "gone"}
    ended(sessions, jobs.submit("take", "x", params, patient=True))
    ended(sessions, jobs.submit("take", "x", params))
    assert lanes == [True, False]


def test_whoever_waits_for_news_is_let_go_as_the_server_ends():
    changes = Changes()
    with ThreadPoolExecutor(1) as pool:
        waiting = pool.submit(changes.since, changes.now(), 3_600.0)
        changes.end()
        assert waiting.result(timeout=60) == []
    # and nobody waits any more
    assert changes.since(changes.now(), 3_600.0) == []
    changes.add("one")
    assert changes.since("other.0", 3_600.0) is None


def test_a_file_for_which_no_worker_starts_is_set_aside(store, sessions):
    jobs = JobService(store, sessions, lambda **_: Breaking())
    waiting = store.new_incoming("reeds.wav")
    waiting.write_bytes(b"sound")
    job = jobs.submit("import", "reeds.wav", {"path": waiting.name, "filename": "reeds.wav"})
    assert "set aside" in ended(sessions, job).error
    assert [path.read_bytes() for path in store.root.rglob("*.wav")] == [b"sound"]


class AtOnce(Executor):
    """An executor that does all at once, in this very process."""

    def submit(self, fn, /, *args, **kwargs):
        future: Future = Future()
        try:
            future.set_result(fn(*args, **kwargs))
        except Exception as error:
            future.set_exception(error)
        return future


def test_a_kill_between_the_folder_and_the_database_loses_nothing(store, sessions, tmp_path):
    waiting = store.new_incoming("reeds.wav")
    sf.write(waiting, harmonic_tone(220.0, 0.5), RATE, "PCM_24")
    content = waiting.read_bytes()
    params = {"path": waiting.name, "filename": "reeds.wav", "tuning": 440.0}
    with sessions() as db:
        db.add(JobRow(id="i", kind="import", title="reeds", params=params))
        db.commit()
    # the worker has done its part, and everything ends before the database hears of it
    IMPORT.run(Work(store, params, store.jobs / "i", Report(store.jobs, "i")))
    jobs = JobService(store, sessions, lambda **_: AtOnce())
    jobs.resume()
    assert ended(sessions, "i").state == "done"
    with sessions() as db:
        (entered,) = db.query(Recording)
        assert store.find(entered.digest).read_bytes() == content
    assert list(store.incoming.iterdir()) == []


def test_what_came_of_a_job_is_entered_when_there_is_room_again(
    store, sessions, monkeypatch, caplog
):
    monkeypatch.setattr("innerbloom.jobs.service._ENTER_AGAIN_S", 0.05)
    waiting = store.new_incoming("reeds.wav")
    sf.write(waiting, harmonic_tone(220.0, 0.5), RATE, "PCM_24")
    params = {"path": waiting.name, "filename": "reeds.wav", "tuning": 440.0}
    disk = FullDisk(sessions)

    class FillingUp(AtOnce):
        def submit(self, fn, /, *args, **kwargs):
            done = super().submit(fn, *args, **kwargs)
            disk.fill()
            return done

    jobs = JobService(store, sessions, lambda **_: FillingUp())
    job = jobs.submit("import", "reeds", params)
    until = time.monotonic() + 60
    while f"job {job} waits to be entered" not in caplog.text:
        assert time.monotonic() < until
        time.sleep(0.02)
    with sessions() as db:
        assert db.get(JobRow, job).state == "queued"
    assert waiting.is_file()
    disk.make_room()
    assert ended(sessions, job).state == "done"
    with sessions() as db:
        assert db.query(Recording).filter(Recording.deleted.is_(None)).count() == 1


def test_work_cut_short_by_a_stop_is_said(store, sessions):
    with sessions() as db:
        db.add(JobRow(id="r", kind="render", title="x", params={}))
        db.add(JobRow(id="i", kind="import", title="x", params={"path": "gone.wav"}))
        db.commit()
    JobService(store, sessions, lambda **_: Breaking()).resume()
    assert [ended(sessions, job).state for job in "ri"] == ["failed", "failed"]


def test_a_database_opens_again_as_it_is(store, sessions):
    with sessions() as db:
        db.add(JobRow(id="k", kind="render", title="kept", params={}))
        db.commit()
    with open_database(store.database)() as db:
        assert db.get(JobRow, "k").title == "kept"
        assert db.get(JobRow, "k").created.utcoffset().total_seconds() == 0


def test_a_full_disk_is_refused_before_it_is_tried(store):
    with pytest.raises(BloomError, match="disk"):
        store.room_for(1 << 60)


@given(st.recursive(st.none() | st.booleans() | st.floats() | st.text(), st.lists, max_leaves=5))
def test_no_message_breaks_the_parser(value):
    import json

    with pytest.raises(MessageError):
        parse_message(json.dumps({"do": value}))


class TestTidying:
    """What can be made again goes by age and size; what cannot stays."""

    @pytest.fixture
    def db(self, sessions):
        with sessions() as db:
            yield db

    @staticmethod
    def ended(store, db, job_id, days_ago):
        (store.jobs / job_id).mkdir()
        (store.jobs / job_id / "document.json").write_text("{}")
        (store.renders / f"{job_id}.wav").write_bytes(b"RIFF")
        created = datetime.now(UTC) - timedelta(days=days_ago)
        db.add(
            JobRow(
                id=job_id,
                kind="render",
                title="x",
                state="done",
                params={},
                result={"file": f"{job_id}.wav"},
                created=created,
            )
        )
        db.commit()

    def test_old_jobs_go_with_what_they_left(self, store, db):
        self.ended(store, db, "old", 31)
        self.ended(store, db, "new", 29)
        db.add(JobRow(id="busy", kind="import", title="x", params={"path": "a"}, state="queued"))
        db.commit()
        assert tidy(store, db, ProjectSettings(keep_days=30)) == 6
        assert {row.id for row in db.query(JobRow)} == {"new", "busy"}
        assert not (store.jobs / "old").exists()
        assert [path.name for path in store.renders.iterdir()] == ["new.wav"]

    def test_the_least_used_goes_first_whichever_kind_it_is(self, store, db):
        for number, cache in enumerate((store.prepared, store.stages, store.prepared)):
            with cache.writing(f"entry{number}") as folder:
                (folder / "audio.npy").write_bytes(bytes(60_000_000))
            os.utime(cache.folder(f"entry{number}"), (time.time(), time.time() - 100 * number))
        freed = tidy(store, db, ProjectSettings(keep_gb=0.13))
        assert freed == 60_000_000
        assert store.prepared.find("entry0") is not None
        assert store.stages.find("entry1") is not None
        assert store.prepared.find("entry2") is None

    def test_what_was_not_used_for_long_goes_and_recordings_stay(self, store, db, sound):
        with store.stages.writing("old") as folder:
            (folder / "sound.wav").write_bytes(b"x")
        long_ago = time.time() - 40 * 86_400
        os.utime(store.stages.folder("old"), (long_ago, long_ago))
        before = {one.words: one.bytes for one in used(store)}
        tidy(store, db, ProjectSettings())
        assert store.stages.find("old") is None
        assert store.find(sound.recording) is not None
        after = {one.words: one.bytes for one in used(store)}
        assert after["recordings and materials"] == before["recordings and materials"] > 0


def test_an_entry_that_could_not_be_finished_is_not_there(store):
    with pytest.raises(RuntimeError), store.stages.writing("half") as folder:
        (folder / "sound.wav").write_bytes(b"x")
        raise RuntimeError("cut short")
    assert store.stages.find("half") is None
    assert list(store.stages.root.iterdir()) == []
