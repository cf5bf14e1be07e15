"""Every kind of job; a new one is its module and its place here."""

from __future__ import annotations

from innerbloom.core.declare.registry import Registry
from innerbloom.jobs.archiving import ARCHIVE, CHECK
from innerbloom.jobs.exporting import EXPORT
from innerbloom.jobs.filming import FILM, STEMS, WEIGH
from innerbloom.jobs.importing import BUNDLE, IMPORT
from innerbloom.jobs.kernels import KERNELS
from innerbloom.jobs.kind import JobKind
from innerbloom.jobs.materials import SPECTRUM, TABLE
from innerbloom.jobs.measuring import MEASURE
from innerbloom.jobs.portraying import PORTRAIT
from innerbloom.jobs.preparing import KEEP, STAGE
from innerbloom.jobs.rendering import RENDER
from innerbloom.jobs.sampling import SAMPLE, SAMPLES_OVER
from innerbloom.jobs.sketching import SKETCH, THUMBNAILS
from innerbloom.jobs.swapping import SWAP
from innerbloom.jobs.taking import AGAIN, LISTEN, MOMENTS
from innerbloom.jobs.varying import DRAW, HAND_OVER

JOB_KINDS: Registry[JobKind] = Registry(
    IMPORT,
    BUNDLE,
    STAGE,
    KEEP,
    TABLE,
    SPECTRUM,
    PORTRAIT,
    RENDER,
    SKETCH,
    EXPORT,
    MEASURE,
    THUMBNAILS,
    LISTEN,
    AGAIN,
    MOMENTS,
    DRAW,
    HAND_OVER,
    SAMPLE,
    SAMPLES_OVER,
    SWAP,
    ARCHIVE,
    CHECK,
    FILM,
    WEIGH,
    STEMS,
    KERNELS,
)
