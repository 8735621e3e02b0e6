"""RGB spaces: primaries and transfer curves, and the ICC profile that says so in a file.

Profiles are written here after ICC.1:2022 (version 4), as the colour engine at hand gives those that it makes no name
that a person could read; `icc.py` reads them by the engine.
"""

from __future__ import annotations

import hashlib
import struct
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numba import prange
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.kernels import inlined, kernel, strict_kernel

# ICC PCS white, D50, and the sRGB primaries adapted to it (Bradford), as the ICC publishes them.
PCS_WHITE = np.array([0.9642, 1.0, 0.8249])
SRGB_TO_PCS = np.array([[0.4360747, 0.3850649, 0.1430804], [0.2225045, 0.7168786, 0.0606169], [0.0139322, 0.0971045, 0.7141733]])
P3_TO_PCS = np.array([[0.5151187, 0.2919778, 0.1571035], [0.2411892, 0.6922441, 0.0665668], [-0.0010505, 0.0418791, 0.7840713]])
# Bradford adaptation from D65 to the PCS white (Lindbloom, "Chromatic Adaptation").
D65_TO_PCS = np.array([[1.0478112, 0.0228866, -0.0501270], [0.0295424, 0.9904844, -0.0170491], [-0.0092345, 0.0150436, 0.7521316]])


BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
Chromaticity = tuple[float, float]
D65: Chromaticity = (0.3127, 0.3290)


def primaries_to_pcs(red: Chromaticity, green: Chromaticity, blue: Chromaticity, white: Chromaticity) -> NDArray[np.float64]:
    """Linear RGB of primaries and a white by their x and y, to PCS XYZ, adapted by Bradford (Lindbloom, "RGB/XYZ Matrices")."""
    columns = np.stack([_xyz(*red), _xyz(*green), _xyz(*blue)], axis=1)
    there = _xyz(*white)
    return np.asarray(_adaptation(there) @ (columns * np.linalg.solve(columns, there)))


def _xyz(x: float, y: float) -> NDArray[np.float64]:
    return np.array([x / y, 1.0, (1 - x - y) / y])


