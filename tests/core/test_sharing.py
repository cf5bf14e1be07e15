"""Documents of a long performance share what they have in common, and an edit is told by what it changed.

What tells it is applied by jsonpatch, which implements RFC 6902.
"""

from __future__ import annotations

import copy
import sys

import jsonpatch
from hypothesis import given
from hypothesis import strategies as st

from innerbloom.core.performance.sharing import differences, sharing
from tests.core.test_takes import Player

JSON = st.recursive(
    st.none() | st.booleans() | st.integers(-3, 3) | st.sampled_from("abc"),
    lambda inner: (
        st.lists(inner, max_size=4)
        | st.dictionaries(st.sampled_from(["id", "x", "y"]), inner, max_size=3)
    ),
    max_leaves=12,
)


@given(JSON, JSON)
def test_what_is_shared_is_equal_and_changes_neither(new, old):
    before = copy.deepcopy((new, old))
    assert sharing(new, old) == new
    assert (new, old) == before
    assert sharing(copy.deepcopy(old), old) is old


KEYED = st.dictionaries(st.sampled_from(["a/b", "c~d", ""]), JSON, max_size=3)


@given(KEYED, KEYED)
def test_differences_lead_from_one_document_to_the_other(old, new):
    before = copy.deepcopy((old, new))
    assert jsonpatch.apply_patch(old, list(differences(old, new))) == new
    assert (old, new) == before
    assert list(differences(old, copy.deepcopy(old))) == []
    assert list(differences(old, sharing(copy.deepcopy(old), old))) == []


def test_a_moved_setting_is_one_operation_and_what_is_shared_is_not_looked_into():
    class Untouchable(dict):
        def items(self):
            raise AssertionError("looked into")

    untouched = Untouchable(a=1)
    old = {"layers": [{"level": -6.0, "sounds": untouched}], "effects": untouched}
    new = {"layers": [{"level": -7.0, "sounds": untouched}], "effects": untouched}
    assert list(differences(old, new)) == [
        {"op": "replace", "path": "/layers/0/level", "value": -7.0}
    ]


def test_a_layer_that_moves_up_is_still_shared():
    old = {"layers": [{"id": "a", "x": [1]}, {"id": "b", "x": [2]}]}
    new = {"layers": [{"id": "b", "x": [2]}, {"id": "a", "x": [3]}]}
    assert sharing(new, old)["layers"][0] is old["layers"][1]


def _memory(plain, seen) -> int:
    if id(plain) in seen:
        return 0
    seen.add(id(plain))
    parts = plain.values() if isinstance(plain, dict) else plain if isinstance(plain, list) else ()
    return sys.getsizeof(plain) + sum(_memory(one, seen) for one in parts)


def test_a_hundred_edits_without_a_silence_take_a_fraction_of_a_hundred_documents():
    player = Player()
    player.do(("on", 1, 60.0, 0.8))
    for number in range(100):
        player.do(("edit", "mute", number))
        player.wait(1)
    edits = player.history.last().events
    kept = [one.document for one in edits if hasattr(one, "document")]
    assert len(kept) == 100
    seen: set[int] = set()
    together = sum(_memory(one, seen) for one in kept)
    assert together < 0.25 * sum(_memory(one, set()) for one in kept)


def test_edits_count_against_what_is_kept():
    player = Player(most_events=400)
    player.do(("on", 1, 60.0, 0.8))
    for number in range(30):
        player.do(("edit", "mute", number))
        player.wait(1)
    take = player.history.last()
    assert not take.exact
    assert len(take.events) < 15
