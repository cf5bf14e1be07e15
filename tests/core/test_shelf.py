"""The shelf in memory: whatever is done to recordings, it says what the database says."""

from __future__ import annotations

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import func

from innerbloom.store.database import open_database
from innerbloom.store.finding import Wanted, found
from innerbloom.store.models import Recording
from innerbloom.store.shelf import Shelf

MEASURED = {
    "duration_s": 2.0, "rate": 48_000, "channels": 1, "root_hz": 220.0, "root_note": "A3",
    "confidence": 0.9, "lufs": -23.0, "peak_dbfs": -3.0, "tonalness": 0.8, "timbre": [0.0] * 4,
}  # fmt: skip


def recording(number, **more):
    measured = MEASURED | more.pop("measured", {})
    return Recording(
        digest=f"{number:064x}", filename=f"{number}.wav", name=more.pop("name", f"take_{number}"),
        kind="recording", measured=measured, tags=more.pop("tags", []), **more,
    )  # fmt: skip


@pytest.fixture
def sessions(tmp_path):
    return open_database(tmp_path / "project.sqlite3")


def matching(shelf, db, query):
    columns, places = shelf.matching(db, query)
    return [columns.lines[place] for place in places]


ACTS = st.lists(
    st.tuples(
        st.sampled_from(["add", "rename", "tag", "delete", "restore", "measure", "roll back"]),
        st.integers(0, 9),
        st.booleans(),
    ),
    max_size=25,
)


def act(db, what, number, rows):
    """Do something to one of the recordings."""
    if what in ("add", "roll back"):
        db.add(recording(len(rows)))
        db.flush()
        return
    if not rows:
        return
    row = rows[number % len(rows)]
    if what == "rename":
        row.name += "_x"
    elif what == "tag":
        row.tags = [*row.tags, f"t{number}"]
    elif what == "measure":
        row.measured = row.measured | {"lufs": -30.0 - number}
    else:
        row.deleted = func.now() if what == "delete" else None


@given(acts=ACTS)
def test_it_is_what_a_new_reading_gives(tmp_path_factory, acts):
    sessions = open_database(tmp_path_factory.mktemp("shelf") / "project.sqlite3")
    shelf = Shelf(sessions)
    for what, number, looked_at in acts:
        with sessions() as db:
            rows = db.query(Recording).order_by(Recording.id).all()
            act(db, what, number, rows)
            if what == "roll back":
                db.rollback()
            else:
                db.commit()
        if looked_at:
            with sessions() as db:
                assert shelf.lines(db) == Shelf(sessions).lines(db)
    with sessions() as db:
        assert shelf.lines(db) == Shelf(sessions).lines(db)


def test_very_many_may_change_at_once(sessions, monkeypatch):
    """More than SQLite takes variables in a statement are read as a whole."""
    monkeypatch.setattr("innerbloom.store.shelf._MANY", 20)
    shelf = Shelf(sessions)
    with sessions() as db:
        db.add_all(recording(number) for number in range(50))
        db.commit()
        assert len(matching(shelf, db, "ta")) == 50
        for row in db.query(Recording):
            row.tags = ["all"]
        db.commit()
        assert {tag for line in shelf.lines(db) for tag in line.tags} == {"all"}
        assert len(matching(shelf, db, "al")) == 50


def test_what_is_not_stored_is_not_shown(sessions):
    shelf = Shelf(sessions)
    with sessions() as db:
        db.add(recording(1))
        db.flush()
        assert len(shelf.lines(db)) == 1
        db.rollback()
    with sessions() as other:
        assert shelf.lines(other) == []


@pytest.mark.parametrize(
    ("query", "names"),
    [
        ("take_1", ["take_1"]),
        ("TAKE", ["take_1", "takeX2", "rain %"]),
        ("%", ["rain %"]),
        ("_", ["take_1", "takeX2"]),
        ("wet roof", ["rain %"]),
        ("a3", ["take_1", "takeX2"]),
        ("bb1", ["rain %"]),
        ("B♭1 mono", ["rain %"]),
        ("noisy", ["rain %"]),
        ("tonal", ["take_1", "takeX2"]),
        ("stereo", []),
        ('"best" one', ["takeX2"]),
        ("gate_post", ["takeX2"]),
        ("ONE*", []),
        ("best OR wet", []),
        ("nothing", []),
    ],
)
def test_words_are_found_as_they_are_written(sessions, query, names):
    """Underscore, quote and star are letters here, whatever they are to SQL or its index."""
    with sessions() as db:
        db.add(recording(1))
        db.add(recording(2, name="takeX2", title='the "best" one', notes="at the gate_post"))
        more = {"root_hz": 58.27, "tonalness": 0.05}
        db.add(recording(3, name="rain %", tags=["wet", "take"], place="the roof", measured=more))
        db.commit()
    shelf = Shelf(sessions)
    with sessions() as db:
        for row in db.query(Recording):
            row.filename = f"{row.id}.wav"
        db.commit()
        assert [line.name for line in matching(shelf, db, query)] == names