@dataclass(frozen=True)
class Curve:
    """A transfer curve, code value 0..1 to linear light 0..1.

    Either `table`, evenly spaced linear values, or `params` (g, a, b, c, d, e, f) of the parametric
    type: (a x + b)**g + e for x >= d, else c x + f. Above 1 a parametric curve goes on by its
    formula and a table by its last slope, so that float files keep their headroom.
    """

    params: tuple[float, float, float, float, float, float, float] = (1.0, 1.0, 0.0, 0.0, 0.0, 0.0, 0.0)
    table: tuple[float, ...] = ()

    @cached_property
    def _packed(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        return np.array(self.params, np.float64), np.array(self.table, np.float64)

    @property
    def is_linear(self) -> bool:
        return not self.table and self.params[0] == 1.0 and self.params[4] == 0.0

    def decode(self, codes: NDArray[np.float64]) -> NDArray[np.float64]:
        """Linear light of code values (float64, any shape), exact."""
        params, table = self._packed
        if table.size:
            place = codes * (table.size - 1)
            low = np.clip(np.floor(place).astype(np.int64), 0, table.size - 2)
            return np.asarray(table[low] + (table[low + 1] - table[low]) * np.maximum(place - low, 0.0))
        g, a, b, c, d, e, f = params
        upper = np.maximum(a * codes + b, 0.0) ** g + e
        return np.asarray(np.where(codes >= d, upper, c * codes + f))

    @cached_property
    def _coded(self) -> Floats:
        """Code values of linear light at even steps of its fourth root, 0..1, over which a formula is nearly straight."""
        roots = np.arange(ROOTS + 2) / ROOTS
        return self._encode_exactly((np.minimum(roots, 1) ** 4).astype(np.float32))

    def _encode_exactly(self, linear: Floats) -> Floats:
        params, table = self._packed
        out = np.empty_like(linear)
        if table.size:
            _encode_by_table(linear, table, out)
        else:
            _encode_by_params(linear, params, out)
        return out

    def encode(self, linear: Floats, *, held: bool = False) -> Floats:
        """Code values of linear light; the inverse of `decode`. float32 in and out, same shape; error below 1e-6. With `held`
        light outside of 0..1 may be held there, as whole numbers hold it anyhow."""
        flat = np.ascontiguousarray(linear, np.float32).reshape(-1)
        if flat.size < ROOTS or self.table:  # a table's own steps are finer near black
            return self._encode_exactly(flat).reshape(linear.shape)
        out = np.empty_like(flat)
        low, high = np.empty((2, -(-flat.size // BLOCK)), np.float32)
        _encode_by_roots(flat, self._coded, out, low, high)
        if not held and (low.min() < 0.0 or high.max() > 1.0):
            beyond = (flat < 0) | (flat > 1)
            out[beyond] = self._encode_exactly(flat[beyond])
        return out.reshape(linear.shape)


ROOTS = 1 << 12
BLOCK = 1 << 13


@inlined
def _fourth_roots(linear: Floats, out: Floats) -> None:
    """As places in the table; alone, so that it vectorises."""
    for i in range(out.size):
        out[i] = np.sqrt(np.sqrt(min(max(linear[i], np.float32(0.0)), np.float32(1.0)))) * np.float32(ROOTS)


@kernel
def _encode_by_roots(linear: Floats, coded: Floats, out: Floats, low: Floats, high: Floats) -> None:
    """Between the two nearest of `coded`. `low` and `high` get the least and the greatest value of each block: outside of 0..1 this
    does not hold."""
    for block in prange(low.size):
        first, last = block * BLOCK, min((block + 1) * BLOCK, linear.size)
        _fourth_roots(linear[first:last], out[first:last])
        least, most = np.float32(0.0), np.float32(0.0)
        for i in range(first, last):
            least, most = min(least, linear[i]), max(most, linear[i])
            place = out[i]
            cell = min(np.uint32(place), np.uint32(ROOTS))  # what is no number has no cell of its own
            below = coded[cell]
            out[i] = below + (coded[cell + np.uint32(1)] - below) * (place - np.float32(cell))
        low[block], high[block] = least, most


@strict_kernel
def _encode_by_params(linear: Floats, params: NDArray[np.float64], out: Floats) -> None:
    g, a, b, c, d, e, f = params
    knee = (a * d + b) ** g + e if a * d + b > 0 else e
    for i in prange(linear.size):
        y = float(linear[i])
        if y >= knee:
            out[i] = (max(y - e, 0.0) ** (1.0 / g) - b) / a
        else:
            out[i] = (y - f) / c if c != 0.0 else 0.0


@strict_kernel
def _encode_by_table(linear: Floats, table: NDArray[np.float64], out: Floats) -> None:
    last = table.size - 1
    for i in prange(linear.size):
        y = float(linear[i])
        low, high = 0, last
        while high - low > 1:
            mid = (low + high) // 2
            if table[mid] <= y:
                low = mid
            else:
                high = mid
        step = table[low + 1] - table[low]
        place = (y - table[low]) / step if step > 0.0 else 0.0
        if low < last - 1:
            place = min(place, 1.0)
        out[i] = (low + max(place, 0.0)) / last


SRGB_CURVE = Curve((2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045, 0.0, 0.0))
LINEAR_CURVE = Curve()


@dataclass(frozen=True)
class RgbSpace:
    """The plate's own RGB: linear RGB to PCS XYZ by `to_pcs` (rows X, Y, Z), and a curve a channel."""

    name: str
    to_pcs_rows: tuple[tuple[float, float, float], ...]
    curves: tuple[Curve, Curve, Curve]
    icc: bytes

    @cached_property
    def to_pcs(self) -> NDArray[np.float64]:
        return np.array(self.to_pcs_rows, np.float64)

    @cached_property
    def from_d65(self) -> NDArray[np.float64]:
        """CIE XYZ relative to D65, to this space's linear RGB."""
        return np.asarray(np.linalg.inv(self.to_pcs) @ D65_TO_PCS)

    @cached_property
    def luminance(self) -> Floats:
        """Weights of R, G, B in luminance Y; they sum to 1."""
        weights = self.to_pcs[1] / self.to_pcs[1].sum()
        return np.asarray(weights, np.float32)

    @cached_property
    def key(self) -> str:
        return hashlib.sha256(self.icc).hexdigest()[:16]

    def matrix_to(self, other: RgbSpace) -> Floats | None:
        """Linear RGB here to linear RGB in `other`; None when the primaries are the same."""
        matrix = np.linalg.inv(other.to_pcs) @ self.to_pcs
        return None if np.allclose(matrix, np.eye(3), atol=2e-4) else np.asarray(matrix, np.float32)


def _adaptation(white: NDArray[np.float64]) -> NDArray[np.float64]:
    """From XYZ under a white to PCS XYZ, by Bradford."""
    gain = (BRADFORD @ PCS_WHITE) / (BRADFORD @ white)
    return np.asarray(np.linalg.inv(BRADFORD) @ np.diag(gain) @ BRADFORD)


def chromaticities_of(space: RgbSpace) -> tuple[float, ...]:
    """x and y of red, green, blue and white, as files state them, the white D65."""
    columns = np.linalg.inv(_adaptation(_xyz(*D65))) @ space.to_pcs
    places = [*((float(c[0] / c.sum()), float(c[1] / c.sum())) for c in columns.T), D65]
    return tuple(value for place in places for value in place)


def _s15(value: float) -> bytes:
    return struct.pack(">i", round(value * 65536))


def _xyz_tag(xyz: NDArray[np.float64]) -> bytes:
    return b"XYZ \0\0\0\0" + b"".join(_s15(float(v)) for v in xyz)


def _curve_tag(curve: Curve) -> bytes:
    if curve.table:
        codes = (min(max(round(v * 65535), 0), 65535) for v in curve.table)
        return b"curv\0\0\0\0" + struct.pack(">I", len(curve.table)) + b"".join(struct.pack(">H", c) for c in codes)
    if curve.is_linear:
        return b"curv\0\0\0\0" + struct.pack(">I", 0)
    g, a, b, c, d, e, f = curve.params
    return b"para\0\0\0\0" + struct.pack(">HH", 4, 0) + b"".join(_s15(v) for v in (g, a, b, c, d, e, f))


def _text_tag(text: str) -> bytes:
    raw = text.encode("utf-16-be")
    return b"mluc\0\0\0\0" + struct.pack(">II2s2sII", 1, 12, b"en", b"US", len(raw), 28) + raw


def matrix_profile(name: str, to_pcs: NDArray[np.float64], curves: tuple[Curve, Curve, Curve]) -> bytes:
    """A version 4 display profile of a matrix and three curves, as bytes."""
    tags = [
        (b"desc", _text_tag(name)),
        (b"cprt", _text_tag("No copyright, use freely")),
        (b"wtpt", _xyz_tag(PCS_WHITE)),
        *((sig, _xyz_tag(to_pcs[:, i])) for i, sig in enumerate((b"rXYZ", b"gXYZ", b"bXYZ"))),
        *((sig, _curve_tag(curves[i])) for i, sig in enumerate((b"rTRC", b"gTRC", b"bTRC"))),
    ]
    offset = 128 + 4 + 12 * len(tags)
    table, body = struct.pack(">I", len(tags)), b""
    for signature, tag in tags:
        tag += b"\0" * (-len(tag) % 4)
        table += struct.pack(">4sII", signature, offset + len(body), len(tag))
        body += tag
    header = struct.pack(
        ">I4sI4s4s4s6H4s4sI4sIQI3i4s",
        offset + len(body),
        b"\0\0\0\0",
        0x04400000,
        b"mntr",
        b"RGB ",
        b"XYZ ",
        2026,
        1,
        1,
        0,
        0,
        0,
        b"acsp",
        b"\0\0\0\0",
        0,
        b"\0\0\0\0",
        0,
        0,
        0,
        round(PCS_WHITE[0] * 65536),
        65536,
        round(PCS_WHITE[2] * 65536),
        b"\0\0\0\0",
    )
    return header.ljust(128, b"\0") + table + body


def make_space(name: str, to_pcs: NDArray[np.float64], curve: Curve) -> RgbSpace:
    curves = (curve, curve, curve)
    rows = tuple((float(r[0]), float(r[1]), float(r[2])) for r in to_pcs)
    return RgbSpace(name, rows, curves, matrix_profile(name, to_pcs, curves))


SRGB = make_space("sRGB", SRGB_TO_PCS, SRGB_CURVE)
LINEAR_SRGB = make_space("Linear light, sRGB primaries", SRGB_TO_PCS, LINEAR_CURVE)
DISPLAY_P3 = make_space("Display P3", P3_TO_PCS, SRGB_CURVE)
# IEC 61966-2-5 and ISO 22028-2.
OPRGB = make_space(
    "opRGB",
    primaries_to_pcs((0.64, 0.33), (0.21, 0.71), (0.15, 0.06), (0.3127, 0.3290)),
    Curve((2.19921875, 1.0, 0.0, 0.0, 0.0, 0.0, 0.0)),
)
ROMM = make_space(
    "ROMM RGB",
    primaries_to_pcs((0.7347, 0.2653), (0.1596, 0.8404), (0.0366, 0.0001), (0.3457, 0.3585)),
    Curve((1.8, 1.0, 0.0, 1 / 16, 1 / 32, 0.0, 0.0)),
)
