"""One guard for all readers of files from elsewhere: whatever a decoder stumbles over becomes a sentence."""

from __future__ import annotations

import errno
import lzma
import struct
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager

from innerbloom.core.errors import BloomError

DECODER_ERRORS = (
    ValueError,
    LookupError,
    TypeError,
    ArithmeticError,
    AttributeError,
    EOFError,
    NotImplementedError,
    RuntimeError,
    struct.error,
    zipfile.BadZipFile,
    zipfile.LargeZipFile,
    zlib.error,
    lzma.LZMAError,
)
"""What decoders raise over damaged or hostile data; a RecursionError is a RuntimeError."""

_NOT_THE_DISK = (None, errno.ENAMETOOLONG, errno.EINVAL)
"""Numbers of OSErrors that come from the data: bz2 gives none, a name may be too long."""


@contextmanager
def refusing(
    sentence: str,
    refusal: type[BloomError] = BloomError,
    also: tuple[type[Exception], ...] = (),
) -> Iterator[None]:
    """Turn what a decoder raises into a refusal with one sentence; what the disk says stays.

    Parameters
    ----------
    also : tuple of type
        What a package raises beyond :data:`DECODER_ERRORS`.

    Examples
    --------
    >>> with refusing("'a.take' is damaged.", BundleError):
    ...     json.loads(opened.read("take.json"))
    """
    caught: tuple[type[Exception], ...] = DECODER_ERRORS + also
    try:
        yield
    except caught as error:
        raise refusal(sentence) from error
    except OSError as error:
        if error.errno not in _NOT_THE_DISK:
            raise
        raise refusal(sentence) from error
