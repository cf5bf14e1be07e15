"""Errors whose text may be shown to a user as it stands: what, why, what to do."""


class BloomError(Exception):
    """Something a user can understand and act on, in one sentence."""


class SoundFileError(BloomError):
    """A file that cannot be read as sound."""


class DocumentError(BloomError):
    """An instrument document that does not hold together; names the path at fault."""


class BundleError(BloomError):
    """A bundle that cannot be opened or is not safe to open."""


class PerformanceError(BloomError):
    """A MIDI file or event list that cannot be played."""


class Cancelled(BloomError):
    """Long work that was asked to stop."""
