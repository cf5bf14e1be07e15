"""Documents with revisions over HTTP: one resource, made for each kind of document."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from typing import Any, Generic, TypeVar

from apiflask import APIBlueprint, HTTPError
from pydantic import BaseModel, Field, create_model

from innerbloom.core.declare.revisions import DocumentKind, Patch, Way
from innerbloom.store import documents
from innerbloom.store.documents import DOCUMENT_KINDS
from innerbloom.store.models import Document
from innerbloom.web.schemas import _In
from innerbloom.web.services import database

M = TypeVar("M", bound=BaseModel)


class Revision(BaseModel, Generic[M]):
    """A document as it stands.

    Attributes
    ----------
    id : int
        The number it has in its address.
    revision : int
        To be given back with a change, which is refused (409) if there is a newer one.
    sentences : list of str
        What it says in words, where it reads as sentences: one a step.
    undo, redo : str or None
        Labels of what would be taken back and made again.
    """

    id: int
    revision: int
    document: M
    sentences: list[str]
    undo: str | None
    redo: str | None


class RevisionIn(_In):
    revision: int = Field(ge=0)


class EditIn(RevisionIn):
    """A change, as a JSON Patch (RFC 6902) on the newest revision."""

    label: str = Field(default="Change", max_length=120)
    patch: Patch


@cache
def answer_model(kind: DocumentKind[Any]) -> type[Revision[Any]]:
    """The answer that carries a document of one kind."""
    base = Revision[kind.model]  # type: ignore[name-defined]
    return create_model(f"{kind.id.title()}Revision", __base__=base)


def revision_of(row: Document) -> Revision[Any]:
    """The newest revision of a document, as it is answered."""
    kind = DOCUMENT_KINDS[row.kind]
    document = kind.parse(row.content)
    ways = documents.ways(database(), row)
    return answer_model(kind)(
        id=row.id if row.recording_id is None else row.recording_id, revision=row.revision,
        document=document, sentences=kind.sentences(document), undo=ways.undo, redo=ways.redo,
    )  # fmt: skip


def add_revisions(
    bp: APIBlueprint, rule: str, kind: DocumentKind[Any], find: Callable[..., Document]
) -> None:
    """Serve a kind of document: get it, change it, undo and redo.

    Parameters
    ----------
    rule : str
        Address of the document, with its number: ``"/instruments/<int:instrument_id>"``.
    find : callable
        Gives the document of the address's number; raises an HTTPError where there is none.
    """
    answer = answer_model(kind)

    @bp.get(rule, endpoint=f"get_{kind.id}")
    @bp.output(answer)
    @bp.doc(summary=f"The newest revision of this {kind.name}")
    def get(**where: int) -> Revision[Any]:
        return revision_of(find(**where))

    @bp.patch(rule, endpoint=f"edit_{kind.id}")
    @bp.input(EditIn, location="json")
    @bp.output(answer)
    @bp.doc(summary=f"Change this {kind.name} by a JSON Patch (RFC 6902)")
    def edit(json_data: EditIn, **where: int) -> Revision[Any]:
        row = find(**where)
        documents.edit(database(), row, json_data.revision, json_data.patch, json_data.label)
        return revision_of(row)

    @bp.post(f"{rule}/<any(undo, redo):way>", endpoint=f"step_{kind.id}")
    @bp.input(RevisionIn, location="json")
    @bp.output(answer)
    @bp.doc(summary=f"Take the last change of this {kind.name} back, or make it again")
    def step(way: Way, json_data: RevisionIn, **where: int) -> Revision[Any]:
        row = find(**where)
        documents.step(database(), row, json_data.revision, way)
        return revision_of(row)


def find_document(kind: DocumentKind[Any], number: int, *, deleted: bool = False) -> Document:
    """The document of a number; raises an HTTPError where there is none of this kind."""
    row = database().get(Document, number)
    if row is None or row.kind != kind.id or (row.deleted is not None and not deleted):
        raise HTTPError(404, f"This {kind.name} does not exist or was deleted.")
    return row


def add_deletion(
    bp: APIBlueprint, rule: str, kind: DocumentKind[Any], find: Callable[..., Document]
) -> None:
    """Let a kind of document be deleted, and be brought back; arguments as of :func:`add_revisions`."""

    @bp.delete(rule, endpoint=f"delete_{kind.id}")
    @bp.output({}, status_code=204)
    @bp.doc(summary=f"Delete this {kind.name}; it can be restored")
    def delete(**where: int) -> str:
        documents.set_deleted(database(), find(**where), True)
        return ""

    @bp.post(f"{rule}/restore", endpoint=f"restore_{kind.id}")
    @bp.output(answer_model(kind))
    @bp.doc(summary=f"Bring this {kind.name} back after it was deleted")
    def restore(**where: int) -> Revision[Any]:
        row = find(**where, deleted=True)
        documents.set_deleted(database(), row, False)
        return revision_of(row)
