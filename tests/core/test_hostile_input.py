"""What was made to do harm: refused in one sentence, at once, and nothing else suffers."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress

import numpy as np
import pytest
import soundfile as sf
from click.testing import CliRunner
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import text
from sqlalchemy.exc import StatementError

from innerbloom.cli.main import main
from innerbloom.core.errors import BloomError, SoundFileError
from innerbloom.core.performance.scala import Scale, key_offsets, read_mapping, read_scale
from innerbloom.core.sound.files import LOUDEST, read_blocks
from innerbloom.store.models import Setting
from innerbloom.web.app import create_app
from innerbloom.web.services import services
from tests.conftest import FakeLive

SCALE = "! x.scl\nTest\n 2\n{}\n 2/1\n"
MAPPING = "{size}\n0\n127\n60\n69\n{hz}\n12\n" + "0\n" * 12


@pytest.mark.parametrize("loud", [3e38, -3e38, 1.01e6, np.inf, np.nan])
def test_a_sample_that_is_no_sound_is_refused(tmp_path, loud):
    samples = np.zeros((4_800, 1), np.float32)
    samples[100] = loud
    path = tmp_path / "loud.wav"
    sf.write(path, samples, 48_000, subtype="FLOAT")
    with pytest.raises(SoundFileError) as said:
        list(read_blocks(path))
    assert "loud.wav" in str(said.value)
    assert "\n" not in str(said.value)


def test_what_is_merely_hot_is_taken(tmp_path):
    path = tmp_path / "hot.wav"
    sf.write(path, np.full((480, 1), LOUDEST, np.float32), 48_000, subtype="FLOAT")
    assert len(next(iter(read_blocks(path)))) == 480


def test_one_that_is_refused_leaves_the_shelf_as_it_was(shelf, tmp_path, tone_file):
    shelf.recording(tone_file)
    samples = np.full((4_800, 1), 3e38, np.float32)
    sf.write(tmp_path / "huge.wav", samples, 48_000, subtype="FLOAT")
    told = shelf.add((tmp_path / "huge.wav").read_bytes(), "huge.wav")
    assert told["state"] == "failed"
    assert "huge.wav" in told["error"]
    listed = shelf.client.get("/api/recordings")
    assert [one["name"] for one in listed.json["recordings"]] == ["tone"]
    assert "NaN" not in listed.text


def test_an_entry_that_cannot_be_read_takes_none_of_the_others_with_it(shelf, tone_file, tmp_path):
    # as an earlier version stored it
    shelf.recording(tone_file)
    sf.write(tmp_path / "other.wav", 0.1 * np.ones(48_000), 48_000)
    hurt = shelf.recording(tmp_path / "other.wav")
    application = shelf.client.application
    with application.app_context():
        root = services().files.root
        with services().sessions() as db:
            bad = text(
                'UPDATE recording SET measured = replace(measured, \'"lufs":\', \'"lufs": NaN, "was":\') WHERE id = :id'
            )
            assert db.execute(bad, {"id": hurt["id"]}).rowcount == 1
            db.commit()
    again = create_app(
        root, FakeLive(), make_executor=lambda **_: ThreadPoolExecutor(1)
    ).test_client()
    listed = again.get("/api/recordings")
    assert [one["name"] for one in listed.json["recordings"]] == ["tone", "other"]
    assert again.get("/api/recordings/found?q=tone").json["ids"] == [1]


def test_what_is_not_finite_is_neither_stored_nor_answered(client):
    application = client.application
    with application.app_context(), services().sessions() as db:
        db.add(Setting(key="loud", value={"level": float("nan")}))
        with pytest.raises(StatementError, match="not JSON compliant"):
            db.commit()
    with application.app_context(), pytest.raises(ValueError, match="not JSON compliant"):
        application.json.dumps({"level": float("inf")})


@pytest.mark.parametrize("pitch", ["1e99999999", "1" * 5_000, "9" * 20 + "/1", "1/0", "-3/2", "1e5", "0x10", "٣/٢", "2/", "nan", "inf", "1200001.0"])  # fmt: skip
def test_a_scale_with_a_number_out_of_bounds_is_refused(pitch):
    with pytest.raises(BloomError, match="is not a pitch"):
        read_scale(SCALE.format(pitch))


@given(st.text(max_size=40))
def test_any_pitch_is_a_number_or_refused(pitch):
    with suppress(BloomError):
        assert all(np.isfinite(read_scale(SCALE.format(pitch)).cents))


@pytest.mark.parametrize(("size", "hz"), [(10**9, 440), (-1, 440), (12, "1e400"), (12, "nan"), (12, 0), (12, 1e9), ("1" * 400, 440)])  # fmt: skip
def test_a_mapping_out_of_bounds_is_refused(size, hz):
    with pytest.raises(BloomError) as said:
        read_mapping(MAPPING.format(size=size, hz=hz))
    assert "\n" not in str(said.value)
    assert len(str(said.value)) < 200


def test_a_mapping_within_bounds_is_read():
    offsets = key_offsets(
        Scale("x", tuple(100.0 * n for n in range(1, 13))),
        read_mapping(MAPPING.format(size=0, hz=440)),
    )
    assert offsets[69] == pytest.approx(0.0, abs=1e-6)


@pytest.mark.parametrize("token", ["", " ", "short"])
def test_a_token_that_is_guessed_opens_nothing(tmp_path, token):
    done = CliRunner().invoke(
        main, ["serve", "--folder", str(tmp_path / "p"), "--host", "0.0.0.0", "--token", token]
    )
    assert done.exit_code == 1
    assert "8 characters at least" in done.output
    assert not (tmp_path / "p").exists()


def test_a_token_is_read_from_a_file_or_the_environment(tmp_path):
    kept = tmp_path / "token"
    kept.write_text("abc\n")
    for arguments, around in ((["--token", f"@{kept}"], {}), ([], {"BLOOM_TOKEN": "abc"})):
        done = CliRunner().invoke(
            main, ["serve", "--folder", str(tmp_path / "p"), *arguments], env=around
        )
        assert "8 characters at least" in done.output
    missing = CliRunner().invoke(main, ["serve", "--token", f"@{tmp_path / 'gone'}"])
    assert missing.exit_code == 2
    assert "cannot be read" in missing.output
