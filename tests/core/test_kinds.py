"""A kind is one declaration and one line, whoever adds it."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from innerbloom.core.declare.registry import Registry
from tests import effects

ROOT = Path(__file__).parents[2]


def test_a_layer_a_modulator_and_an_effect_more_are_one_declaration_and_one_line_each(tmp_path):
    """In a process of its own, since compiled code takes in what is registered."""
    program = ROOT / "tests" / "added_kinds.py"
    done = subprocess.run(
        [sys.executable, str(program), str(tmp_path)],
        env={**os.environ, "NUMBA_CACHE_DIR": str(tmp_path / "cache"), "PYTHONPATH": str(ROOT)},
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    found = json.loads(done.stdout)
    # 0.5 and 50 % of 0.4, turned over by 75 %; then at a full share; the effect off; set lower
    voice = 10 ** (-12 / 20)
    expected = [voice * one for one in (-0.35, 0.0, 0.9, 0.5)]
    assert found["levels"] == pytest.approx(expected, abs=1e-3)
    assert found["documented"]
    assert found["published"]
    assert found["stored"]


def test_a_name_is_given_once_and_an_unknown_one_is_said():
    registry = Registry(*effects.KINDS)
    with pytest.raises(ValueError, match="already"):
        registry.register(effects.KINDS[0])
    with pytest.raises(KeyError):
        registry["nothing"]
    assert registry.number("late") == 1
