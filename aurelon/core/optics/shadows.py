"""Shadows that a lamp casts over a surface, by marching toward the lamp and looking for the horizon.

References: Max, "Horizon Mapping: Shadows for Bump-Mapped Surfaces" (1988); Fernando, "Percentage-Closer Soft
Shadows" (2005), for rims that soften with the distance of what casts them.
"""

from __future__ import annotations

import numpy as np
from numba import prange

from aurelon.core.imaging.arrays import Floats, f32, u64
from aurelon.core.imaging.fastmath import smoothstep, unit
from aurelon.core.imaging.kernels import kernel
from aurelon.core.optics.shading import Lamp, Placement


def cast_shadows(height: Floats, lamp: Lamp, to: Placement, length: float, softness: float) -> Floats:
    """How much of the lamp each place of a surface (h, w) sees, (h, w) in 0..1; `length` is in diagonals."""
    seen = np.empty(height.shape, np.float32)
    _cast(np.ascontiguousarray(height), lamp, to, f32(length), f32(softness), WAY, seen)
    return seen


STEPS = 18  # places along a shadow at which the surface is looked at
# Closer together near the place, where shadows are sharp.
WAY = ((np.arange(1, STEPS + 1) / STEPS) ** 1.5).astype(np.float32)


@kernel
def _cast(height: Floats, lamp: Lamp, to: Placement, length: np.float32, soft: np.float32, way: Floats, out: Floats) -> None:
    rows, columns = height.shape
    across, down = to.across, to.down
    highest = height.max()
    zero, one = f32(0.0), f32(1.0)
    flat_height = height.reshape(-1)
    for row in prange(rows):
        for column in range(columns):
            x, y, z = (f32(column) + f32(0.5)) * across, (f32(row) + f32(0.5)) * down, height[row, column]
            lx, ly, lz = lamp.x - x, lamp.y - y, lamp.z - z
            if lamp.near == zero:
                lx, ly, lz = -lamp.toward_x, -lamp.toward_y, -lamp.toward_z
            flat = np.sqrt(lx * lx + ly * ly)
            if flat < f32(1e-5):
                out[row, column] = one
                continue
            slope = lz / flat
            # Cells for each unit of the way.
            ux, uy = lx / (flat * across), ly / (flat * down)
            far = length if lamp.near == zero else min(length, flat)
            seen = one
            # Once the way to the lamp is above all of the surface and its rim, nothing farther on can hide it.
            rising = slope > soft * f32(0.25)
            for n in range(STEPS):
                t = far * way[n]
                rim = soft * t * f32(0.5) + f32(0.0015)
                if rising and z + slope * t - highest > rim * f32(0.5):
                    break
                px, py = f32(np.int32(column)) + ux * t, f32(np.int32(row)) + uy * t
                if px < zero or py < zero or px >= f32(columns - 1) or py >= f32(rows - 1):
                    break
                cx, cy = np.int32(px), np.int32(py)
                fx, fy = px - f32(cx), py - f32(cy)
                p = u64(cy) * u64(columns) + u64(cx)
                q = p + u64(columns)
                above = flat_height[p] + (flat_height[p + u64(1)] - flat_height[p]) * fx
                below = flat_height[q] + (flat_height[q + u64(1)] - flat_height[q]) * fx
                there = above + (below - above) * fy
                over = there - (z + slope * t)
                # The farther away what hides it is, the softer the rim.
                seen = min(seen, unit(f32(0.5) - over / rim))
                if seen <= zero:
                    break
            out[row, column] = smoothstep(seen)
