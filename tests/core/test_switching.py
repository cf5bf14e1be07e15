"""One instrument after another while keys are down: ids in their documents are the same, what they name is not."""

from __future__ import annotations

import numpy as np
import pytest

from innerbloom.core.effects import EFFECT_KINDS
from innerbloom.core.engine import BLOCK, Engine, compile_program
from innerbloom.core.instrument.chains import add_effect
from innerbloom.core.instrument.owners import WHOLE_ID
from innerbloom.core.layers import LAYER_KINDS
from innerbloom.core.materials.held import HeldMaterials
from innerbloom.core.performance.events import EditProgram, Event
from tests.engines import layered, material_of, program_of, sine
from tests.spectra import taken

KINDS = tuple(EFFECT_KINDS)


def with_effect(kind: str, chain: str):
    return program_of(add_effect(layered({"kind": "wave"}), chain, kind))


def switched(before, after, blocks: int = 12) -> np.ndarray:
    """What is heard from the change on, a key held."""
    engine = Engine(before, limited=False)
    engine.render(4 * BLOCK, [Event("on", 1, 57.0, 0.8)])
    engine.render(0, [EditProgram(after, engine.now, {})])
    return engine.render(blocks * BLOCK)


@pytest.mark.parametrize("chain", [WHOLE_ID, "l1"])
@pytest.mark.parametrize("kind", KINDS)
def test_an_effect_whose_id_is_another_kind_now_fades_out_as_it_was_set(kind, chain):
    """It used to read the other's settings as its own: not a number, or an error that ended the sound."""
    before = with_effect(kind, chain)
    alone = Engine(before, limited=False).render(16 * BLOCK, [Event("on", 1, 57.0, 0.8)])
    plain = np.abs(alone).max()
    for other in KINDS:
        sound = switched(before, with_effect(other, chain))
        assert np.isfinite(sound).all(), other
        assert np.abs(sound).max() < 4.0 * max(plain, 1.0), other


TONE = sine(220.0, 1.0)
MATERIALS = HeldMaterials(material_of(TONE), spectra=(taken(TONE, 220.0),))


def of_kind(kind: str):
    """An instrument of one layer, which is called what every other's is."""
    sounds = {"sounds": [{"path": "tone.wav", "root": 57}]} if kind == "spectral" else {}
    return compile_program(layered({"kind": kind, **sounds}), MATERIALS)


@pytest.mark.parametrize("kind", tuple(LAYER_KINDS))
def test_a_layer_whose_id_is_another_kind_now_comes_in(kind):
    before = of_kind(kind)
    for other in LAYER_KINDS:
        after = of_kind(other)
        sound = switched(before, after, 60)
        assert np.isfinite(sound).all(), other
        alone = Engine(after, limited=False).render(60 * BLOCK, [Event("on", 1, 57.0, 0.8)])
        last = slice(-20 * BLOCK, None)
        assert np.sqrt((sound[last] ** 2).mean()) < 2.0 * np.sqrt((alone[last] ** 2).mean()), other


def test_a_held_note_of_three_members_goes_on_as_loud_as_one_struck_with_one():
    before, after = (program_of(layered({"kind": "wave"}, stack=count)) for count in (3, 1))
    sound = switched(before, after, 40)
    alone = Engine(after, limited=False).render(44 * BLOCK, [Event("on", 1, 57.0, 0.8)])
    levels = [np.sqrt((one[-20 * BLOCK :] ** 2).mean()) for one in (sound, alone)]
    assert 20 * np.log10(levels[0] / levels[1]) == pytest.approx(0.0, abs=0.5)
