"""The ensemble document: which instruments play together, where on the keys, and how loud."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any, Literal, TypeAlias

from pydantic import Field, StringConstraints

from innerbloom.core.declare.model import Id, Model, Name, json_text, published
from innerbloom.core.declare.parameters import Settings, settings_model
from innerbloom.core.declare.revisions import DocumentKind
from innerbloom.core.declare.validation import validated
from innerbloom.core.ensemble.parameters import ENSEMBLE, PLAYER
from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.document import PETALS, Instrument, parse_instrument
from innerbloom.core.performance.phrase_settings import PhraseModel, PhraseSettings

FORMAT = "inner-bloom/ensemble"
MAX_PLAYERS = 8
ENSEMBLE_ID = "ensemble"
"""Id of the ensemble itself, as an owner of settings."""

EnsembleSettings: type[Settings] = settings_model("EnsembleSettings", ENSEMBLE)
PlayerSettings: type[Settings] = settings_model("PlayerSettings", PLAYER)
if TYPE_CHECKING:
    EnsembleModel: TypeAlias = Settings
    PlayerModel: TypeAlias = Settings
else:
    EnsembleModel, PlayerModel = EnsembleSettings, PlayerSettings


class Player(Model):
    """One member.

    Attributes
    ----------
    name : str
        What its instrument was called when it came in.
    instrument : int or None
        The instrument's number in the project; None in files, which hold the document itself.
    document : dict or None
        The instrument's document, in files and takes.
    phrase : PhraseSettings
        What chords become.
    """

    id: Id
    name: Name
    petal: Literal[PETALS] = "madder"  # type: ignore[valid-type]
    instrument: int | None = None
    document: dict[str, Any] | None = None
    settings: PlayerModel = Field(default_factory=PlayerSettings)
    phrase: PhraseModel = Field(default_factory=PhraseSettings)


class Ensemble(Model):
    """Several instruments that are played together."""

    format: Literal[FORMAT] = FORMAT  # type: ignore[valid-type]
    version: Literal[1] = 1
    name: Name
    notes: Annotated[str, StringConstraints(max_length=4_000)] = ""
    settings: EnsembleModel = Field(default_factory=EnsembleSettings)
    players: list[Player] = Field(default_factory=list, max_length=MAX_PLAYERS)


def parse_ensemble(data: Any) -> Ensemble:
    """Validate a document given as plain data or JSON text.

    Raises
    ------
    DocumentError
        One sentence that names the path of the first thing wrong.
    """
    data = json_text(data, "This is not an ensemble", DocumentError)
    document = validated(Ensemble, data, "ensemble")
    ids = [one.id for one in document.players]
    if len(set(ids)) != len(ids):
        raise DocumentError("The ensemble cannot be read: two players share one id.")
    for number, one in enumerate(document.players):
        for low, high, what in (("key_low", "key_high", "key"),
                                ("velocity_low", "velocity_high", "velocity")):  # fmt: skip
            if getattr(one.settings, low) > getattr(one.settings, high):
                raise DocumentError(
                    f"The ensemble cannot be read: players.{number}.settings.{low}: the lowest "
                    f"{what} lies above the highest."
                )
    return document


def _summary(document: dict[str, Any]) -> dict[str, Any]:
    return {"petals": [one["petal"] for one in document["players"]]}


KIND = DocumentKind("ensemble", "ensemble", Ensemble, parse_ensemble, summary=_summary)


def is_ensemble(plain: dict[str, Any]) -> bool:
    """Whether plain data is an ensemble, rather than an instrument."""
    return plain.get("format") == FORMAT


def instrument_of(ensemble: Ensemble, player: Player) -> Instrument | None:
    """A member's instrument as it sounds in the ensemble: its own seed, the common tempo.

    None where it is gone, or was never given along.

    Raises
    ------
    DocumentError
        If its document cannot be read.
    """
    if player.document is None:
        return None
    document = parse_instrument(player.document)
    plain = document.model_dump(mode="json")
    plain["settings"] |= {
        "seed": player.settings.seed,  # type: ignore[attr-defined]
        "tempo": ensemble.settings.tempo,  # type: ignore[attr-defined]
    }
    return parse_instrument(plain)


def instruments_in(ensemble: Ensemble) -> dict[str, Instrument]:
    """The instruments that an ensemble brings along, by the ids of their players.

    Raises
    ------
    DocumentError
        If one cannot be read.
    """
    given = {one.id: one.document for one in ensemble.players if one.document is not None}
    return {id_: parse_instrument(document) for id_, document in given.items()}


def with_instruments(ensemble: Ensemble, instruments: dict[str, Instrument]) -> Ensemble:
    """An ensemble with the documents of its players' instruments in it."""
    plain = ensemble.model_dump(mode="json")
    for one in plain["players"]:
        found = instruments.get(one["id"])
        one["document"] = None if found is None else found.model_dump(mode="json")
    return parse_ensemble(plain)


def json_schema() -> dict[str, Any]:
    """The published JSON Schema of the document."""
    return published(Ensemble, "Inner Bloom ensemble")
