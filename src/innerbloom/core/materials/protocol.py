"""What sounds are made of, and who finds it."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.sound import Sound
from innerbloom.core.materials.clip import Material
from innerbloom.core.materials.spectrum.prepared import Matching, PlayedSpectrum
from innerbloom.core.materials.wavetable.prepared import Wavetable

Made = Material | Wavetable | PlayedSpectrum
"""What a sound of a layer is made of, by the layer's kind."""


class Materials(Protocol):
    """Finds what sounds are made of; any may raise a BloomError."""

    def clip(self, sound: Sound) -> Material: ...

    def noise(self, colour: str, sound: Sound | None) -> Material: ...

    def wavetable(self, shape: str, sound: Sound | None) -> Wavetable: ...

    def spectrum(self, sound: Sound, matching: Matching) -> PlayedSpectrum: ...

    def segments(self, sound: Sound) -> NDArray[np.float64]: ...

    def colour(self, sound: Sound) -> NDArray[np.float32]: ...

    def contour(self, sound: Sound) -> NDArray[np.float64]: ...
