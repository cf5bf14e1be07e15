"""Modulators and routes of demo instruments, in few words."""

from __future__ import annotations

from typing import Any

from innerbloom.core.instrument import wiring
from innerbloom.core.instrument.document import Instrument
from innerbloom.core.instrument.sentences import parse


def with_modulator(
    document: Instrument, kind: str, name: str, more: Any = None, **settings: Any
) -> Instrument:
    """A modulator more, with what else it needs."""
    return wiring.add_modulator(document, kind, name, settings=settings, **(more or {}))


def said(document: Instrument, *sentences: str) -> Instrument:
    """Routes more, each as a sentence."""
    for sentence in sentences:
        document = parse(document, sentence)
    return document
