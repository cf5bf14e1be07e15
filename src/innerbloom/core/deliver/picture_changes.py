"""What was changed of a timeline since it was handed over, in words."""

from __future__ import annotations

from innerbloom.core.timeline.document import Lane, Scene, Timeline


def changes_since(before: Timeline, now: Timeline) -> list[str]:
    """A few words for each thing that is otherwise; nothing where all is as it was."""
    said = []
    if (before.rate, before.drop, before.start, before.frames) != (now.rate, now.drop, now.start, now.frames):  # fmt: skip
        said.append("the clock or the length")
    if (before.film and before.film.digest) != (now.film and now.film.digest):
        said.append("the film")
    said += _of(
        "scene", {one.id: one for one in before.scenes}, {one.id: one for one in now.scenes}
    )
    said += _of("lane", {one.id: one for one in before.lanes}, {one.id: one for one in now.lanes})
    if before.settings != now.settings:
        said.append("how it is handed over")
    return said


def _of(word: str, before: dict[str, Scene] | dict[str, Lane], now: dict[str, Scene] | dict[str, Lane]) -> list[str]:  # fmt: skip
    said = [f"{word} '{one.name}' is new" for id_, one in now.items() if id_ not in before]
    said += [f"{word} '{one.name}' is gone" for id_, one in before.items() if id_ not in now]
    # solo is heard and not handed over
    said += [
        f"{word} '{one.name}'" for id_, one in now.items()
        if id_ in before and one.model_dump(exclude={"solo"}) != before[id_].model_dump(exclude={"solo"})
    ]  # fmt: skip
    return said
