"""Has kernels use the whole width of the processor's vectors.

Where a processor has AVX-512 the compiler still halves them by default, as early ones slowed down for the wide half. What
is computed here a pixel at a time is done in up to half the time at the whole width.
"""

from __future__ import annotations

from numba import config
from numba.core.codegen import get_host_cpu_features

HALVED = "prefer-256-bit"


def use_wide_vectors() -> None:
    """To be called before the first kernel is declared. Does nothing where somebody has chosen the processor's features
    (NUMBA_CPU_FEATURES), or where there is no AVX-512."""
    features, settings = get_host_cpu_features(), vars(config)
    if settings.get("CPU_FEATURES") is None and "+avx512f" in features.split(","):
        settings["CPU_FEATURES"] = f"{features},-{HALVED}"
