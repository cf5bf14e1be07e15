"""Materials at hand, and materials kept in memory."""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping
from typing import Any, TypeVar

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from innerbloom.core.analysis.contour import CONTOUR_HOP, CONTOUR_RATE
from innerbloom.core.analysis.segments import segments_of
from innerbloom.core.errors import BloomError
from innerbloom.core.materials.clip import ENGINE_RATE, ClipRequest, Material
from innerbloom.core.materials.described import ContourRequest, OutlinesRequest, SegmentsRequest
from innerbloom.core.materials.noise import NoiseRequest, plain_noise
from innerbloom.core.materials.protocol import Locate, Materials, Request, size_of
from innerbloom.core.materials.spectrum.model import Spectrum
from innerbloom.core.materials.spectrum.prepared import AnalysisRequest
from innerbloom.core.materials.wavetable.prepared import Wavetable, WavetableRequest, plain_table
from innerbloom.core.process.colouring import power_spectra

T = TypeVar("T")


class FileMaterials:
    """Materials made of files, every time they are asked for.

    Parameters
    ----------
    locate : callable
        Finds the audio file of a sound, or raises a BloomError.
    """

    def __init__(self, locate: Locate) -> None:
        self._locate = locate

    def get(self, request: Request[T]) -> T:
        return request.make(self._locate, self)


class CachedMaterials:
    """Materials kept in memory, the least used given up beyond a size.

    Parameters
    ----------
    inner : Materials
        Who makes what is not at hand.
    most_bytes : int
        The newest stays at hand whatever its size.
    """

    def __init__(self, inner: Materials, most_bytes: int = 6 << 30) -> None:
        self._inner, self._most = inner, most_bytes
        self._kept: LRUCache[Request[Any], Any] = LRUCache(most_bytes, self._size)
        self._lock = threading.Lock()

    def _size(self, made: Any) -> int:
        return min(size_of(made), self._most)

    def get(self, request: Request[T]) -> T:
        with self._lock:
            if request in self._kept:
                found: T = self._kept[request]
                return found
        made = self._inner.get(request)
        if not hasattr(made, "nbytes") and not hasattr(made, "audio"):
            # a step on the way to what is played, kept by whoever made it
            return made
        with self._lock:
            self._kept[request] = made
        return made


Answers = Mapping[type[Request[Any]], Callable[[Any], Any]]
"""What is answered to a kind of request, by a function of it."""


class HeldMaterials:
    """Clips at hand, taken in turn by the sounds that ask, and plain noise and waves.

    A contour finds a sound that rises straight from silence to full level in a second.

    Parameters
    ----------
    clips : Material
    spectra : tuple of Spectrum
        By the sounds that ask, in turn.
    answers : dict, optional
        For kinds of request that are to find something else.
    """

    def __init__(
        self, *clips: Material, spectra: tuple[Spectrum, ...] = (), answers: Answers | None = None
    ) -> None:
        self._clips, self._spectra = clips, spectra
        self._asked: dict[str, Material] = {}
        self._analysed: dict[str, Spectrum] = {}
        self._made: dict[Request[Any], Any] = {}
        self._answers: Answers = {
            ClipRequest: self._clip,
            AnalysisRequest: self._spectrum,
            NoiseRequest: _noise,
            WavetableRequest: _wavetable,
            SegmentsRequest: self._segments,
            OutlinesRequest: lambda _: power_spectra(self._clips[0].audio[:ENGINE_RATE, 0]),
            ContourRequest: _rising,
            **(answers or {}),
        }

    def get(self, request: Request[T]) -> T:
        if request not in self._made:
            answer = self._answers.get(type(request))
            found = request.make(_nowhere, self) if answer is None else answer(request)
            self._made[request] = found
        made: T = self._made[request]
        return made

    def _clip(self, request: Request[Any]) -> Material:
        name, turn = _name(request), len(self._asked) % len(self._clips)
        return self._asked.setdefault(name, self._clips[turn])

    def _spectrum(self, request: Request[Any]) -> Spectrum:
        name, turn = _name(request), len(self._analysed) % len(self._spectra)
        return self._analysed.setdefault(name, self._spectra[turn])

    def _segments(self, request: Request[Any]) -> NDArray[np.float64]:
        return segments_of(self._clip(request).audio[:ENGINE_RATE, :1], ENGINE_RATE)


def _noise(request: NoiseRequest) -> Material:
    return plain_noise("white" if request.colour == "recording" else request.colour)


def _wavetable(request: WavetableRequest) -> Wavetable:
    return plain_table("sine" if request.shape == "table" else request.shape)


def _rising(_: ContourRequest) -> NDArray[np.float64]:
    levels = np.linspace(0.0, 1.0, CONTOUR_RATE // CONTOUR_HOP)
    return np.stack((levels**2, np.zeros_like(levels), np.zeros_like(levels)), axis=1)


def _name(request: Request[Any]) -> str:
    stretch = request.stretch
    return "" if stretch is None else stretch.path or stretch.recording or ""


def _nowhere(_: Any) -> Any:
    raise BloomError("There are no files here, only what is at hand.")
