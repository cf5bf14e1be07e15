"""A whole project as one archive: taken elsewhere it is the same, and of a damaged one it is told what is whole."""

from __future__ import annotations

import io
import json
import subprocess
import tarfile

import numpy as np
import pytest
import soundfile as sf
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import select

from innerbloom.core.errors import BundleError, Cancelled
from innerbloom.store.archive import (
    CHECKSUMS,
    MANIFEST,
    open_archive,
    verify_archive,
    verify_recordings,
    write_archive,
)
from innerbloom.store.database import open_database
from innerbloom.store.files import FileStore
from innerbloom.store.models import Recording, Setting
from tests.shell import bloom, lines

RNG = np.random.default_rng(7)


@pytest.fixture(scope="module")
def project(tmp_path_factory):
    """A project of three recordings, with things beside them that pass."""
    root = tmp_path_factory.mktemp("archive") / "project"
    store = FileStore(root)
    sessions = open_database(store.database)
    with sessions() as db:
        for number in range(3):
            incoming = store.new_incoming("a.wav")
            sf.write(incoming, 0.1 * RNG.standard_normal(9_000 + number), 48_000)
            digest = _sha256(incoming)
            store.adopt(incoming, digest, ".wav")
            db.add(Recording(digest=digest, name=f"Reeds {number}", filename="a.wav", measured={}))
        db.add(Setting(key="project", value={"project": "Sluice"}))
        db.commit()
    (root / "movements").mkdir()
    (root / "movements/abc.json").write_text("{}")
    (root / "renders/passing.wav").write_bytes(b"x")
    (root / "incoming/half.wav").write_bytes(b"x")
    return store


def _sha256(path):
    done = subprocess.run(["sha256sum", path], capture_output=True, text=True, check=True)
    return done.stdout.split()[0]


@pytest.fixture(scope="module")
def archive(project):
    path = project.root.parent / "whole.tar"
    write_archive(project, path)
    return path


def test_opened_elsewhere_it_is_the_same_project(archive, project, tmp_path):
    found = open_archive(archive, tmp_path / "there")
    assert found.sound
    store = FileStore(tmp_path / "there")
    with open_database(store.database)() as db:
        rows = list(db.scalars(select(Recording)))
        assert [row.name for row in rows] == ["Reeds 0", "Reeds 1", "Reeds 2"]
        for row in rows:
            assert (
                store.readable(row.digest).read_bytes() == project.readable(row.digest).read_bytes()
            )
    assert (tmp_path / "there/movements/abc.json").read_text() == "{}"
    assert not (tmp_path / "there/renders/passing.wav").exists()
    assert not (tmp_path / "there/incoming/half.wav").exists()


def test_the_shells_own_tools_read_and_verify_it(archive, tmp_path):
    subprocess.run(["tar", "xf", archive, "-C", tmp_path], check=True)
    subprocess.run(["sha256sum", "--quiet", "-c", CHECKSUMS], cwd=tmp_path, check=True)
    listed = json.loads((tmp_path / MANIFEST).read_text())["files"]
    there = {str(path.relative_to(tmp_path)) for path in tmp_path.rglob("*") if path.is_file()}
    assert {one["name"] for one in listed} == there - {MANIFEST, CHECKSUMS}


def test_the_database_is_consistent_while_it_is_written_to(project, tmp_path):
    sessions = open_database(project.database)
    with sessions() as db:
        db.add(Setting(key="half way", value={}))
        db.flush()
        write_archive(project, tmp_path / "now.tar")
        db.rollback()
    open_archive(tmp_path / "now.tar", tmp_path / "there")
    with open_database(tmp_path / "there/project.sqlite3")() as db:
        assert db.get(Setting, "half way") is None


