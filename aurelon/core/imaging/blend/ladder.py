"""Compiled functions that choose one of several by number: Numba has no table of functions, so there is an `if` for each."""

from __future__ import annotations

from collections.abc import Sequence

from aurelon.core.imaging.blend.mode import Run
from aurelon.core.imaging.kernels import inlined


def ladder(runs: Sequence[tuple[int, Run]]) -> Run:
    """A compiled function of a number and further arguments, with which it calls the run of that number; the last one for any
    other number."""
    *others, (_, last) = runs

    @inlined
    def chosen(number: int, *arguments: object) -> None:
        last(*arguments)

    for number, run in reversed(others):
        chosen = _rung(number, run, chosen)
    return chosen


def _rung(its_number: int, run: Run, otherwise: Run) -> Run:
    @inlined
    def chosen(number: int, *arguments: object) -> None:
        if number == its_number:
            run(*arguments)
        else:
            otherwise(number, *arguments)

    return chosen