def test_the_index_follows_what_is_changed_and_deleted(sessions):
    shelf = Shelf(sessions)
    with sessions() as db:
        db.add(recording(1, notes="moths against a lamp"))
        db.commit()
        row = db.query(Recording).one()
        assert len(matching(shelf, db, "mo")) == 1
        row.notes = "a pump's hum"
        db.commit()
        assert matching(shelf, db, "mo") == []
        assert len(matching(shelf, db, "HU")) == 1
        assert matching(shelf, db, "moths") == []
        assert len(matching(shelf, db, "pump's")) == 1
        db.delete(row)
        db.commit()
        assert matching(shelf, db, "pump's") == []
        assert matching(shelf, db, "hu") == []


LETTERS = st.text(st.characters(codec="utf-8", exclude_categories=("Cs", "Cc")), max_size=12)


@given(name=LETTERS, notes=LETTERS, cut=st.tuples(st.integers(0, 12), st.integers(1, 12)))
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
def test_every_part_of_a_text_finds_it(sessions, name, notes, cut):
    """Invariant: whatever stands in a name or a note between blanks is found by any part of it."""
    with sessions() as db:
        db.query(Recording).delete()
        db.add(recording(1, name=name, notes=notes))
        db.commit()
        shelf = Shelf(sessions)
        for text in (name, notes):
            for word in text.split():
                part = word[cut[0] : cut[0] + cut[1]]
                assert len(matching(shelf, db, part)) == 1


@pytest.mark.parametrize(
    ("wanted", "numbers"),
    [
        ({"shortest": 3}, [3]),
        ({"longest": 1}, [1]),
        ({"quietest": -20}, [2]),
        ({"character": "noisy"}, [1]),
        ({"pitched": "no"}, [3]),
        ({"root": 9}, [1, 2]),
        ({"order": "length", "descending": True}, [3, 2, 1]),
        ({"order": "loudness", "descending": True}, [2, 3, 1]),
        ({"order": "name"}, [1, 2, 3]),
        ({"order": "added", "descending": True}, [3, 2, 1]),
    ],
)
def test_sounds_are_found_by_what_was_measured(sessions, wanted, numbers):
    one = {"duration_s": 0.5, "lufs": -40.0, "tonalness": 0.1}
    two = {"duration_s": 2.0, "lufs": -12.0}
    three = {"duration_s": 60.0, "root_hz": None, "root_note": None}
    with sessions() as db:
        for number, measured in enumerate((one, two, three), 1):
            db.add(recording(number, measured=measured))
        db.commit()
        columns, among = Shelf(sessions).matching(db, "")
        assert columns.ids[found(columns, among, Wanted(**wanted))].tolist() == numbers


@given(
    st.lists(
        st.tuples(st.sampled_from("abB"), st.one_of(st.none(), st.sampled_from([-30.0, -12.0]))),
        max_size=8,
    ),
    st.sampled_from(["name", "loudness", "added"]),
    st.booleans(),
)
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
def test_an_order_is_that_of_a_stable_sort(sessions, sounds, order, descending):
    """Python's own sort is the outside source: the same ones stay as they were added."""
    with sessions() as db:
        db.query(Recording).delete()
        for number, (name, lufs) in enumerate(sounds):
            db.add(recording(number, name=name, measured={"lufs": lufs}))
        db.commit()
        columns, among = Shelf(sessions).matching(db, "")
        wanted = Wanted(order=order, descending=descending)
        keys = {
            "name": lambda line: line.name.casefold(),
            "loudness": lambda line: -1e9 if line.lufs is None else line.lufs,
            "added": lambda line: line.id,
        }
        expected = sorted(columns.lines, key=keys[order], reverse=descending)
        assert columns.ids[found(columns, among, wanted)].tolist() == [one.id for one in expected]
