"""Copies of a project's database: made daily, and put in place of one that is damaged."""

from __future__ import annotations

import sqlite3
from contextlib import closing
from datetime import date, timedelta

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from innerbloom.store.backups import (
    DatabaseDamaged,
    DatabaseRefused,
    back_up,
    check_database,
    newest_copy,
    restore,
)
from innerbloom.store.database import open_database
from innerbloom.store.models import JobRow

DAY = date(2031, 3, 3)


def enter(database, *names: str) -> None:
    with open_database(database)() as db:
        db.add_all(JobRow(id=one, kind="render", title=one, params={}) for one in names)
        db.commit()


def entered(database) -> list[str]:
    with closing(sqlite3.connect(database)) as opened:
        return [one for (one,) in opened.execute("SELECT id FROM job ORDER BY id")]


@pytest.fixture
def database(tmp_path):
    path = tmp_path / "project.sqlite3"
    enter(path, "a", "b")
    return path


def test_a_copy_a_day_and_three_are_kept(database):
    for days in range(5):
        assert back_up(database, DAY + timedelta(days)) is not None
        assert back_up(database, DAY + timedelta(days)) is None
    copies = sorted(one.stem for one in database.with_name("backups").iterdir())
    assert copies == ["2031-03-05", "2031-03-06", "2031-03-07"]


def test_a_copy_holds_what_was_committed_while_another_writes(database):
    with open_database(database)() as db:
        db.add(JobRow(id="c", kind="render", title="c", params={}))
        db.flush()
        assert entered(back_up(database, DAY)) == ["a", "b"]
        db.commit()
    assert entered(back_up(database, DAY + timedelta(1))) == ["a", "b", "c"]


def damage(database) -> bytes:
    """Overwrite its pages but for the first."""
    with closing(sqlite3.connect(database)) as opened:
        opened.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    content = bytearray(database.read_bytes())
    content[4_096:] = b"\xa5" * (len(content) - 4_096)
    database.write_bytes(content)
    return bytes(content)


def test_a_damaged_one_is_said_and_its_copy_put_in_place(database):
    back_up(database, DAY)
    enter(database, "after the copy")
    damaged = damage(database)
    with pytest.raises(DatabaseDamaged, match="--restore to go on with its copy of 2031-03-03"):
        check_database(database)
    assert database.read_bytes() == damaged
    restore(database)
    check_database(database)
    assert entered(database) == ["a", "b"]
    enter(database, "c")
    (aside,) = database.parent.glob("project damaged *.sqlite3")
    assert aside.read_bytes() == damaged


def test_a_damaged_one_is_never_copied_over_good_copies(database):
    kept = [back_up(database, DAY + timedelta(days)) for days in range(3)]
    damage(database)
    with pytest.raises((DatabaseRefused, sqlite3.DatabaseError)):
        back_up(database, DAY + timedelta(3))
    assert sorted(database.with_name("backups").iterdir()) == kept


def test_what_is_said_of_the_damage_need_not_be_text(database):
    # SQLite names what it finds in the file's own bytes
    copy = back_up(database)
    copy.write_bytes(copy.read_bytes().replace(b"tablejob", b"table\x80ob"))
    with pytest.raises(DatabaseDamaged):
        check_database(copy)


def test_without_a_copy_that_is_said(database):
    damage(database)
    with pytest.raises(DatabaseDamaged, match="there is no copy"):
        check_database(database)
    with pytest.raises(DatabaseRefused, match="no copy"):
        restore(database)
    assert newest_copy(database) is None


def test_one_of_a_newer_version_is_left_as_it_is(database):
    with closing(sqlite3.connect(database)) as opened:
        opened.execute("UPDATE alembic_version SET version_num = '9999'")
        opened.commit()
    with pytest.raises(DatabaseRefused, match="newer version"):
        check_database(database)


def test_a_new_project_has_nothing_to_check(tmp_path):
    check_database(tmp_path / "project.sqlite3")


@given(st.lists(st.tuples(st.integers(0, 200_000), st.binary(min_size=1, max_size=40)), max_size=6))
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
def test_whatever_is_written_into_it_it_is_whole_or_refused(tmp_path_factory, database, changes):
    content = bytearray(database.read_bytes())
    for at, given_bytes in changes:
        place = at % len(content)
        content[place : place + len(given_bytes)] = given_bytes
    altered = tmp_path_factory.mktemp("altered") / "project.sqlite3"
    altered.write_bytes(content)
    try:
        check_database(altered)
    except DatabaseRefused:
        return
