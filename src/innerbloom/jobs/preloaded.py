"""All that jobs may need, loaded once, in the process from which those that do jobs are forked.

It steps aside for the page and the sound while it loads, as they do.
"""

from __future__ import annotations

from innerbloom.loading import loading
from innerbloom.processes import lower_priority

lower_priority()
with loading():
    from innerbloom.jobs import service  # noqa: F401