def test_one_that_is_cut_short_says_what_is_whole_and_lets_it_be_saved(archive, tmp_path):
    cut = tmp_path / "cut.tar"
    whole = archive.read_bytes()
    cut.write_bytes(whole[: len(whole) * 3 // 4])
    found = verify_archive(cut)
    assert "project.sqlite3" in found.whole
    assert found.missing or found.damaged
    with pytest.raises(
        BundleError, match=r"damaged: \d of \d files are whole; not whole: recordings"
    ):
        open_archive(cut, tmp_path / "there")
    assert not (tmp_path / "there").exists()
    saved = open_archive(cut, tmp_path / "there", salvage=True)
    for name in saved.whole:
        assert (tmp_path / "there" / name).is_file()
    assert all(not (tmp_path / "there" / name).exists() for name in saved.damaged)


@settings(
    max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(place=st.floats(0, 1), bit=st.integers(0, 7))
def test_no_flipped_bit_goes_unnoticed_or_leaves_a_folder(archive, tmp_path_factory, place, bit):
    data = bytearray(archive.read_bytes())
    at = int(place * (len(data) - 1))
    data[at] ^= 1 << bit
    folder = tmp_path_factory.mktemp("flip")
    (folder / "flipped.tar").write_bytes(data)
    try:
        found = open_archive(folder / "flipped.tar", folder / "there")
    except BundleError:
        assert not (folder / "there").exists()
        return
    # a bit of the padding, of a time, or of the copy of the checksums: what was unpacked is what was meant
    assert found.sound
    for path in (folder / "there").rglob("*"):
        if path.is_file():
            assert path.read_bytes() == _original(archive, str(path.relative_to(folder / "there")))


def _original(archive, name):
    with tarfile.open(archive) as opened:
        return opened.extractfile(name).read()


@pytest.mark.parametrize(
    "name", ["../escaped", "/etc/escaped", "a/../../escaped", "c:evil", "a\\..\\b"]
)
def test_names_that_lead_out_of_the_folder_are_refused(name, tmp_path):
    manifest = {"format": "inner-bloom/project", "version": 1, "made": "2026-01-01T00:00:00Z",
                "files": [{"name": name, "bytes": 1, "sha256": "0" * 64}]}  # fmt: skip
    with tarfile.open(tmp_path / "evil.tar", "w") as out:
        for entry, content in ((MANIFEST, json.dumps(manifest).encode()), (name, b"x")):
            info = tarfile.TarInfo(entry)
            info.size = len(content)
            out.addfile(info, io.BytesIO(content))
    with pytest.raises(BundleError, match="unsafe name"):
        open_archive(tmp_path / "evil.tar", tmp_path / "in" / "there")
    assert not (tmp_path / "escaped").exists()
    assert not (tmp_path / "in" / "escaped").exists()


def test_links_are_not_followed(tmp_path):
    manifest = {"format": "inner-bloom/project", "version": 1, "made": "2026-01-01T00:00:00Z",
                "files": [{"name": "project.sqlite3", "bytes": 1, "sha256": "0" * 64}]}  # fmt: skip
    with tarfile.open(tmp_path / "evil.tar", "w") as out:
        content = json.dumps(manifest).encode()
        info = tarfile.TarInfo(MANIFEST)
        info.size = len(content)
        out.addfile(info, io.BytesIO(content))
        link = tarfile.TarInfo("project.sqlite3")
        link.type, link.linkname = tarfile.SYMTYPE, "/etc/passwd"
        out.addfile(link)
    with pytest.raises(BundleError, match="0 of 1 files are whole"):
        open_archive(tmp_path / "evil.tar", tmp_path / "there")


@pytest.mark.parametrize("content", [b"", b"nothing at all" * 100, b"\x1f\x8b" + bytes(600)])
def test_what_is_no_archive_is_said(content, tmp_path):
    (tmp_path / "no.tar").write_bytes(content)
    with pytest.raises(BundleError, match="not an archive of a project"):
        verify_archive(tmp_path / "no.tar")


def test_a_cancel_leaves_nothing(project, archive, tmp_path):
    with pytest.raises(Cancelled):
        write_archive(project, tmp_path / "a.tar", lambda share: share < 0.3)
    with pytest.raises(Cancelled):
        open_archive(archive, tmp_path / "there", report=lambda share: share < 0.3)
    assert list(tmp_path.iterdir()) == []


def test_recordings_are_compared_with_their_hashes_where_they_lie(project, tmp_path, archive):
    assert verify_recordings(project).sound
    open_archive(archive, tmp_path / "there")
    store = FileStore(tmp_path / "there")
    hurt = next(store.originals.glob("*/*"))
    data = bytearray(hurt.read_bytes())
    data[-1] ^= 1
    hurt.write_bytes(data)
    assert verify_recordings(store).damaged == [hurt.name]
    said = bloom("check", tmp_path / "there")
    assert said.exit_code == 1
    assert f"2 of 3 files are whole; not whole: {hurt.name}" in said.stdout
    (facts,) = lines(bloom("check", tmp_path / "there", "--json"))
    assert facts["damaged"] == [hurt.name]
    assert (len(facts["whole"]), facts["missing"]) == (2, [])


def test_the_shell_takes_a_project_elsewhere(project, tmp_path):
    done = bloom("archive", project.root, "--out", tmp_path / "p.tar")
    assert done.exit_code == 0, done.stderr
    again = bloom("archive", project.root, "--out", tmp_path / "p.tar")
    assert (again.exit_code, "there already" in again.stderr) == (1, True)
    assert bloom("check", tmp_path / "p.tar").exit_code == 0
    opened = bloom("open", tmp_path / "p.tar", "--folder", tmp_path / "there")
    assert opened.exit_code == 0, opened.stderr
    assert "files are whole" in opened.stdout
    again = bloom("open", tmp_path / "p.tar", "--folder", tmp_path / "there")
    assert (again.exit_code, "there already" in again.stderr) == (1, True)
    assert (
        "not the folder of a project"
        in bloom("archive", tmp_path, "--out", tmp_path / "q.tar").stderr
    )
    assert (
        "There is no archive"
        in bloom("open", tmp_path / "no.tar", "--folder", tmp_path / "x").stderr
    )
