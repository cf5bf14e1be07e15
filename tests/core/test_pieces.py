"""Recordings in pieces: splits, decisions that stay with their piece, levels together."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from innerbloom.core.analysis.onsets import onset_strength
from innerbloom.core.errors import DocumentError
from innerbloom.core.prepare.levelling import levelled_together
from innerbloom.core.prepare.pieces import Pieces, beginnings, cut_pieces, parse_pieces
from innerbloom.core.prepare.recipe import piece_recipe
from innerbloom.core.prepare.run import run_recipe
from tests.sounds import RATE, Source, db, recipe

MOMENTS = np.array([0.3, 0.9, 1.5, 2.1])
LEVELS = (0.5, 0.1, 0.3, 0.02)


def strikes() -> np.ndarray:
    """Four bursts that fade, the last 28 dB below the first."""
    rng = np.random.default_rng(8)
    out = 1e-5 * rng.standard_normal(3 * RATE)
    for moment, level in zip(MOMENTS, LEVELS, strict=True):
        n, start = RATE // 4, round(moment * RATE)
        out[start : start + n] += level * rng.standard_normal(n) * np.exp(-np.arange(n) / 1_200)
    return out.astype(np.float32)[:, None]


SOUND = strikes()
STRENGTH = onset_strength(SOUND, RATE)
READ = Source(SOUND).read


def pieces_of(**document):
    wanted = Pieces(**document)
    return cut_pieces(wanted, beginnings(wanted, STRENGTH, READ, RATE), STRENGTH, 3.0)


def test_pieces_begin_at_the_sample_where_the_sound_does():
    found = pieces_of()
    assert [one.start for one in found] == pytest.approx(MOMENTS, abs=0.002)
    assert all(one.usual and 0.03 < one.end - one.start < 0.5 for one in found)
    levels = [one.level_db for one in found]
    assert levels[0] - levels[3] == pytest.approx(28, abs=3)


@pytest.mark.parametrize(
    ("document", "kept"),
    [
        ({"quietest": -30}, [True, True, True, False]),
        ({"shortest": 2_000}, [False] * 4),
        ({"undecided": "drop"}, [False] * 4),
        ({"level": -20}, [True, True, True]),
        ({"gap": 1_000}, [True, True]),
    ],
)
def test_pieces_are_dropped_by_what_is_asked_of_all(document, kept):
    assert [one.usual for one in pieces_of(**document)] == kept


def test_rolls_reach_out_but_never_into_the_next_piece():
    plain, early = pieces_of(), pieces_of(pre=100)
    for before, after in zip(plain, early, strict=True):
        assert after.start == pytest.approx(before.start - 0.1, abs=1e-9)
        assert after.end == before.end
    # with every end drawn out there is no room left before the next beginning
    rolled = pieces_of(pre=100, post=5_000)
    for before, after in zip(plain[1:], rolled[1:], strict=True):
        assert after.start == pytest.approx(before.start, abs=1e-9)
    for one, following in pairwise(rolled):
        assert one.end <= following.start + 1e-9
    assert rolled[-1].end == 3.0
    # a piece goes by where it begins, whatever is laid around it
    assert [one.key for one in plain] == [one.key for one in rolled]


def test_a_split_taken_away_joins_two_and_one_by_hand_parts_them():
    second = pieces_of()[1]
    joined = pieces_of(removed=[float(second.key)])
    assert len(joined) == 3
    assert joined[0].end >= second.end
    parted = pieces_of(by_hand=[2.75])
    assert (parted[-1].start, parted[-1].end) == (2.75, 3.0)


@settings(max_examples=30, deadline=None)
@given(
    sensitivity=st.floats(0, 100), gap=st.floats(10, 2_000), pre=st.floats(0, 500),
    post=st.floats(0, 5_000), by_hand=st.lists(st.floats(0, 2.99), max_size=4),
)  # fmt: skip
def test_pieces_lie_in_order_within_the_sound(sensitivity, gap, pre, post, by_hand):
    """Invariant: whatever is set, pieces are apart, in order and inside, and keys are their own."""
    found = pieces_of(sensitivity=sensitivity, gap=gap, pre=pre, post=post, by_hand=by_hand)
    edges = [edge for one in found for edge in (one.start, one.end)]
    assert edges == sorted(edges)
    assert not edges or (edges[0] >= 0 and edges[-1] <= 3.0 + 0.02)
    assert len({one.key for one in found}) == len(found)


def test_pieces_levelled_together_keep_their_dynamics():
    steps = recipe({"do": "cut", "fade_in": 0, "fade_out": 0}, {"do": "normalise", "peak": -1})
    stretches = [(one.start, one.end) for one in pieces_of()]
    together = levelled_together(steps, Source(SOUND), stretches)
    assert [step.do for step in together.steps] == ["cut", "gain"]

    def peaks(recipe):
        clips = [run_recipe(piece_recipe(recipe, *one), Source(SOUND)) for one in stretches]
        return [db(np.abs(clip.samples).max()) for clip in clips]

    assert peaks(steps) == pytest.approx([-1] * 4, abs=0.01)
    heard, given_ = peaks(together), peaks(recipe({"do": "cut", "fade_in": 0, "fade_out": 0}))
    assert max(heard) == pytest.approx(-1, abs=0.01)
    assert np.diff(heard) == pytest.approx(np.diff(given_), abs=0.01)


@pytest.mark.parametrize(
    ("data", "words"),
    [("{", "not pieces"), ({"gap": 0}, "gap"), ({"decisions": {"1": {"kept": 3}}}, "kept")],
)
def test_bad_documents_are_refused_with_a_sentence(data, words):
    with pytest.raises(DocumentError, match=words):
        parse_pieces(data)
