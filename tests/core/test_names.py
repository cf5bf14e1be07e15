"""Names of their own."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from innerbloom.core.names import LONGEST, numbered

NAMES = st.text(min_size=1, max_size=LONGEST)


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
