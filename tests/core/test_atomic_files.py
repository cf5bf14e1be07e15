"""Files and folders are whole or absent, whoever looks and whatever ends."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import textwrap
import threading
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from innerbloom.core.atomic import final_name, folder_written_whole, kept_on_disk, written_whole


class Interrupted(Exception):
    """Whatever a block may end with."""


def test_it_takes_its_place_when_the_block_ends_well(tmp_path):
    path = tmp_path / "reeds.json"
    path.write_text("old")
    with written_whole(path) as beside:
        beside.write_text("new")
        # hidden, in the same folder and of the same suffix: libraries go by that
        assert beside.parent == tmp_path
        assert beside.name.startswith(".")
        assert beside.suffix == ".json"
        assert final_name(beside) == "reeds.json"
        assert path.read_text() == "old"
    assert path.read_text() == "new"
    assert os.listdir(tmp_path) == ["reeds.json"]


@pytest.mark.parametrize("error", [Interrupted, KeyboardInterrupt, OSError])
@pytest.mark.parametrize("before", ["old", None])
def test_what_was_there_stays_where_a_block_raises(tmp_path, error, before):
    path = tmp_path / "reeds.json"
    if before is not None:
        path.write_text(before)
    with pytest.raises(error), written_whole(path) as beside:
        beside.write_text("half of it")
        raise error
    assert os.listdir(tmp_path) == ([] if before is None else ["reeds.json"])
    assert before is None or path.read_text() == before


def test_a_block_that_writes_nothing_is_an_error_and_loses_nothing(tmp_path):
    path = tmp_path / "reeds.json"
    path.write_text("old")
    with pytest.raises(FileNotFoundError), written_whole(path):
        pass
    assert path.read_text() == "old"


def test_a_block_that_is_killed_leaves_the_old_file(tmp_path):
    """SIGKILL in the middle of a write: nothing in Python runs after it."""
    path = tmp_path / "reeds.json"
    path.write_text("old")
    script = textwrap.dedent(f"""
        import os, signal
        from pathlib import Path
        from innerbloom.core.atomic import written_whole
        with written_whole(Path({str(path)!r})) as beside:
            beside.write_text("half of it")
            os.kill(os.getpid(), signal.SIGKILL)
    """)
    ended = subprocess.run([sys.executable, "-c", script], check=False)
    assert ended.returncode == -signal.SIGKILL
    assert path.read_text() == "old"
    (left,) = (one for one in tmp_path.iterdir() if one != path)
    assert left.name.startswith(".")
    assert final_name(left) == path.name


def test_whoever_reads_meanwhile_finds_one_whole_file_or_the_other(tmp_path):
    path = tmp_path / "reeds.json"
    contents = {letter * 200_000 for letter in "ab"}
    path.write_text("a" * 200_000)
    seen, done = set(), threading.Event()

    def read() -> None:
        while not done.is_set():
            seen.add(path.read_text())

    def write(letter: str) -> None:
        for _ in range(40):
            with written_whole(path) as beside, beside.open("w") as handle:
                for _ in range(20):
                    handle.write(letter * 10_000)
                    handle.flush()

    reader = threading.Thread(target=read)
    writers = [threading.Thread(target=write, args=(letter,)) for letter in "ab"]
    for one in (reader, *writers):
        one.start()
    for one in writers:
        one.join()
    done.set()
    reader.join()
    assert seen <= contents
    assert os.listdir(tmp_path) == ["reeds.json"]


@given(st.from_regex(r"[^/\0]{1,60}", fullmatch=True).filter(lambda name: name not in (".", "..")))
def test_a_name_comes_back_from_the_hidden_one(name):
    """Invariant; a name that is nobody's hidden one is its own already."""
    beside = Path("/kept") / f".0123456789ab.{name}"
    assert final_name(beside) == name
    assert final_name(Path("/kept") / "reeds.wav") == "reeds.wav"


def test_what_is_kept_on_disk_has_to_be_there(tmp_path):
    path = tmp_path / "reeds.wav"
    with pytest.raises(FileNotFoundError):
        kept_on_disk(path)
    path.write_bytes(b"RIFF")
    kept_on_disk(path)
    assert path.read_bytes() == b"RIFF"


def test_a_folder_stands_there_once_all_of_it_does(tmp_path):
    folder = tmp_path / "deliveries" / "reeds"
    with folder_written_whole(folder) as beside:
        (beside / "low").mkdir()
        (beside / "low" / "a.wav").write_bytes(b"1")
        (beside / "b.wav").write_bytes(b"2")
        assert not folder.exists()
    found = sorted(str(one.relative_to(folder)) for one in folder.rglob("*"))
    assert found == ["b.wav", "low", "low/a.wav"]
    assert os.listdir(folder.parent) == ["reeds"]


def test_a_folder_that_is_not_filled_leaves_nothing(tmp_path):
    folder = tmp_path / "reeds"
    with pytest.raises(Interrupted), folder_written_whole(folder) as beside:
        (beside / "a.wav").write_bytes(b"1")
        raise Interrupted
    assert os.listdir(tmp_path) == []


def test_a_folder_that_is_there_is_not_written_over(tmp_path):
    folder = tmp_path / "reeds"
    folder.mkdir()
    (folder / "mine.wav").write_bytes(b"1")
    with pytest.raises(FileExistsError) as caught, folder_written_whole(folder):
        raise AssertionError("never begun")
    assert caught.value.filename == str(folder)
    assert os.listdir(folder) == ["mine.wav"]


def test_of_two_that_fill_the_same_folder_the_first_one_is_there_and_whole(tmp_path):
    folder = tmp_path / "reeds"
    with pytest.raises(FileExistsError), folder_written_whole(folder) as one:
        (one / "a.wav").write_bytes(b"1")
        with folder_written_whole(folder) as other:
            (other / "b.wav").write_bytes(b"2")
    assert os.listdir(folder) == ["b.wav"]
    assert os.listdir(tmp_path) == ["reeds"]
