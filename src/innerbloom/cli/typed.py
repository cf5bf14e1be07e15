"""Python sources that are derived from the declarations: settings and steps, typed for whoever writes a script."""

from __future__ import annotations

from collections.abc import Iterable

from innerbloom.core.declare.parameters import Choice, Declared
from innerbloom.core.declare.registry import DeclaredKind
from innerbloom.core.instrument.catalogue import (
    EFFECT_KINDS,
    INSTRUMENT,
    LAYER_KINDS,
    MODULATOR_KINDS,
)
from innerbloom.core.prepare.recipe import STEP_KINDS

_HEAD = '''"""{about}

Made by `make reference` from the declarations; do not edit.
"""

# fmt: off
from __future__ import annotations
'''

_SETTINGS = """
from typing import ClassVar, Literal


class KindSettings:
    \"\"\"Settings of something that is of a kind; the real ones refuse what is out of range.\"\"\"

    KIND: ClassVar[str]
"""


def typed_settings() -> str:
    """A class for each kind of layer, modulator and effect, and one for the whole instrument."""
    about = "Settings of instruments, as :meth:`.Instrument.layer` and its like give them."
    parts = [_HEAD.format(about=about) + _SETTINGS]
    parts.append(_class("InstrumentSettings", "", "The whole instrument.", INSTRUMENT))
    for registry, what in (
        (LAYER_KINDS, "A layer"),
        (MODULATOR_KINDS, "A modulator"),
        (EFFECT_KINDS, "An effect"),
    ):
        kinds: Iterable[DeclaredKind] = registry.values()
        for kind in kinds:
            said = f"{what}: {getattr(kind, 'help', kind.id)}"
            parts.append(_class(kind.settings_name, kind.id, said, kind.declared))
    return "\n\n".join(parts)


def _class(name: str, kind: str, about: str, declared: tuple[Declared, ...]) -> str:
    lines = [f"class {name}(KindSettings):" if kind else f"class {name}:", f'    """{about}"""', ""]
    if kind:
        lines += [f'    KIND: ClassVar[str] = "{kind}"', ""]
    for one in declared:
        lines += [f"    {one.id}: {_type(one)}", f'    """{_said(one)}"""']
    return "\n".join(lines) + "\n"


def typed_steps() -> str:
    """A function for each kind of step, which gives it as plain data."""
    parts = [
        _HEAD.format(about="Steps of a recipe as plain data; docs/steps.md tells what each does.")
        + "\nfrom typing import Any, Literal\n\nStep = dict[str, Any]\n"
    ]
    for kind in STEP_KINDS.values():
        taken = "".join(f"    {one.id}: {_type(one)} = {_default(one)},\n" for one in kind.declared)
        head = (
            f"def {kind.id}(\n    *,\n{taken}) -> Step:" if taken else f"def {kind.id}() -> Step:"
        )
        told = "".join(f"    {one.id} : {_said(one)}\n" for one in kind.declared)
        about = kind.help + (f"\n\n    Parameters\n    ----------\n{told}    " if told else "")
        given = "".join(f', "{one.id}": {one.id}' for one in kind.declared)
        parts.append(f'{head}\n    """{about}"""\n    return {{"do": "{kind.id}"{given}}}\n')
    return "\n\n".join(parts)


def _type(one: Declared) -> str:
    if isinstance(one, Choice):
        return f"Literal[{', '.join(repr(word) for word in one.options)}]"
    return "int" if one.whole_number else "float"


def _default(one: Declared) -> str:
    if isinstance(one, Choice):
        return repr(one.default)
    return repr(int(one.default) if one.whole_number else float(one.default))


def _said(one: Declared) -> str:
    if isinstance(one, Choice):
        return one.help
    unit = f" {one.unit}" if one.unit else ""
    return f"{one.help} {one.low:g} to {one.high:g}{unit}."


def sources() -> dict[str, str]:
    """Both, by their path below the package."""
    return {"settings.py": typed_settings(), "steps.py": typed_steps()}
