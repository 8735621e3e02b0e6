"""Has kernels use the whole width of the processor's vectors.

Where a processor has AVX-512 the compiler still halves them by default, as early ones slowed down for the wide half. What
is computed here a pixel at a time is done in up to half the time at the whole width.
"""

from __future__ import annotations

from llvmlite import binding
from numba import config

HALVED = "prefer-256-bit"


def use_wide_vectors() -> None:
    """To be called before the first kernel is declared. Does nothing where somebody has chosen the processor's features
    (NUMBA_CPU_FEATURES), or where there is no AVX-512."""
    features = binding.get_host_cpu_features()
    settings = vars(config)
    if settings.get("CPU_FEATURES") is None and features.get("avx512f"):
        settings["CPU_FEATURES"] = f"{features.flatten()},-{HALVED}"
