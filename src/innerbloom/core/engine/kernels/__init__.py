"""Compiled loops. Each kind of layer has one kernel module; :data:`LAYER_KERNELS` names them."""

from __future__ import annotations

from collections.abc import Callable

from innerbloom.core.engine.kernels.cloud import render_cloud

LAYER_KERNELS: dict[str, Callable[..., None]] = {"cloud": render_cloud}
