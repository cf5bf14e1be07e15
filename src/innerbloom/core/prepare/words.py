"""How values are said in a recipe's sentences."""

from __future__ import annotations

from innerbloom.core.pitch_names import note_name

MINUS = "\u2212"


def seconds(value: float) -> str:
    """``2.10 s``; under a tenth, milliseconds."""
    return f"{value:.2f} s" if value == 0 or value >= 0.1 else milliseconds(1e3 * value)


def milliseconds(value: float) -> str:
    return f"{value:.0f} ms" if value >= 10 or value == int(value) else f"{value:.1f} ms"


def hertz(value: float) -> str:
    """``120 Hz``, ``4 kHz``, ``12.5 kHz``."""
    return f"{value:.3g} Hz" if value < 1_000 else f"{value / 1_000:.3g} kHz"


def signed(value: float, unit: str, digits: int = 0) -> str:
    """``+3 st``, ``−0.3 dB``."""
    text = f"{value:+.{digits}f}".replace("-", MINUS)
    return f"{text} {unit}"


def level(value: float, unit: str, digits: int = 1) -> str:
    """``−0.3 dBFS``."""
    return f"{value:.{digits}f} {unit}".replace("-", MINUS)


def note(value: float) -> str:
    """``A2`` or ``A2 +14``."""
    name, cents = note_name(value)
    name = name.replace("#", "\u266f")
    return f"{name} {cents:+.0f}".replace("-", MINUS) if abs(cents) >= 0.5 else name


def pitch_class(value: float) -> str:
    """``A`` or ``F sharp`` as a sign, without octave: the key of a scale."""
    return note(round(value)).rstrip("0123456789-\u2212")
