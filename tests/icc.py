"""A profile of printing inks, made for the tests: ideal inks, each of which takes a share of one primary."""

from __future__ import annotations

import itertools
import struct

import colour
import numpy as np

from tests.pictures import Floats

NODES = 5
# By its primaries and white (IEC 61966-2-5), which the library knows by another name.
D65 = colour.CCS_ILLUMINANTS["CIE 1931 2 Degree Standard Observer"]["D65"]
OPRGB = colour.RGB_Colourspace("opRGB", [[0.64, 0.33], [0.21, 0.71], [0.15, 0.06]], D65, "D65")
D50 = colour.CCS_ILLUMINANTS["CIE 1931 2 Degree Standard Observer"]["D50"]


def lab_of_inks(inks: Floats) -> Floats:
    """CIELAB under D50 of inks (..., 4) in 0..1."""
    light = (1 - 0.9 * inks[..., :3]) * (1 - 0.95 * inks[..., 3:])
    xyz = colour.RGB_to_XYZ(light, "sRGB", illuminant=D50, chromatic_adaptation_transform="Bradford")
    return np.asarray(colour.XYZ_to_Lab(xyz, D50), np.float32)


def oprgb_of_lab(lab: Floats) -> Floats:
    """opRGB codes in 0..1 of CIELAB under D50."""
    xyz = colour.Lab_to_XYZ(lab, D50)
    linear = colour.XYZ_to_RGB(xyz, OPRGB, illuminant=D50, chromatic_adaptation_transform="Bradford")
    return np.asarray(np.clip(linear, 0, 1) ** (256 / 563), np.float32)


def _tag(kind: bytes, content: bytes) -> bytes:
    data = kind + b"\0\0\0\0" + content
    return data + b"\0" * (-len(data) % 4)


def ink_profile() -> bytes:
    """An ICC profile of version 2 with a table from inks to CIELAB (ICC.1:2001-04)."""
    steps = np.linspace(0, 1, NODES)
    lab = lab_of_inks(np.array(list(itertools.product(steps, repeat=4)), np.float32))
    codes = np.round(np.clip(np.stack([lab[:, 0] * 652.8, (lab[:, 1] + 128) * 256, (lab[:, 2] + 128) * 256], 1), 0, 65535))
    one = struct.pack(">9i", *(65536 if row == column else 0 for row in range(3) for column in range(3)))
    curves = struct.pack(">2H", 0, 65535)
    table = bytes((4, 3, NODES, 0)) + one + struct.pack(">2H", 2, 2) + curves * 4 + codes.astype(">u2").tobytes() + curves * 3
    text = b"Ideal inks"
    tags = {
        b"desc": _tag(b"desc", struct.pack(">I", len(text) + 1) + text + b"\0" * 80),
        b"cprt": _tag(b"text", b"none\0"),
        b"wtpt": _tag(b"XYZ ", struct.pack(">3i", 63190, 65536, 54061)),
        b"A2B0": _tag(b"mft2", table),
    }
    place, listed, body = 132 + 12 * len(tags), b"", b""
    for name, data in tags.items():
        listed += name + struct.pack(">2I", place + len(body), len(data))
        body += data
    size = place + len(body)
    head = struct.pack(">I4sI4s4s4s12s4s", size, b"\0\0\0\0", 0x02400000, b"prtr", b"CMYK", b"Lab ", b"\0" * 12, b"acsp")
    head += b"\0" * 28 + struct.pack(">3i", 63190, 65536, 54061) + b"\0" * 48
    return head + struct.pack(">I", len(tags)) + listed + body
