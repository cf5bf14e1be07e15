"""Every kind of task; a new one is its function and its place here."""

from __future__ import annotations

from innerbloom.batch.task import TaskKind
from innerbloom.batch.tasks import AGAIN, MIX, PIECE, SAMPLE, SWAP, TIMBRE, VARIATION
from innerbloom.core.declare.registry import Registry

TASK_KINDS: Registry[TaskKind] = Registry(SAMPLE, VARIATION, TIMBRE, SWAP, AGAIN, MIX, PIECE)
