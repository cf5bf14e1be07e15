"""The shelf: recordings in the database."""

from __future__ import annotations

from typing import Any, NamedTuple

from sqlalchemy import exists, func, select
from sqlalchemy.orm import Session

from innerbloom.core.declare.sound import Sound
from innerbloom.core.deliver.credits import Credit
from innerbloom.core.instrument.grow import sound_from
from innerbloom.core.instrument.layering import FoundLoop
from innerbloom.core.materials.wavetable.table import CYCLE
from innerbloom.core.names import numbered
from innerbloom.core.pitch_names import hz_to_note
from innerbloom.store.models import Recording, now
from innerbloom.store.spectra import recipe_of


def shelf(db: Session) -> list[Recording]:
    """Sounds that are not deleted, oldest first."""
    kept = select(Recording).where(Recording.deleted.is_(None))
    return list(db.scalars(kept.order_by(Recording.id)))


class Ancestor(NamedTuple):
    """A sound that another was made from, and in which role."""

    row: Recording
    role: str


def ancestors(db: Session, row: Recording) -> list[Ancestor]:
    """What a sound was made from, nearest first, deleted ones too."""
    out: list[Ancestor] = []
    queue = _parents(db, row)
    while queue and len(out) < 50:
        one = queue.pop(0)
        if one.row.id != row.id and all(one.row.id != seen.row.id for seen in out):
            out.append(one)
            queue += _parents(db, one.row)
    return out


def credits_of(db: Session, digests: list[str]) -> list[Credit]:
    """Credits of all recordings that some sounds of the shelf go back to, each once."""
    found: dict[str, Credit] = {}
    for digest in digests:
        row = with_digest(db, digest)
        if row is None:
            found[digest] = Credit(name=f"a recording that is gone ({digest[:8]})", digest=digest)
            continue
        sources = [one.row for one in ancestors(db, row) if one.row.kind == "recording"]
        for one in sources or [row]:
            found[one.digest] = Credit(
                name=one.name, digest=one.digest, recordist=one.recordist, place=one.place,
                date=one.date, licence=one.licence,
            )  # fmt: skip
    return list(found.values())


def _parents(db: Session, row: Recording) -> list[Ancestor]:
    lineage = row.lineage
    # a recipe works on one recording; what else has recordings says by its kind what they are to it
    used = (
        "played in it"
        if "instrument" in lineage or "take" in lineage
        else _TAKEN.get(row.kind, "taken from")
    )
    said = [(lineage.get("digest"), "prepared from")]
    said += [(digest, used) for digest in lineage.get("recordings", [])]
    found = [(with_digest(db, digest), role) for digest, role in said if digest]
    return [Ancestor(one, role) for one, role in found if one is not None]


_TAKEN = {"wavetable": "frames taken from", "spectrum": "taken apart from"}


def descendants(db: Session, row: Recording) -> list[Recording]:
    """What was made from a sound directly, deleted ones left out."""
    used = func.json_each(Recording.lineage, "$.recordings").table_valued("value")
    kept = select(Recording).where(
        Recording.deleted.is_(None),
        Recording.id != row.id,
        (func.json_extract(Recording.lineage, "$.digest") == row.digest)
        | exists(select(used.c.value).where(used.c.value == row.digest)),
    )
    return list(db.scalars(kept.order_by(Recording.id)))


def get(db: Session, recording_id: int) -> Recording | None:
    return db.get(Recording, recording_id)


def with_digest(db: Session, digest: str) -> Recording | None:
    """The recording of this content, one that is not deleted before one that is."""
    statement = select(Recording).where(Recording.digest == digest)
    return db.scalars(statement.order_by(Recording.deleted.is_not(None), Recording.id)).first()


def add(
    db: Session,
    digest: str,
    filename: str,
    found: dict[str, Any],
    lineage: dict[str, Any] | None = None,
    kind: str = "recording",
) -> Recording:
    """Put a measured file on the shelf; one that was deleted comes back instead.

    Whoever asks commits: what belongs together is on the shelf together.
    """
    present = with_digest(db, digest)
    if present is not None:
        present.deleted = None
        db.flush()
        return present
    name = found["name"]
    if kind != "recording":
        # recordings keep the names of their files; what is made here gets names of its own
        name = _free(db, name)
    recording = Recording(
        digest=digest, filename=filename[:255], name=name, measured=found["measured"],
        lineage=lineage or {}, kind=kind,
        **{field: found.get(field, "") for field in ("title", "scene", "take", "place")},
        **{field: found["origin"][field] for field in ORIGIN},
    )  # fmt: skip
    db.add(recording)
    db.flush()
    return recording


def _free(db: Session, name: str) -> str:
    """A name that nothing on the shelf has."""
    on_shelf = select(Recording.name).where(Recording.deleted.is_(None))
    if db.scalars(on_shelf.where(Recording.name == name)).first() is None:
        return name
    return numbered(name, db.scalars(on_shelf))


ORIGIN = ("notes", "recordist", "licence", "date")


def origin_of(row: Recording | None) -> dict[str, str]:
    """Notes and credits of a recording, empty ones for none."""
    return {field: getattr(row, field) if row else "" for field in ORIGIN}


def delete(db: Session, recording: Recording) -> None:
    recording.deleted = now()
    db.commit()


def restore(db: Session, recording: Recording) -> None:
    recording.deleted = None
    db.commit()


def batch(db: Session, rows: list[Recording], action: str, tag: str) -> list[int]:
    """Do one thing to several sounds; gives the ids of those it changed."""
    changed = []
    for row in rows:
        before = (row.deleted, list(row.tags))
        if action == "delete":
            row.deleted = row.deleted or now()
        elif action == "restore":
            row.deleted = None
        elif action == "tag" and tag not in row.tags:
            row.tags = [*row.tags, tag]
        elif action == "untag":
            row.tags = [one for one in row.tags if one != tag]
        if before != (row.deleted, row.tags):
            changed.append(row.id)
    db.commit()
    return changed


def _root_of(row: Recording) -> float | None:
    """A note that was rendered has the key that was played, whatever is measured of it."""
    played = row.lineage.get("played") or {}
    if played.get("midi") is None and "key" in played:
        return float(played["key"])
    hz = row.measured["root_hz"]
    return None if hz is None else hz_to_note(hz)


def sound_of(row: Recording) -> tuple[Sound, FoundLoop | None]:
    """A sound on the shelf as a layer plays it, with the first loop that comes with it."""
    measured = row.measured
    if row.kind == "wavetable":
        return Sound(recording=row.digest, name=row.name, cycle=CYCLE), None
    recipe = recipe_of(row.lineage)
    if recipe is not None:
        return recipe.sound, None
    sound = sound_from(
        duration_s=measured["duration_s"],
        root=_root_of(row),
        loudness_lufs=measured["lufs"],
        recording=row.digest,
        name=row.name,
    )
    loops = measured.get("loops") or []
    if not loops or sound.length is not None:
        return sound, None
    first: dict[str, Any] = loops[0]
    rate, seconds = measured["rate"], measured["duration_s"]
    frames = first["end"] - first["start"]
    return sound, FoundLoop(
        first["start"] / rate / seconds, 1000.0 * frames / rate,
        first.get("direction", "forward"), first.get("stay", True),
    )  # fmt: skip
