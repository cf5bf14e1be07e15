"""The wheel in clean environments: it installs, renders, serves its pages, reads what FFmpeg decodes.

On the Python that runs the tests; with BLOOM_PYTHONS on those of its versions that are found, with
BLOOM_OLDEST with the oldest packages that are allowed, too (``make wheel``).
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import time
import urllib.request
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf

from tests.conftest import RATE, harmonic_tone
from tests.servers import free_port

ROOT = Path(__file__).parents[2]
UV = Path(sys.executable).with_name("uv")
HERE = "{}.{}".format(*sys.version_info)
PYTHONS = os.environ.get("BLOOM_PYTHONS", HERE).split()
RESOLUTIONS = ["highest", *(["lowest-direct"] if os.environ.get("BLOOM_OLDEST") else [])]


def interpreter(version: str) -> str | None:
    """A Python of a version; pyenv's are found by their names, too."""
    found = shutil.which(f"python{version}")
    candidates = [] if found is None else [found]
    candidates += sorted(map(str, Path.home().glob(f".pyenv/versions/{version}.*/bin/python")))
    for one in candidates:
        done = subprocess.run([one, "-V"], capture_output=True, text=True)
        if done.returncode == 0 and done.stdout.startswith(f"Python {version}."):
            return one
    return None


@pytest.fixture(scope="module")
def wheel(tmp_path_factory) -> Path:
    folder = tmp_path_factory.mktemp("wheel")
    subprocess.run([UV, "build", "--wheel", "-q", "-o", folder, ROOT], check=True)
    (made,) = folder.glob("*.whl")
    return made


ENVIRONMENTS = [
    (version, resolution)
    for version in PYTHONS
    for resolution in RESOLUTIONS
    # the oldest packages are there for the oldest Python only
    if resolution == "highest" or version == "3.11"
]


@pytest.fixture(scope="module", params=ENVIRONMENTS, ids="-".join)
def installed(request, wheel, tmp_path_factory) -> Path:
    """The folder of commands of a clean environment with the wheel in it."""
    version, resolution = request.param
    python = interpreter(version)
    if python is None:
        pytest.skip(f"there is no Python {version} here")
    folder = tmp_path_factory.mktemp("clean")
    subprocess.run([UV, "venv", "-q", "--python", python, folder / "venv"], check=True)
    given = {**os.environ, "VIRTUAL_ENV": str(folder / "venv")}
    subprocess.run(
        [UV, "pip", "install", "-q", "--resolution", resolution, wheel], check=True, env=given
    )
    return folder / "venv" / "bin"


def clean(command: Path) -> dict[str, str]:
    """Surroundings that know nothing of this checkout, nor of what was compiled for it."""
    rest = {key: value for key, value in os.environ.items() if key != "PYTHONPATH"}
    return {**rest, "NUMBA_CACHE_DIR": str(command.parents[2] / "kernels")}


def run(*words: object, cwd: Path) -> subprocess.CompletedProcess[str]:
    given = [str(word) for word in words]
    done = subprocess.run(given, capture_output=True, text=True, cwd=cwd, env=clean(Path(given[0])))
    assert done.returncode == 0, done.stderr
    return done


def test_it_renders(installed, tmp_path):
    sf.write(tmp_path / "wire.wav", harmonic_tone(220.0, 2.0), RATE)
    bloom = installed / "bloom"
    run(bloom, "new", "wire.wav", "--out", "wire.json", cwd=tmp_path)
    run(bloom, "render", "wire.json", "--seconds", 0.5, "--out", "pad.wav", cwd=tmp_path)
    assert np.abs(sf.read(tmp_path / "pad.wav")[0]).max() > 0.01


def test_it_decodes_what_ffmpeg_does(installed, tmp_path):
    from tests.core.test_decoding import write

    write(tmp_path / "tone.m4a", "aac", "fltp", harmonic_tone(220.0, 1.0))
    done = run(installed / "bloom", "inspect", "tone.m4a", "--brief", cwd=tmp_path)
    assert "A3" in done.stdout


def test_it_is_a_library(installed, tmp_path):
    sf.write(tmp_path / "wire.wav", harmonic_tone(220.0, 1.0), RATE)
    code = "import innerbloom as ib; print(ib.open('wire.wav').measure().note)"
    assert run(installed / "python", "-c", code, cwd=tmp_path).stdout.startswith("A3")


def test_it_serves_its_pages(installed, tmp_path):
    port = free_port()
    command = [installed / "bloom", "serve", "--folder", tmp_path / "project", "--port", str(port)]
    log = (tmp_path / "log").open("wb")
    served = subprocess.Popen(
        command, stdout=log, stderr=log, cwd=tmp_path, env=clean(installed / "bloom")
    )
    try:
        page = fetched(f"http://127.0.0.1:{port}/")
        assert b"<div id=" in page
        script = page.split(b'src="', 1)[1].split(b'"', 1)[0].decode()
        assert len(fetched(f"http://127.0.0.1:{port}{script}")) > 10_000
        assert b"openapi" in fetched(f"http://127.0.0.1:{port}/api/openapi.json")
    finally:
        served.terminate()
        served.wait(30)


def fetched(url: str, within: float = 60.0) -> bytes:
    until = time.monotonic() + within
    while True:
        try:
            with urllib.request.urlopen(url, timeout=10) as answer:
                return bytes(answer.read())
        except OSError:
            if time.monotonic() > until:
                raise
            time.sleep(0.2)
