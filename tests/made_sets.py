"""Sets of variations or of samples over HTTP, of an instrument grown from one recording."""

from __future__ import annotations

from typing import Any


class MadeSet:
    """A set, its instrument and its recording.

    Parameters
    ----------
    kind : str
        ``variations`` or ``samples``.
    """

    def __init__(self, shelf: Any, sound: Any, kind: str) -> None:
        self.client, self.shelf = shelf.client, shelf
        self.recording = shelf.recording(sound)
        grown = self.client.post(f"/api/recordings/{self.recording['id']}/instrument", json={})
        self.instrument = grown.json["id"]
        made = self.client.post(f"/api/{kind}", json={"instrument": self.instrument})
        assert made.status_code == 201, made.json
        self.url = f"/api/{kind}/{made.json['id']}"

    @property
    def state(self):
        return self.client.get(self.url).json

    def edit(self, **values):
        """Change values by their path, ``settings__drawn=8``."""
        patch = [{"op": "add", "path": f"/{path.replace('__', '/')}", "value": value}
                 for path, value in values.items()]  # fmt: skip
        body = {"revision": self.state["revision"], "label": "Edit", "patch": patch}
        answer = self.client.patch(self.url, json=body)
        assert answer.status_code == 200, answer.json
        return answer

    def job(self, what: str) -> dict[str, Any]:
        """Start a job and wait for its end."""
        started = self.client.post(f"{self.url}/{what}")
        assert started.status_code == 202, started.json
        done = self.shelf.ended(started.json["job"])
        assert done["state"] == "done", done
        return done

    def step(self, way):
        return self.client.post(f"{self.url}/{way}", json={"revision": self.state["revision"]})
