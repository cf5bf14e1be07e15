"""Batches: the same results on one process, on two, and on a cluster that loses a worker half-way."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import time
from concurrent.futures import Future
from dataclasses import replace

import dask
import numpy as np
import pytest
import soundfile as sf

from innerbloom.batch import pools
from innerbloom.batch.mixing import Mixing
from innerbloom.batch.pools import InPlace, pool_for
from innerbloom.batch.running import Batch
from innerbloom.batch.sampling import Sampling
from innerbloom.batch.task import BatchError, Blob, Outcome, Task, code_version, has, perform
from innerbloom.batch.tasks import again_task, timbre_task
from innerbloom.core.analysis.timbre import timbre_of
from innerbloom.core.deliver.again import Digest, Way, played_again
from innerbloom.core.deliver.samples.settings import SampleSettings
from innerbloom.core.deliver.samples.zones import plan
from innerbloom.core.engine import compile_program
from innerbloom.core.errors import BloomError, Cancelled
from innerbloom.core.performance.events import Event
from innerbloom.core.performance.take import Take
from innerbloom.core.timeline.document import parse_timeline
from innerbloom.core.timeline.measure import CHUNK, pieces_of
from innerbloom.core.timeline.mix import TimelineMix
from innerbloom.jobs import preparing
from innerbloom.jobs.kind import Work
from innerbloom.jobs.report import Report
from innerbloom.store.files import FileStore
from innerbloom.store.films import ClipSounds
from innerbloom.store.linked import link
from innerbloom.store.prepared import DiskMaterials
from tests.clusters import free_port, running
from tests.engines import RATE, cloud, sine
from tests.shell import bloom

RNG = np.random.default_rng(20)
SETTINGS = {
    "key_low": 48,
    "key_high": 60,
    "step": 3,
    "placing": "evenly",
    "seconds": 1.0,
    "velocities": 2,
}


@pytest.fixture(scope="module")
def store(tmp_path_factory):
    return FileStore(tmp_path_factory.mktemp("batches") / "project")


def recording(store, name="reeds.wav", hz=220.0):
    path = store.root.parent / name
    sf.write(path, sine(hz, 2.0) + 0.05 * RNG.standard_normal(2 * RATE), RATE, "PCM_24")
    return link(store, path)


@pytest.fixture(scope="module")
def asked(store):
    """An instrument, settings and zones."""
    document = cloud(root=57.0, position_scatter=30, release=200)
    document.layers[0].sounds[0].recording = recording(store)
    document.layers[0].sounds[0].path = None
    settings = SampleSettings.model_validate(SETTINGS)
    program = compile_program(document, DiskMaterials(store))
    return document, plan(program, settings)


def sampled(store, asked, **how):
    """Bytes of all samples, and what it took."""
    document, zones = asked
    with pool_for(store, len(zones), **how) as pool:
        made = Sampling(
            document,
            SampleSettings.model_validate(SETTINGS),
            zones,
            store,
            pool,
            lambda share: True,
        )
        sounds = [
            (one.zone, one.loop, one.sound.tobytes(), None if one.release is None else one.release.tobytes())
            for one in made
        ]  # fmt: skip
    return sounds, made.costs


@pytest.fixture(scope="module")
def alone(store, asked):
    """What one process makes."""
    sounds, costs = sampled(store, asked, count=1)
    assert [one.tasks for one in costs.workers.values()] == [len(asked[1])]
    return sounds


# -- the same everywhere ---------------------------------------------------------------------


@pytest.fixture(scope="module")
def cluster(tmp_path_factory):
    with running(tmp_path_factory.mktemp("cluster"), 2) as found:
        yield found


def test_two_processes_and_two_workers_make_the_very_samples_of_one_process(
    store, asked, alone, cluster
):
    assert len(alone) == 10
    both, cost = sampled(store, asked, count=2)
    assert both == alone
    spread, cost = sampled(store, asked, scheduler=cluster.address)
    assert spread == alone
    assert len(cost.workers) == 2
    assert "processes" in cost.words()


def test_a_worker_that_is_killed_half_way_changes_nothing(store, asked, alone, tmp_path):
    document, zones = asked
    with (
        running(tmp_path, 2) as cluster,
        pool_for(store, len(zones), scheduler=cluster.address) as pool,
    ):
        made = Sampling(
            document,
            SampleSettings.model_validate(SETTINGS),
            zones,
            store,
            pool,
            lambda share: True,
        )
        sounds = []
        for one in made:
            sounds.append(one.sound.tobytes())
            if len(sounds) == 2:
                cluster.kill(0)
    assert sounds == [one[2] for one in alone]


def test_a_process_of_this_machine_that_is_killed_changes_nothing(store, asked, alone):
    document, zones = asked
    with pool_for(store, len(zones), count=2) as pool:
        made = Sampling(
            document,
            SampleSettings.model_validate(SETTINGS),
            zones,
            store,
            pool,
            lambda share: True,
        )
        sounds = []
        for one in made:
            sounds.append(one.sound.tobytes())
            if len(sounds) == 1:
                worker = next(iter(made.costs.workers)).rsplit(":", 1)[1]
                os.kill(int(worker), signal.SIGKILL)
    assert sounds == [one[2] for one in alone]


def test_recordings_travel_once_and_are_kept_by_workers(store, cluster):
    digests = [recording(store, f"{hz}.wav", hz) for hz in (110.0, 220.0, 330.0)]
    wanted = [timbre_of(store.readable(one)) for one in digests]
    sent = []
    for _ in range(2):
        with pool_for(store, 3, scheduler=cluster.address) as pool:
            submit = pool.submit

            def counting(task, blobs, submit=submit):
                sent.extend(blob.digest for blob in blobs)
                return submit(task, blobs)

            pool.submit = counting
            batch = Batch([timbre_task(one) for one in digests], store, pool)
            assert [one.value for one in batch.in_order()] == wanted
    # at most once to each of both workers, over both batches
    assert all(sent.count(one) <= 2 for one in digests)


# -- what goes wrong -------------------------------------------------------------------------


def test_a_scheduler_that_is_away_is_said(store):
    address = f"tcp://127.0.0.1:{free_port()}"
    with pytest.raises(BatchError, match=f"No scheduler answers at {address}"), \
         pool_for(store, 1, scheduler=address):  # fmt: skip
        pass
    with pytest.raises(BatchError, match="No scheduler answers at nonsense"), \
         pool_for(store, 1, scheduler="nonsense"):  # fmt: skip
        pass
    done = bloom("worker", address, "--processes", "1")
    assert done.exit_code == 1
    assert "No scheduler answers" in done.stderr


def test_a_worker_of_another_version_is_refused(store, cluster, monkeypatch):
    ours = code_version()
    monkeypatch.setattr("innerbloom.batch.cluster.code_version", lambda: "9.9.9+other")
    with pytest.raises(BatchError, match=f"runs version {ours.split('+')[0]}.*and this is 9.9.9"), \
         pool_for(store, 1, scheduler=cluster.address):  # fmt: skip
        pass
    # one that joins later is told when it is given a task
    outcome = perform(timbre_task("0" * 64), "1.0+older", str(store.root))
    assert outcome.refused
    assert "start it from the same" in outcome.error


def test_a_cancel_half_way_stops_within_a_task(store, asked):
    document, zones = asked
    told = []

    def report(share):
        told.append(share)
        return share < 0.2

    with pool_for(store, len(zones), count=2) as pool, pytest.raises(Cancelled):
        list(
            Sampling(document, SampleSettings.model_validate(SETTINGS), zones, store, pool, report)
        )
    assert told[0] == 0.0
    assert 0.2 <= told[-1] < 1.0


def test_over_tls_a_cluster_works_and_refuses_who_has_no_certificate(store, tmp_path):
    words = ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "1", "-subj", "/CN=127.0.0.1",
             "-addext", "subjectAltName=IP:127.0.0.1", "-keyout", "key.pem", "-out", "cert.pem"]  # fmt: skip
    subprocess.run(words, cwd=tmp_path, check=True, capture_output=True)
    of = {"key": str(tmp_path / "key.pem"), "cert": str(tmp_path / "cert.pem")}
    tls = {"distributed.comm.tls.ca-file": of["cert"], "distributed.comm.require-encryption": True,
           **{f"distributed.comm.tls.client.{what}": path for what, path in of.items()}}  # fmt: skip
    env = {"DASK_DISTRIBUTED__COMM__REQUIRE_ENCRYPTION": "True",
           "DASK_DISTRIBUTED__COMM__TLS__CA_FILE": of["cert"]}  # fmt: skip
    for who in ("SCHEDULER", "WORKER", "CLIENT"):
        env |= {
            f"DASK_DISTRIBUTED__COMM__TLS__{who}__{what.upper()}": path for what, path in of.items()
        }
    digest = recording(store, "tls.wav", 150.0)
    with running(tmp_path, 1, way="tls", env=env) as cluster:
        with pytest.raises(BatchError, match="needs certificates"), \
             pool_for(store, 1, scheduler=cluster.address):  # fmt: skip
            pass
        with dask.config.set(tls), \
             pool_for(store, 1, scheduler=cluster.address) as pool:  # fmt: skip
            (done,) = Batch([timbre_task(digest)], store, pool).in_order()
    assert done.value == timbre_of(store.readable(digest))


def test_a_take_is_played_again_alike_wherever_it_is(store, asked):
    document, _ = asked
    events = (Event("on", 1, 57.0, 0.8), Event("off", 1, 57.0, 0.0, RATE // 2))
    take = Take(document.model_dump(mode="json"), events=events, frames=RATE)
    ways = [Way(seed=seed) for seed in (None, 5, 6)]
    here = [np.concatenate(list(played_again(take, way, DiskMaterials(store)))) for way in ways]
    with pool_for(store, 3, count=2) as pool:
        tasks = [again_task(take, way) for way in ways]
        there = [one.value for one in Batch(tasks, store, pool).in_order()]
    assert all(np.array_equal(a, b) for a, b in zip(here, there, strict=True))
    assert not np.array_equal(here[1], here[2])


def test_a_long_take_is_written_where_it_is_played_and_tells_how_far_it_is(store, asked, tmp_path):
    document, _ = asked
    events = (Event("on", 1, 57.0, 0.8),)
    take = Take(document.model_dump(mode="json"), events=events, frames=60 * RATE)
    (here,) = played_whole = [np.concatenate(list(played_again(take, Way(), DiskMaterials(store))))]
    shares = {0.0}
    with pool_for(store, 2, count=2) as pool:
        future = pool.submit(again_task(take, Way(), tmp_path / "again.wav"), ())
        while not future.done():
            shares.add(pool.share(future))
            time.sleep(0.02)
        frames, digest = future.result().value
    assert any(0.0 < share < 1.0 for share in shares)
    assert frames == len(here) == 60 * RATE
    assert np.array_equal(sf.read(tmp_path / "again.wav", dtype="float32")[0], here)
    hashed = Digest()
    list(hashed.of(iter(played_whole)))
    assert digest == hashed.hexdigest()
    assert list(store.jobs.glob("*.progress")) == []


def test_a_batch_counts_what_is_half_done(store):
    class Half(InPlace):
        """A worker that stays at half of what it was given until it is asked twice."""

        def submit(self, task, blobs):
            self.given = Future()
            return self.given

        def share(self, future):
            if told[-1:] == [0.25]:
                future.set_result(Outcome(value="done"))
            return 0.5

    told: list[float] = []
    batch = Batch([Task("timbre", {}), Task("timbre", {})], store, Half(store.root),
                  lambda share: told.append(share) or len(told) < 3)  # fmt: skip
    with pytest.raises(Cancelled):
        list(batch)
    assert told == [0.0, 0.25, 0.25]


def film(store, *gone: str):
    """Thirty seconds with two lanes, of one recording and of whatever else is named."""
    digests = [recording(store), *gone]
    clips = [
        {"id": f"c{lane}x{number}", "name": "reeds", "recording": digests[lane % len(digests)],
         "start": 24 * 2 * number + lane, "seconds": 1.9, "fade_in": 0.1, "fade_out": 0.2}
        for lane in range(2) for number in range(15)
    ]  # fmt: skip
    lanes = [
        {"id": f"l{lane}", "name": f"Lane {lane}", "clips": clips[15 * lane : 15 * lane + 15]}
        for lane in range(2)
    ]
    return parse_timeline({"name": "Film", "rate": "24", "frames": 24 * 30, "lanes": lanes})


def pieces_equal(ones, others) -> bool:
    return all(
        one.first == other.first
        and np.array_equal(one.whole, other.whole)
        and all(np.array_equal(one.lanes[id_], other.lanes[id_]) for id_ in one.lanes)
        for one, other in zip(ones, others, strict=True)
    )


def test_a_timeline_is_mixed_alike_by_several_processes(store):
    mix = TimelineMix(film(store), ClipSounds(store))
    here = list(pieces_of(mix)(lambda share: True))
    told: list[float] = []
    with pool_for(store, 9, count=2) as pool:
        made = list(Mixing(mix, store, pool)(lambda share: not told.append(share)))
    assert len(here) == -(-mix.frames // CHUNK)
    assert any(one.whole.any() for one in here)
    assert pieces_equal(made, here)
    assert told == sorted(told)
    with pool_for(store, 9, count=1) as pool, pytest.raises(Cancelled):
        list(Mixing(mix, store, pool)(lambda share: share < 0.3))


def test_a_clip_whose_recording_is_gone_is_silent_in_a_batch_too(store):
    mix = TimelineMix(film(store, "0" * 64), ClipSounds(store), skip_missing=True)
    with pool_for(store, 9, count=1) as pool:
        made = list(Mixing(mix, store, pool)(lambda share: True))
    assert pieces_equal(made, list(pieces_of(mix)(lambda share: True)))
    assert not any(one.lanes["l1"].any() for one in made)
    assert any(one.lanes["l0"].any() for one in made)


def test_a_task_that_fails_is_named_and_the_others_go_on(store):
    digests = [recording(store), "f" * 64]
    broken = store.root.parent / "broken.wav"
    broken.write_bytes(b"RIFFnothing")
    digests.append(link(store, broken))
    with pool_for(store, 3, count=1) as pool:
        batch = Batch([timbre_task(one) for one in digests[:1] + digests[2:]], store, pool)
        good, bad = list(batch.in_order())
        assert good.value
        assert "." in bad.error
        assert bad.value is None
        with pytest.raises(BloomError, match="not in this project"):
            list(Batch([timbre_task(digests[1])], store, pool))


def test_what_arrives_damaged_is_not_kept(store, tmp_path):
    digest = recording(store)
    blob = Blob.of(store, digest)
    other = FileStore(tmp_path / "other")
    damaged = replace(blob, content=blob.content[:-1] + b"x")
    assert (
        "damaged on its way"
        in perform(timbre_task(digest), code_version(), str(other.root), (damaged,)).error
    )
    assert not has(other, digest)
    assert perform(timbre_task(digest), code_version(), str(other.root), (blob,)).value
    assert has(other, digest)
    assert perform(timbre_task(digest), code_version(), str(tmp_path / "third")).missing == (
        digest,
    )


# -- in the shell -----------------------------------------------------------------------------


def test_the_shell_samples_an_instrument_on_a_cluster_as_it_does_here(tmp_path, cluster):
    sf.write(tmp_path / "tone.wav", sine(220.0, 2.0), RATE)
    document = cloud(root=57.0)
    document.layers[0].sounds[0].path = "tone.wav"
    (tmp_path / "reeds.json").write_text(document.model_dump_json())
    words = ("--key-low", 48, "--key-high", 52, "--seconds", 1, "--placing", "evenly")
    for out, how in (("here", ("--jobs", 1)), ("there", ("--scheduler", cluster.address))):
        done = bloom("sample", tmp_path / "reeds.json", "--out", tmp_path / out, *words, *how)
        assert done.exit_code == 0, done.stderr
        assert "files of 2 keys" in done.stdout
    assert (tmp_path / "here/SHA256SUMS").read_text() == (tmp_path / "there/SHA256SUMS").read_text()
    again = bloom("sample", tmp_path / "reeds.json", "--out", tmp_path / "here", *words)
    assert again.exit_code == 1
    assert "there already" in again.stderr
    drawn = ("--drawn", 6, "--kept", 3, "--seconds", 0.3)
    for out, how in (("alone", ("--jobs", 1)), ("both", ("--jobs", 2))):
        done = bloom("vary", tmp_path / "reeds.json", "--out", tmp_path / out, *drawn, *how)
        assert done.exit_code == 0, done.stderr
    both = [
        json.loads((tmp_path / out / "contents.json").read_text())["files"]
        for out in ("alone", "both")
    ]
    assert both[0] == both[1]


def test_many_pieces_are_made_in_several_processes_as_in_one(store, monkeypatch):
    """In their order; one that cannot be made is named, with either."""
    pieces = [{"name": f"piece {n}", "start": 0.05 * n, "end": 0.05 * n + 0.3} for n in range(30)]
    pieces.append({"name": "past the end", "start": 50.0, "end": 51.0})
    params = {
        "digest": recording(store, "pieces.wav"), "steps": [], "tuning": 440.0,
        "origin": {"recordist": "Iva"}, "pieces": pieces,
    }  # fmt: skip
    found, told = [], []
    for worth_it in (1e9, 0.0):
        monkeypatch.setattr(preparing, "WORTH_IT_S", worth_it)
        monkeypatch.setattr(pools, "WORTH_IT_S", worth_it)
        told.append([0.0])
        report = Telling(store.jobs, "keeping", told[-1])
        found.append(preparing.keep_materials(Work(store, params, store.jobs / "keeping", report)))
    assert found[0] == found[1]
    assert [one["name"] for one in found[1]["made"]] == [f"piece {n}" for n in range(30)]
    assert len(found[1]["problems"]) == 1
    assert "past the end" in found[1]["problems"][0]
    assert len({one["digest"] for one in found[1]["made"]}) == 30
    for shares in told:
        assert shares == sorted(shares)
        assert shares[-1] > 0.9
    # asked to stop, it stops, and nothing half made is left among what came in
    report = Telling(store.jobs, "stopped", [], most=0.3)
    with pytest.raises(Cancelled):
        preparing.keep_materials(Work(store, params, store.jobs / "stopped", report))
    assert not list(store.incoming.glob("*.wav"))


class Telling(Report):
    """A report that keeps what it was told and asks to stop past a share."""

    def __init__(self, folder, job_id: str, shares: list[float], most: float = 2.0) -> None:
        super().__init__(folder, job_id)
        self.shares, self.most = shares, most

    def __call__(self, share: float) -> bool:
        self.shares.append(share)
        if share > self.most:
            self.ask_to_stop()
        return super().__call__(share)
