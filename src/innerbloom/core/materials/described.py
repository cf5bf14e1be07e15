"""What is measured of a sound for a layer, modulator or effect to follow: segments, outlines, course."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.analysis.contour import contour_of
from innerbloom.core.analysis.mono import mono_at
from innerbloom.core.analysis.segments import segments_of
from innerbloom.core.analysis.strongest import strongest_partials
from innerbloom.core.dsp.rates import RATE
from innerbloom.core.materials.protocol import Locate, Materials, Request
from innerbloom.core.process.colouring import power_spectra


@dataclass(frozen=True)
class SegmentsRequest(Request[NDArray[np.float64]]):
    """Segments of a sound, described; see :func:`.segments_of`."""

    def make(self, locate: Locate, materials: Materials) -> NDArray[np.float64]:
        return segments_of(*self.read(locate))


@dataclass(frozen=True)
class OutlinesRequest(Request[NDArray[np.float32]]):
    """Power spectra of a sound that lends its outline; see :func:`.power_spectra`."""

    def make(self, locate: Locate, materials: Materials) -> NDArray[np.float32]:
        return power_spectra(mono_at(*self.read(locate), RATE))


@dataclass(frozen=True)
class ContourRequest(Request[NDArray[np.float64]]):
    """The course of a sound's level, pitch and brightness; see :func:`.contour_of`."""

    def make(self, locate: Locate, materials: Materials) -> NDArray[np.float64]:
        return contour_of(*self.read(locate))


@dataclass(frozen=True)
class PartialsRequest(Request[NDArray[np.float64]]):
    """The strongest partials of a sound in Hz, rising; see :func:`.strongest_partials`."""

    count: int = 24

    def make(self, locate: Locate, materials: Materials) -> NDArray[np.float64]:
        return strongest_partials(mono_at(*self.read(locate), RATE), RATE, self.count)
