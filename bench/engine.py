"""The whole engine: 24 voices of 16 grains with envelope, and chords of the demo's size."""

from __future__ import annotations

from click.testing import CliRunner

from innerbloom.cli.bench import bench

for voices, grains in ((24, 16), (24, 4), (1, 16)):
    result = CliRunner().invoke(
        bench, ["--voices", str(voices), "--grains", str(grains), "--seconds", "10"]
    )
    print(result.output.rstrip())
