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
def refusing(sentence: str, refusal: type[BloomError] = BloomError) -> Iterator[None]:
    """Turn what a decoder raises into a refusal with one sentence; what the disk says stays.

    Examples
    --------
    >>> with refusing("'a.take' is damaged.", BundleError):
    ...     json.loads(opened.read("take.json"))
    """
    try:
        yield
    except DECODER_ERRORS as error:
        raise refusal(sentence) from error
    except OSError as error:
        if error.errno not in _NOT_THE_DISK:
            raise
        raise refusal(sentence) from error
