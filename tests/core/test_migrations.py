"""Projects of earlier versions: documents are brought up to date, and what was done can be undone."""

from __future__ import annotations

import json
import sqlite3

import jsonpatch
import pytest
from sqlalchemy import create_engine

from innerbloom.core.instrument.document import KIND, parse_instrument
from innerbloom.store import documents
from innerbloom.store.database import migrate, open_database

DIGEST = "ab" * 32


def of_version_3(amount: float, coloured: bool = True, level: float = 0.0) -> dict:
    """A document as version 3 had it: colouring was a setting of every layer."""
    return {
        "version": 3,
        "name": "Reeds",
        "layers": [
            {
                "id": "l1",
                "name": "Reeds",
                "kind": "wave",
                "colour": {"recording": DIGEST, "name": "Surf"} if coloured else None,
                "settings": {"colour_amount": amount, "colour_from": "a place", "level": level},
            }
        ],
        "routes": [
            {
                "id": "r1",
                "source": "slide",
                "target": "l1",
                "parameter": "colour_place",
                "depth": 9,
            },
            {"id": "r2", "source": "velocity", "target": "l1", "parameter": "level", "depth": 3},
        ],
    }


STATES = [
    of_version_3(40.0, coloured=False),
    of_version_3(40.0),
    of_version_3(70.0),
    of_version_3(70.0, level=-6.0),
]
LABELS = ["Colour a layer", "amount", "level"]


@pytest.fixture
def project(tmp_path):
    """A database as it was before effects, with one instrument that was edited three times."""
    path = tmp_path / "project.sqlite3"
    migrate(create_engine(f"sqlite:///{path}"), "0004")
    with sqlite3.connect(path) as db:
        db.execute(
            "INSERT INTO instrument (id, name, document, revision, created, changed) "
            "VALUES (1, 'Reeds', ?, 3, '2026-01-01', '2026-01-01')",
            [json.dumps(STATES[-1])],
        )
        for number, label in enumerate(LABELS, 1):
            before, after = STATES[number - 1], STATES[number]
            db.execute(
                "INSERT INTO revision (instrument_id, number, kind, label, patch, inverse, created)"
                " VALUES (1, ?, 'edit', ?, ?, ?, '2026-01-01')",
                [
                    number,
                    label,
                    jsonpatch.make_patch(before, after).to_string(),
                    jsonpatch.make_patch(after, before).to_string(),
                ],
            )
    return path


def test_a_colouring_becomes_an_effect_with_its_settings_and_routes():
    document = parse_instrument(STATES[2])
    (effect,) = document.layers[0].effects
    assert (effect.kind, effect.sound.recording) == ("colour", DIGEST)
    assert (effect.settings.amount, effect.settings.outline_of) == (70.0, "a place")
    assert [(r.target, r.parameter) for r in document.routes] == [
        (effect.id, "place"),
        ("l1", "level"),
    ]


def test_a_route_to_a_colouring_that_is_not_there_goes():
    document = parse_instrument(STATES[0])
    assert document.layers[0].effects == []
    assert [route.id for route in document.routes] == ["r2"]


def test_history_is_carried_over_and_undone_step_by_step(project):
    with open_database(project)() as db:
        (row,) = documents.listed(db, KIND)
        assert row.content["version"] == 4
        for number in (2, 1, 0):
            assert documents.ways(db, row).undo == LABELS[number]
            documents.step(db, row, row.revision, "undo")
            expected = parse_instrument(STATES[number]).model_dump(mode="json")
            assert row.content == expected
        assert documents.ways(db, row).undo is None
        for _ in LABELS:
            documents.step(db, row, row.revision, "redo")
        assert row.content == parse_instrument(STATES[-1]).model_dump(mode="json")


def test_a_revision_that_cannot_be_read_costs_only_what_lies_before_it(project):
    with sqlite3.connect(project) as db:
        db.execute(
            "UPDATE revision SET inverse = ? WHERE number = 2",
            [json.dumps([{"op": "remove", "path": "/layers/7"}])],
        )
    with open_database(project)() as db:
        (row,) = documents.listed(db, KIND)
        documents.step(db, row, row.revision, "undo")
        assert row.content == parse_instrument(STATES[2]).model_dump(mode="json")
        assert documents.ways(db, row).undo is None
