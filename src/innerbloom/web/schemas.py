"""What goes over the wire, as pydantic models; the page's types are generated from these."""

from __future__ import annotations

from datetime import datetime
from functools import lru_cache
from typing import Annotated, Any, Literal

from pydantic import Base64Bytes, BaseModel, ConfigDict, Field, field_validator

from innerbloom.core.analysis.tonalness import character
from innerbloom.core.pitch_names import hz_to_note, note_name
from innerbloom.core.sound.loop import Direction
from innerbloom.core.sound.writing import Format
from innerbloom.jobs.kind import JobResult
from innerbloom.jobs.kinds import JOB_KINDS
from innerbloom.store.finding import Alike
from innerbloom.store.models import Document, JobRow, Recording
from innerbloom.store.shelf import Line
from innerbloom.store.tidying import Used


class _In(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class LoopOut(BaseModel):
    start: int
    end: int
    direction: Direction
    stay: bool


class Measured(BaseModel):
    duration_s: float
    rate: int
    channels: int
    root_hz: float | None
    root_note: str | None
    cents: float | None
    confidence: float
    partial_hz: float | None = Field(
        default=None, description="Strongest lasting partial of a sound without a clear pitch."
    )
    partial_share: float = Field(default=0.0, description="Of its energy, 0..1.")
    lufs: float | None
    momentary_lufs: float | None = Field(
        default=None, description="Highest momentary loudness where a sound is under 400 ms."
    )
    peak_dbfs: float | None
    true_peak_dbtp: float | None
    noise_floor_dbfs: float | None
    tonalness: float
    frames: int | None = None
    loops: list[LoopOut] = []
    markers: list[float] = []
    remarks: list[str] = []


class InstrumentRef(BaseModel):
    id: int
    name: str


class LineageTold(BaseModel):
    """Where a sound came from: what is set of it depends on the way it came.

    Attributes
    ----------
    name : str
        Of the recording or instrument it was made from.
    steps : int
        How many the recipe had that made it.
    """

    name: str | None = None
    instrument: int | None = None
    revision: int | None = None
    bundle: str | None = None
    captured: str | None = None
    card: str | None = None
    take: int | None = None
    take_name: str | None = None
    instrument_name: str | None = None
    steps: int | None = None

    @classmethod
    def of(cls, lineage: dict[str, Any]) -> LineageTold:
        told = {key: lineage[key] for key in cls.model_fields if key in lineage}
        if "steps" in told:
            told["steps"] = len(told["steps"])
        return cls(**told)


class RecordingOut(BaseModel):
    id: int
    digest: str
    name: str
    filename: str
    measured: Measured
    notes: str
    recordist: str
    licence: str
    date: str
    place: str
    collection: str
    title: str
    scene: str
    take: str
    lineage: LineageTold
    kind: str
    character: str
    tags: list[str]
    created: datetime
    instruments: list[InstrumentRef]

    @classmethod
    def of(cls, row: Recording, tuning: float, grown: list[Document]) -> RecordingOut:
        measured = {**row.measured, **root_words(row.measured["root_hz"], tuning)}
        uses = [
            InstrumentRef(id=one.id, name=one.name)
            for one in grown
            if row.digest in one.summary.get("recordings", [])
        ]
        return cls(
            id=row.id, digest=row.digest, name=row.name, filename=row.filename,
            measured=Measured(**measured), notes=row.notes, recordist=row.recordist,
            licence=row.licence, date=row.date, lineage=LineageTold.of(row.lineage),
            kind=row.kind, tags=row.tags,
            character=character(row.measured["tonalness"]), place=row.place,
            collection=row.collection, created=row.created,
            title=row.title, scene=row.scene, take=row.take,
            instruments=uses,
        )  # fmt: skip


@lru_cache(maxsize=16_384)
def root_words(root_hz: float | None, tuning: float) -> dict[str, Any]:
    """The name of a root and the cents it is off, by the project's reference pitch."""
    if root_hz is None:
        return {"root_note": None, "cents": None}
    name, cents = note_name(hz_to_note(root_hz, tuning))
    return {"root_note": name, "cents": round(cents, 1)}


class RecordingLine(BaseModel):
    """A sound as lists show it."""

    id: int
    digest: str
    name: str
    filename: str
    kind: str
    tags: list[str]
    place: str
    collection: str
    duration_s: float
    rate: int
    channels: int
    frames: int | None
    root_hz: float | None
    root_note: str | None
    cents: float | None
    confidence: float
    lufs: float | None
    momentary_lufs: float | None = Field(
        default=None, description="Highest momentary loudness where a sound is under 400 ms."
    )
    peak_dbfs: float | None

    @staticmethod
    def plain(line: Line, tuning: float) -> dict[str, Any]:
        """The same as plain data: thousands at a time need no validation."""
        plain = line._asdict()
        del plain["tonalness"], plain["timbre"]
        return plain | root_words(line.root_hz, tuning)


class SoundRef(BaseModel):
    id: int
    name: str
    kind: str
    deleted: bool
    role: str = Field(default="", description="What it was to what was made: 'prepared from'.")

    @classmethod
    def of(cls, row: Recording, role: str = "") -> SoundRef:
        deleted = row.deleted is not None
        return cls(id=row.id, name=row.name, kind=row.kind, deleted=deleted, role=role)


class Lineage(BaseModel):
    made_from: list[SoundRef]
    made_into: list[SoundRef]


class RecordingsFound(BaseModel):
    """Ids of what was looked for, in the order that was asked for; by likeness with how and why."""

    ids: list[int]
    alike: list[Alike] = []


class RecordingList(BaseModel):
    recordings: list[RecordingLine]
    tags: list[str]
    places: list[str]
    collections: list[str]


class RecordingEdit(_In):
    name: str | None = Field(default=None, min_length=1, max_length=120)
    notes: str | None = Field(default=None, max_length=2_000)
    recordist: str | None = Field(default=None, max_length=200)
    licence: str | None = Field(default=None, max_length=200)
    date: str | None = Field(default=None, max_length=40)
    place: str | None = Field(default=None, max_length=200)
    collection: str | None = Field(default=None, max_length=80)
    tags: list[Annotated[str, Field(min_length=1, max_length=40)]] | None = Field(
        default=None, max_length=40
    )

    @field_validator("name")
    @classmethod
    def _not_blank(cls, value: str | None) -> str | None:
        if value is not None and not value.strip():
            raise ValueError("a recording needs a name")
        return value.strip() if value else value


class UploadIn(_In):
    """The name of a file, and the collection that what comes of it belongs to."""

    name: str = Field(min_length=1, max_length=1_000)
    collection: str = Field(default="", max_length=80)


class Uploaded(BaseModel):
    job: str | None
    recording: int | None
    message: str


class GrowIn(_In):
    at_s: float = Field(default=0.0, ge=0, le=1e6)


class InstrumentLine(BaseModel):
    id: int
    name: str
    revision: int
    changed: datetime
    layers: list[str]
    collection: str
    tags: list[str]

    @classmethod
    def of(cls, row: Document) -> InstrumentLine:
        return cls(
            id=row.id, name=row.name, revision=row.revision, changed=row.changed,
            layers=row.summary.get("petals", []), collection=row.collection, tags=row.tags,
        )  # fmt: skip


class InstrumentAbout(_In):
    """Where an instrument belongs and what it is found by; what is left out stays."""

    collection: str | None = Field(default=None, max_length=80)
    tags: list[Annotated[str, Field(min_length=1, max_length=40)]] | None = Field(
        default=None, max_length=40
    )


class SketchesIn(_In):
    instruments: list[int] = Field(min_length=1, max_length=1_000)


class SketchesState(BaseModel):
    """The job that makes what is missing, or None where nothing is."""

    job: str | None


class InstrumentList(BaseModel):
    instruments: list[InstrumentLine]


class RenderIn(_In):
    key: float = Field(default=48.0, ge=0, le=127)
    keys: list[Annotated[float, Field(ge=0, le=127)]] = Field(
        default=[], max_length=16, description="Further keys that are struck with it."
    )
    printed: bool = Field(
        default=False,
        description="Bring its peak to -0.3 dBFS, find its loop, and write loop and root.",
    )
    seconds: float = Field(default=4.0, ge=0.01, le=3600)
    velocity: float = Field(default=0.8, gt=0, le=1)
    midi: Base64Bytes | None = Field(
        default=None, max_length=8 << 20, description="A MIDI file in base64."
    )
    format: Literal["wav24", "wav32f", "flac"] = "wav24"
    seed: int | None = Field(
        default=None, ge=0, le=999_999, description="Other chance; that of the document if null."
    )
    title: str = Field(default="", max_length=120)


class InstrumentIn(_In):
    """A whole document, as docs/instrument.md tells."""

    document: dict[str, Any] = Field(description="An instrument.")


class ExportIn(_In):
    """Sounds to be written as files."""

    recordings: list[int] = Field(min_length=1, max_length=2_000)
    stage: str | None = Field(
        default=None, pattern="^[0-9a-f]{64}$",
        description="What the recipe of the one recording makes, by its key, in its place.",
    )  # fmt: skip
    format: Format = "wav24"
    rate: int | None = Field(default=None, ge=8_000, le=192_000, description="Hz; its own if null.")
    template: str = Field(default="{name}", min_length=1, max_length=120)


class JobOut(BaseModel):
    id: str
    kind: str
    words: str
    title: str
    state: Literal["queued", "running", "done", "failed", "cancelled"]
    progress: float
    error: str
    result: JobResult
    created: datetime

    @classmethod
    def of(cls, row: JobRow, state: str, progress: float) -> JobOut:
        return cls(
            id=row.id, kind=row.kind, words=JOB_KINDS[row.kind].words, title=row.title,
            state=state, progress=progress,  # type: ignore[arg-type]
            error=row.error, result=JobResult(**row.result), created=row.created,
        )  # fmt: skip


class JobsIn(_In):
    since: str = Field(default="", max_length=40, description="The moment of the last answer.")
    wait: float = Field(default=0.0, ge=0, le=10, description="Seconds to wait for a change.")


class JobList(BaseModel):
    """Jobs that changed since a moment, and the moment to ask from next.

    Without a moment, or with one of an earlier run of the server: all that are not at their end,
    and the newest of the others.
    """

    jobs: list[JobOut]
    moment: str


class JobStarted(BaseModel):
    job: str


class PeaksIn(_In):
    columns: int = Field(default=512, ge=1, le=8_192)
    start: float = Field(default=0.0, ge=0, le=1, description="Share of the recording.")
    end: float = Field(default=1.0, ge=0, le=1)


class LiveTicket(BaseModel):
    port: int
    ticket: str


class SettingsEdit(_In):
    project: str | None = Field(default=None, min_length=1, max_length=80)
    tuning: float | None = Field(default=None, ge=400, le=480)
    ring_blocks: int | None = Field(default=None, ge=4, le=12)
    keep_days: int | None = Field(default=None, ge=1, le=3_650)
    keep_gb: float | None = Field(default=None, ge=0.1, le=10_000)
    scheduler: str | None = Field(
        default=None, max_length=200, pattern=r"^((tcp|tls|ws|wss)://\S+)?$"
    )


class Storage(BaseModel):
    """What the project's folder holds, and the bytes that tidying has freed."""

    parts: list[Used]
    freed: int
