"""Names of their own, and names that every file system takes."""

from __future__ import annotations

import os
import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from innerbloom.core.deliver.export import About, file_stem
from innerbloom.core.deliver.stems import plain_name
from innerbloom.core.errors import BloomError
from innerbloom.core.names import LONGEST, numbered, safe_stem

NAMES = st.text(min_size=1, max_size=LONGEST)
NAME_MAX = 255
"""Bytes of a file's name (POSIX: limits.h, as Linux and macOS have it)."""

DEVICES = {
    "CON", "PRN", "AUX", "NUL", *(f"{port}{n}" for port in ("COM", "LPT") for n in "0123456789¹²³"),
}  # fmt: skip
"""Names that Windows keeps for devices, whatever follows a dot ("Naming Files, Paths, and Namespaces")."""


@given(NAMES, st.lists(NAMES, max_size=5))
def test_a_name_is_its_own_and_no_longer_than_names_are(name, others):
    """Invariant: what comes out is free, and the name itself where that was free."""
    found = numbered(name, others)
    assert found not in others
    assert len(found) <= LONGEST
    assert found == name or name in others


def test_numbers_go_on_where_they_were():
    assert numbered("Lid 2", ["Lid", "Lid 2", "Lid 3"]) == "Lid 4"
    assert numbered("Lid", ["Lid"]) == "Lid 2"
    assert numbered("x" * LONGEST, ["x" * LONGEST]).endswith("x 2")


def test_names_of_files_that_differ_by_case_alone_are_one():
    """macOS and Windows do not tell them apart: one would be written over the other."""
    assert numbered("reed", ["Reed"], alike=str.casefold) == "reed 2"
    assert numbered("REED", ["Reed", "reed 2"], alike=str.casefold) == "REED 3"
    assert numbered("reed", ["Reed"]) == "reed"


@given(st.text(max_size=400))
def test_every_system_takes_the_name_of_a_file(text):
    """Invariant, by the rules of Windows and of POSIX: some name, or one sentence."""
    if not re.search(r"[a-zA-Z0-9]", text):
        text += "a"
    stem = safe_stem(text)
    assert not re.search(r'[<>:"/\\|?*\x00-\x1f\x7f]', stem)
    assert stem == stem.strip(" .")
    assert stem.partition(".")[0].rstrip().upper() not in DEVICES
    # with what goes before and behind it while it is written
    assert len(f".0123456789ab.{stem}_release.source.wav".encode()) <= NAME_MAX
    assert safe_stem(stem) == stem


@pytest.mark.parametrize(
    ("text", "stem"),
    [
        ("Reed_stems-01 (wet)", "Reed_stems-01 (wet)"),
        ("  ..hidden. ", "hidden"),
        ("a/b\\c:d", "a_b_c_d"),
        ("tab\tand\nline", "tab_and_line"),
        ("Łąka, świt", "Łąka, świt"),
        ("風" * 90, "風" * 60),
        ("a" * 119 + "_b", "a" * 119),
        ("風" * 59 + " 風風", "風" * 59),
        ("NUL", "_NUL"),
        ("com3.take 2", "_com3.take 2"),
        ("console", "console"),
        ("half a sign \ud83c", "half a sign"),
    ],
)
def test_what_becomes_of(text, stem):
    assert safe_stem(text) == stem


@pytest.mark.parametrize("text", ["风" * 120, "🎐" * 120, "ß" * 120, "x" * 120])
def test_the_longest_names_are_files(tmp_path, text):
    path = tmp_path / f".0123456789ab.{safe_stem(text)}.source.wav"
    path.write_bytes(b"")
    assert path.name in os.listdir(tmp_path)


@pytest.mark.parametrize("text", ["", "...", " _ ", "/", "\x00"])
def test_where_nothing_is_left_it_is_said(text):
    with pytest.raises(BloomError, match="Nothing is left of the name"):
        safe_stem(text)
    assert plain_name(text) == "untitled"


def test_a_template_makes_such_names():
    about = About("Sluice: gate/2", root_name="C#3", place="North")
    assert file_stem("{number}_{name}_{root}", about, 7) == "007_Sluice_ gate_2_Cs3"
    assert file_stem("{place}/{name}", about, 7) == "North_Sluice_ gate_2"
    with pytest.raises(BloomError, match=r"no \{mood\} for names"):
        file_stem("{mood}", about, 1)


@given(st.text(max_size=200))
def test_a_stem_has_no_white_space(name):
    found = plain_name(name)
    assert re.fullmatch(r"\S{1,81}", found)
