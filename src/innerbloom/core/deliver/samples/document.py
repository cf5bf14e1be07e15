"""A set of samples: which instrument is sampled and how, and what was made of it."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from innerbloom.core.declare.model import Model, Name, json_text
from innerbloom.core.declare.revisions import DocumentKind
from innerbloom.core.declare.validation import validated
from innerbloom.core.deliver.samples.settings import SampleModel, SampleSettings
from innerbloom.core.errors import DocumentError

SampleFormat = Literal["wav16", "wav24", "wav32f", "flac"]


class SampleSet(Model):
    """What is asked of a set of samples.

    Attributes
    ----------
    instrument : int or None
        Its number in the project.
    names : str
        Template for the names of files.
    made : str
        The folder of what was sampled last; empty where nothing was.
    """

    format: Literal["inner-bloom/samples"] = "inner-bloom/samples"
    version: Literal[1] = 1
    name: Name
    instrument: int | None = None
    instrument_name: str = Field(default="", max_length=120)
    settings: SampleModel = Field(default_factory=SampleSettings)
    names: str = Field(default="{name}_{root}_{velocity}", min_length=1, max_length=120)
    form: SampleFormat = "wav24"
    made: str = Field(default="", pattern=r"^([0-9a-f]{32})?$")


def parse_samples(data: Any) -> SampleSet:
    """Validate a document given as plain data or JSON text; raises a DocumentError."""
    data = json_text(data, "This is no set of samples", DocumentError)
    return validated(SampleSet, data, "set of samples")


KIND = DocumentKind("samples", "set of samples", SampleSet, parse_samples)
