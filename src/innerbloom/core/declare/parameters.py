"""What a parameter is. Every parameter of the product is declared once, as one of these.

Validation, the document's schema, the engine's records, the rules on screen and the
reference page are all derived from the declarations.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Any, Literal, TypeVar

import numpy as np
from numpy.typing import ArrayLike, NDArray
from pydantic import BaseModel, ConfigDict, Field, create_model

Scale = Literal["linear", "log", "decibel", "cubic"]
When = tuple[str, tuple[str, ...]] | None
Scope = Literal["voice", "layer", "whole"]


@dataclass(frozen=True)
class Parameter:
    """One continuous or whole-number value that a user can set.

    Attributes
    ----------
    id : str
        Name in documents and engine records.
    name, group : str
        Words on screen and the heading they stand under.
    unit : str
        Unit of ``low``, ``high`` and ``default``: ``%``, ``ms``, ``/s``, ``st``
        (semitones), ``ct`` (cents), ``dB``, ``Hz``, ``x``, ``key`` (a note number), or empty for a
        plain number.
    low, high, default : float
        Inclusive range and the value of a fresh instrument.
    scale : {"linear", "log", "decibel", "cubic"}
        How a rule spreads the range; ``log`` needs ``low > 0``, ``cubic`` gives room to small
        values and reaches 0.
    scope : {"voice", "layer", "whole"}
        Where one value applies.
    help : str
        One sentence.
    whole_number, movable : bool
        Whether only integers make sense, and whether modulation may target it.
    sign : bool
        Whether the value is a symmetric amount, shown with a plus-minus sign.
    marks : tuple of (value, word)
        Values that have a name, in rising order; between several, a rule says how far it is
        from one to the next.
    when : (choice, words) or None
        The parameter only matters while a choice beside it has one of these words.
    instant : bool
        Whether routes move it at once, however they are eased.
    """

    id: str
    name: str
    group: str
    unit: str
    low: float
    high: float
    default: float
    help: str
    scale: Scale = "linear"
    scope: Scope = "layer"
    whole_number: bool = False
    movable: bool = True
    sign: bool = False
    marks: tuple[tuple[float, str], ...] = ()
    when: When = None
    instant: bool = False

    @property
    def moved_in(self) -> str:
        """Unit in which a route's depth is stated: octaves on a log scale, else its own."""
        return "oct" if self.scale == "log" else self.unit

    def __post_init__(self) -> None:
        if not self.low <= self.default <= self.high:
            raise ValueError(f"{self.id}: default {self.default} outside {self.low}..{self.high}")
        if self.scale == "log" and self.low <= 0:
            raise ValueError(f"{self.id}: a log scale needs a low end above zero")


@dataclass(frozen=True)
class Choice:
    """One of a few words.

    Attributes
    ----------
    id, name : str
    options : tuple of str
        The words, which are their own values; the engine knows them by their place.
    default : str
    help : str
    group : str
        The heading it stands under, where there are headings.
    when : (choice, words) or None
        As for a :class:`Parameter`.
    """

    id: str
    name: str
    options: tuple[str, ...]
    default: str
    help: str
    group: str = ""
    when: When = None

    def __post_init__(self) -> None:
        if self.default not in self.options:
            raise ValueError(f"{self.id}: default {self.default} is no option")


Declared = Parameter | Choice


def changes_at_once(declared: Declared) -> bool:
    """Whether there is nothing between two values: choices and whole numbers."""
    return isinstance(declared, Choice) or declared.whole_number


class Settings(BaseModel):
    """Base of the generated settings models: no unknown names, no NaN or infinity."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, validate_assignment=True)


S = TypeVar("S", bound=Settings)


def settings_model(
    name: str,
    declared: tuple[Declared, ...],
    base: type[S] = Settings,  # type: ignore[assignment]
    **more: Any,
) -> type[S]:
    """A pydantic model with one ranged field for each parameter and one of words for a choice.

    ``more`` are fields of another sort, as for ``pydantic.create_model``.
    """
    fields: dict[str, Any] = {**more, **{d.id: _field(d) for d in declared}}
    return create_model(name, __base__=base, **fields)


def _field(declared: Declared) -> tuple[Any, Any]:
    if isinstance(declared, Choice):
        words: Any = Literal.__getitem__(declared.options)
        about = Field(default=declared.default, title=declared.name, description=declared.help)
        return words, about
    p = declared
    kind = int if p.whole_number else float
    return kind, Field(
        default=kind(p.default),
        ge=p.low,
        le=p.high,
        title=p.name,
        description=f"{p.help} Unit: {p.unit or 'none'}.",
    )


def option(declared: tuple[Declared, ...], id_: str, word: str) -> int:
    """The place of a word among the options of a choice, as the engine knows it."""
    found = next(d for d in declared if d.id == id_)
    assert isinstance(found, Choice)
    return found.options.index(word)


@cache
def settings_dtype(declared: tuple[Declared, ...]) -> np.dtype[Any]:
    """The record type through which kernels read settings by name."""
    return np.dtype([(d.id, np.float64) for d in declared], align=True)


def engine_value(declared: Declared, value: float | str) -> float:
    """A setting as the engine holds it: a number, or the place of a word among its options."""
    if isinstance(declared, Choice):
        return float(declared.options.index(str(value)))
    return float(value)


def refusal(declared: Declared, value: float | str) -> str | None:
    """One sentence on why a setting cannot have a value; None if it can."""
    if isinstance(declared, Choice):
        if value in declared.options:
            return None
        return f"{declared.name} is one of {', '.join(declared.options)}."
    if isinstance(value, str) or not declared.low <= value <= declared.high:
        return f"{declared.name} goes from {declared.low:g} to {declared.high:g} {declared.unit}."
    return None


def to_share(scale: Scale, low: ArrayLike, high: ArrayLike, value: ArrayLike) -> Any:
    """Where values lie between the ends of ranges, 0..1, on a scale; the arguments broadcast.

    Examples
    --------
    >>> to_share("log", 20.0, 20_000.0, 632.46)
    0.5
    """
    at, begin, end = np.asarray(value, np.float64), np.asarray(low), np.asarray(high)
    if scale == "log":
        return np.log(at / begin) / np.log(end / begin)
    share = (at - begin) / (end - begin)
    return np.cbrt(share) if scale == "cubic" else share


def from_share(scale: Scale, low: ArrayLike, high: ArrayLike, share: ArrayLike) -> Any:
    """The values at places between the ends of ranges; the inverse of :func:`to_share`."""
    at, begin, end = np.asarray(share, np.float64), np.asarray(low), np.asarray(high)
    if scale == "log":
        return begin * (end / begin) ** at
    return begin + (at**3 if scale == "cubic" else at) * (end - begin)


def settings_row(settings: Settings, declared: tuple[Declared, ...]) -> NDArray[np.float64]:
    """Settings as numbers in the order of the declarations, shape (len(declared),)."""
    return np.array([engine_value(d, getattr(settings, d.id)) for d in declared])


def default_record(declared: tuple[Declared, ...]) -> NDArray[Any]:
    """The defaults as a record array of shape (1,), as the engine holds them."""
    row = np.array([engine_value(one, one.default) for one in declared])
    return row.view(settings_dtype(declared))
