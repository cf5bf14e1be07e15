"""Registries of kinds, and documents whose parts are of a kind that is looked up by its name."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from functools import cache
from typing import Any, Protocol, TypeVar

from pydantic import BaseModel, GetCoreSchemaHandler, GetJsonSchemaHandler
from pydantic_core import PydanticCustomError, core_schema

from innerbloom.core.declare.parameters import Declared, Settings, settings_model
from innerbloom.core.declare.validation import nearest


class Kind(Protocol):
    """Anything that is registered under a name."""

    @property
    def id(self) -> str: ...


class DeclaredKind(Kind, Protocol):
    """A kind of which things have settings."""

    @property
    def declared(self) -> tuple[Declared, ...]: ...

    @property
    def settings_name(self) -> str: ...


@cache
def settings_of(kind: DeclaredKind) -> type[Settings]:
    """The model of a kind's settings."""
    return settings_model(kind.settings_name, kind.declared)


K = TypeVar("K", bound=Kind)


class Registry(Mapping[str, K]):
    """Kinds by their names, in the order they were registered."""

    def __init__(self, *registered: K) -> None:
        self._kinds: dict[str, K] = {}
        for kind in registered:
            self.register(kind)

    def register(self, kind: K) -> K:
        """Add a kind; ValueError if its name is taken."""
        if kind.id in self._kinds:
            raise ValueError(f"there is a kind '{kind.id}' already")
        self._kinds[kind.id] = kind
        return kind

    @contextmanager
    def with_kind(self, kind: K) -> Iterator[K]:
        """A kind more for as long as a block lasts."""
        yield self.register(kind)
        del self._kinds[kind.id]

    def __getitem__(self, id_: str) -> K:
        return self._kinds[id_]

    def __iter__(self) -> Iterator[str]:
        return iter(self._kinds)

    def __len__(self) -> int:
        return len(self._kinds)

    def number(self, id_: str) -> int:
        """The place of a kind, by which compiled code knows it."""
        return list(self._kinds).index(id_)


kinds = Registry


class ByKind:
    """Marks a field whose model depends on its ``kind``: ``Annotated[Layer, ByKind(...)]``.

    Kinds are looked up when a document is read, so that one registered later is read like the
    rest.

    Parameters
    ----------
    registry : Registry
    model : callable
        Gives the pydantic model of a kind.
    what : str
        What such a thing is called in errors: ``"a layer"``.
    key : str
        The field that says of what kind it is.
    """

    def __init__(
        self,
        registry: Registry[Any],
        model: Callable[[str], type[BaseModel]],
        what: str,
        key: str = "kind",
    ) -> None:
        self._registry, self._model, self._what, self._key = registry, model, what, key

    def _read(self, value: Any) -> BaseModel:
        of = self._key
        given = value.get(of) if isinstance(value, dict) else getattr(value, of, None)
        kind = str(given)
        if kind not in self._registry:
            known = ", ".join(self._registry)
            meant = nearest(kind, list(self._registry))
            like = f", and '{kind}' is nearest to '{meant}'" if meant else ""
            raise PydanticCustomError("kind", f"{self._what} is one of {known}{like}")
        # what is wrong inside is reported with its whole path
        return self._model(kind).model_validate(value)

    def __get_pydantic_core_schema__(
        self, source: Any, handler: GetCoreSchemaHandler
    ) -> core_schema.CoreSchema:
        return core_schema.no_info_plain_validator_function(
            self._read, serialization=core_schema.plain_serializer_function_ser_schema(_plain)
        )

    def __get_pydantic_json_schema__(
        self, schema: core_schema.CoreSchema, handler: GetJsonSchemaHandler
    ) -> dict[str, Any]:
        models = {kind: self._model(kind).__pydantic_core_schema__ for kind in self._registry}
        return handler(core_schema.tagged_union_schema(dict(models), discriminator=self._key))


def _plain(value: BaseModel) -> dict[str, Any]:
    return value.model_dump(mode="json")
