"""Requests that are refused say what is wrong in one sentence."""

from __future__ import annotations

import pytest


@pytest.mark.parametrize(
    ("address", "body", "said"),
    [
        ("/api/settings", {"projct": "Sluice"}, "projct: there is no such name here, the nearest is 'project'."),
        ("/api/settings", {"mood": 3}, "mood: there is no such name here"),
        ("/api/settings", {"tuning": "high"}, "tuning: "),
        ("/api/settings", {"tuning": 9_000}, "tuning: "),
        ("/api/settings", [], "request: "),
    ],
)  # fmt: skip
def test_what_is_wrong_is_said_with_its_place(client, address, body, said):
    answer = client.patch(address, json=body)
    assert answer.status_code == 422
    assert answer.json["message"].startswith(said)
    assert answer.json["message"].endswith(".")


def test_a_misspelt_name_inside_is_told_with_its_whole_path(shelf, tone_file):
    made = shelf.instrument(tone_file)
    address = f"/api/instruments/{made['id']}/layers"
    action = {"do": "add", "kind": "wave", "shap": "saw", "revision": made["revision"]}
    answer = shelf.client.post(address, json={"action": action})
    assert answer.status_code == 422
    assert "shap: there is no such name here, the nearest is 'shape'" in answer.json["message"]
    # nothing was lost or made
    assert shelf.client.get(f"/api/instruments/{made['id']}").json["revision"] == made["revision"]


def test_what_is_no_json_is_said(client):
    answer = client.patch("/api/settings", data="{", content_type="application/json")
    assert answer.status_code == 400
    assert answer.json["message"].endswith(".")
