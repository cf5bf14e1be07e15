"""Work in the background steps aside while something sounds."""

import os
import time

import pytest

from innerbloom.jobs.report import Report
from innerbloom.processes import background_executor
from innerbloom.store.sounding import Sounding


def aged(folder, name: str, seconds: float) -> None:
    then = time.time() - seconds
    os.utime(folder / name, (then, then))


def test_work_has_all_of_its_time_until_something_sounds(tmp_path):
    assert Sounding(tmp_path).share() == 1.0
    assert Sounding(tmp_path).pause_s(3.0) == 0.0


def test_while_it_plays_work_takes_half_and_less_after_a_late_block(tmp_path):
    engine, worker = Sounding(tmp_path), Sounding(tmp_path)
    engine.plays()
    assert worker.share() == pytest.approx(0.5)
    assert worker.pause_s(0.02) == pytest.approx(0.02)
    engine.was_late()
    assert worker.share() < 0.2
    assert worker.pause_s(0.02) > 0.08
    aged(tmp_path, "sound.late", 60)
    assert worker.share() == pytest.approx(0.5)
    aged(tmp_path, "sound.playing", 60)
    assert worker.share() == 1.0


def test_a_pause_is_never_so_long_that_a_cancel_waits_for_it(tmp_path):
    sounding = Sounding(tmp_path)
    sounding.plays()
    sounding.was_late()
    assert sounding.pause_s(60.0) <= 1.0


def test_a_report_rests_only_where_it_has_someone_to_step_aside_for(tmp_path, monkeypatch):
    slept = []
    monkeypatch.setattr("innerbloom.jobs.report.time.sleep", slept.append)
    sounding = Sounding(tmp_path)
    sounding.plays()
    stepped = []
    aside = Report(tmp_path, "a", sounding, lambda: stepped.append(1))
    waited_for = Report(tmp_path, "b", None, lambda: stepped.append(2))
    time_then = time.monotonic()
    while time.monotonic() < time_then + 0.05:
        assert aside(0.5)
        assert waited_for(0.5)
    assert slept
    assert max(slept) <= 0.5
    assert stepped == [1]


def test_work_that_begins_in_silence_keeps_its_place(tmp_path, monkeypatch):
    monkeypatch.setattr("innerbloom.jobs.report.time.sleep", lambda seconds: None)
    stepped = []
    report = Report(tmp_path, "a", Sounding(tmp_path), lambda: stepped.append(1))
    time_then = time.monotonic()
    while time.monotonic() < time_then + 0.03:
        report(0.5)
    assert not stepped


@pytest.mark.skipif(not hasattr(os, "SCHED_IDLE"), reason="this system has no idle scheduling")
def test_what_nobody_waits_for_runs_when_nothing_else_does():
    with background_executor(idle=True) as idle, background_executor() as waited_for:
        assert idle.submit(os.sched_getscheduler, 0).result() == os.SCHED_IDLE
        assert waited_for.submit(os.sched_getscheduler, 0).result() != os.SCHED_IDLE
        assert waited_for.submit(os.getenv, "OPENBLAS_NUM_THREADS").result() == "1"
