"""Any sound through a chain of effects, by function and by command."""

from __future__ import annotations

import json

import numpy as np
import pytest
import soundfile as sf

from innerbloom.core.deliver.processing import process_blocks
from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.chain_document import parse_chain
from innerbloom.core.materials.held import HeldMaterials
from tests.shell import bloom
from tests.streams import RATE, noise, through, tone


def chain(*effects: tuple[str, dict]) -> dict:
    made = [
        {"id": f"e{n}", "kind": kind, "settings": given} for n, (kind, given) in enumerate(effects)
    ]
    return {"name": "Test", "effects": made}


def processed(plain: dict, sound: np.ndarray) -> np.ndarray:
    return np.concatenate(list(process_blocks(parse_chain(plain), sound, HeldMaterials())))


def test_a_chain_does_what_its_effects_do_one_after_another():
    sound = noise(0.512)
    made = processed(chain(("stereo", {"width": 40}), ("gate", {"threshold": -20})), sound)
    wanted = through("gate", through("stereo", sound, width=40), threshold=-20)
    np.testing.assert_allclose(made[: len(wanted)], wanted, atol=1e-7)


def test_what_is_late_is_taken_off_and_what_is_off_is_passed_by():
    sound = tone(440, 0.5, 0.01)
    made = processed(chain(("drive", {"drive": 0, "mix": 0})), sound)
    # where the tone breaks off, the filters ring
    np.testing.assert_allclose(made[: len(sound) - 100], sound[:-100], atol=1e-5)
    made = processed(chain(("drive", {"on": "off", "drive": 40})), sound)
    np.testing.assert_array_equal(made[: len(sound)], sound)


def test_it_goes_on_until_it_has_rung_out_and_not_for_ever():
    sound = noise(0.1)
    made = processed(chain(("echo", {"time": 300, "feedback": 60})), sound)
    assert 1.5 * RATE < len(made) < 20 * RATE
    assert np.abs(made[-256:]).max() < 1e-5
    endless = processed(chain(("hold", {"hold": 100})), sound)
    assert len(endless) == pytest.approx(40.1 * RATE, abs=512)


@pytest.mark.parametrize(
    ("plain", "path"),
    [
        ({"name": "x", "effects": []}, "at least one"),
        ({"name": "x", "effects": [{"id": "e1", "kind": "toaster"}]}, "effects"),
        (
            {"name": "x", "effects": [{"id": "e1", "kind": "room", "settings": {"size": -1}}]},
            "size",
        ),
        ({"effects": [{"id": "e1", "kind": "room"}]}, "name"),
    ],
)
def test_a_chain_that_cannot_be_read_says_what_is_wrong(plain, path):
    with pytest.raises(DocumentError, match=path):
        parse_chain(plain)


def test_the_command_processes_files_with_sounds_beside_the_chain(tmp_path):
    sf.write(tmp_path / "in.wav", noise(1.0), 44_100, "FLOAT")
    sf.write(tmp_path / "pane.wav", noise(0.2), RATE)
    plain = chain(("embed", {"wet": 0, "dry": -60}))
    plain["effects"][0]["sound"] = {"path": "pane.wav"}
    (tmp_path / "chain.json").write_text(json.dumps(plain))
    words = ("process", tmp_path / "in.wav", "--chain", tmp_path / "chain.json", "--out")
    done = bloom(*words, tmp_path / "out.wav", "--float")
    assert done.exit_code == 0, done.output
    out, rate = sf.read(tmp_path / "out.wav")
    assert rate == RATE
    assert len(out) > 1.08 * RATE
    assert 0.02 < out.std() < 0.3
    before = (tmp_path / "in.wav").read_bytes()
    refused = bloom(*words, tmp_path / "in.wav")
    assert refused.exit_code == 1
    assert "is an input and stays as it is" in refused.output
    assert (tmp_path / "in.wav").read_bytes() == before
    (tmp_path / "pane.wav").unlink()
    refused = bloom(*words, tmp_path / "again.wav")
    assert refused.exit_code == 1
    assert "pane.wav" in refused.output
    assert not (tmp_path / "again.wav").exists()
