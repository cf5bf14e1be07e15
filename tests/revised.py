"""A document with revisions, as API tests use it."""

from __future__ import annotations

import copy
from collections.abc import Callable
from typing import Any

import jsonpatch


class Revised:
    """The document at an address: its newest state, changes by patches, undo and redo."""

    def __init__(self, shelf: Any, url: str) -> None:
        self.shelf, self.client, self.url = shelf, shelf.client, url

    def state(self) -> dict[str, Any]:
        answer = self.client.get(self.url)
        assert answer.status_code == 200, answer.json
        return answer.json

    def edit(
        self, change: Callable[[Any], None], label: str = "Change", revision: int | None = None
    ) -> Any:
        """Change a copy of the document, and send what is different as a patch."""
        now = self.state()
        document = copy.deepcopy(now["document"])
        change(document)
        patch = list(jsonpatch.make_patch(now["document"], document))
        base = now["revision"] if revision is None else revision
        return self.client.patch(self.url, json={"revision": base, "patch": patch, "label": label})

    def step(self, way: str) -> dict[str, Any]:
        answer = self.client.post(f"{self.url}/{way}", json={"revision": self.state()["revision"]})
        assert answer.status_code == 200, answer.json
        return answer.json

    def made(self) -> dict[str, Any]:
        """What its recipe makes, once it is made."""
        answer = self.client.post(f"{self.url}/make").json
        if answer["job"]:
            assert self.shelf.ended(answer["job"])["state"] == "done"
            answer = self.client.post(f"{self.url}/make").json
        return answer["made"]
