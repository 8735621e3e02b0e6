"""The header of a JPEG XL code stream (ISO/IEC 18181-1, annex D and E): read, and written anew where the encoder says less of the
samples than there is to say.

The samples of a lossy stream are stored in a space of absolute colours (XYB); depth and colours in the header only say in which
they are to come out. So a stream made of floating-point light can be said to be 12 bits in PQ, and every reader gives just that.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass, replace

from aurelon.core.imaging.code_points import BT709, BT2020, HLG, LINEAR, P3_D65, PQ, SRGB_TRANSFER

RATIOS = {1: (1, 1), 2: (12, 10), 3: (4, 3), 4: (3, 2), 5: (16, 9), 6: (5, 4), 7: (2, 1)}
HEAD = 1 << 12  # bytes of a stream, more than any header without a profile needs
MAGIC = 2  # bytes before the header
RGB, GREY = 0, 1  # of the enumeration of colour spaces
D65 = 1  # of the enumeration of whites
PRIMARIES = {1: BT709, 9: BT2020, 11: P3_D65}  # as they are numbered there, and by ITU-T H.273
TRANSFERS = {1: 1, LINEAR: LINEAR, SRGB_TRANSFER: SRGB_TRANSFER, PQ: PQ, HLG: HLG}
USUAL_PEAK = 255.0  # cd/m² of the value 1, where nothing is said
ENUMERATION = ((0, 0), (1, 0), (2, 4), (18, 6))  # what is added, and to how many bits
_NUMBERS = {"bits": ((8, 0), (10, 0), (12, 0), (1, 6)), "float bits": ((32, 0), (16, 0), (24, 0), (1, 6))}
_CHANNELS = ((0, 0), (1, 0), (2, 4), (1, 12))
_SHIFTS, _NAMES = ((0, 0), (3, 0), (4, 0), (1, 3)), ((0, 0), (0, 4), (16, 5), (48, 10))
_ANIMATION = (  # ticks of a second by two numbers, and how often it is gone through
    ((100, 0), (1000, 0), (1, 10), (1, 30)),
    ((1, 0), (1001, 0), (1, 8), (1, 10)),
    ((0, 0), (0, 3), (0, 16), (0, 32)),
)
_ALPHA = 0  # of the enumeration of further channels


class _Reader:
    """Bits of a stream, least significant first. What lies beyond its end is 0."""

    def __init__(self, data: bytes) -> None:
        self._whole = int.from_bytes(data[:HEAD], "little")
        self.place = 0

    def take(self, count: int) -> int:
        value = (self._whole >> self.place) & ((1 << count) - 1)
        self.place += count
        return value

    def flag(self) -> bool:
        return bool(self.take(1))

    def number(self, choices: tuple[tuple[int, int], ...]) -> int:
        """U32: one of four ranges, each what it begins with and how many bits are added."""
        least, bits = choices[self.take(2)]
        return least + self.take(bits)


class _Writer:
    def __init__(self) -> None:
        self.whole, self.place = 0, 0

    def put(self, value: int, count: int) -> None:
        self.whole |= value << self.place
        self.place += count

    def number(self, value: int, choices: tuple[tuple[int, int], ...]) -> None:
        for chosen, (least, bits) in enumerate(choices):
            if least <= value < least + (1 << bits):
                self.put(chosen, 2)
                self.put(value - least, bits)
                return
        raise ValueError(f"{value} cannot be encoded here")


@dataclass(frozen=True)
class StreamInfo:
    """What a header says: width and height, whether there are several pictures, bits a sample (0 where that is not known) and
    whether they are floating-point, primaries and transfer by their code points (None where a profile says them, or what no code
    point names), and the light of the value 1 in cd/m²."""

    size: tuple[int, int]
    animated: bool = False
    bits: int = 8
    floating: bool = False
    points: tuple[int, int] | None = (BT709, SRGB_TRANSFER)
    peak: float = USUAL_PEAK


@dataclass(frozen=True)
class _Rest:
    """Where parts of a header that are written again as they are begin and end, in bits; and the flags beside them."""

    size: tuple[int, int]
    channels: tuple[int, int] | None
    short_buffers: bool
    absolute: bool
    usual_transform: bool
    after: int
    simple: bool


def stream_info(stream: bytes) -> StreamInfo:
    """What the header of a code stream says."""
    return _read(stream)[0]


def restated(stream: bytes, bits: int, points: tuple[int, int], peak: float = USUAL_PEAK) -> bytes:
    """The same stream, with a header for whole numbers of this many bits, in the colours of these code points.

    `stream` is one picture as the encoder writes it. Raises ValueError where its header holds more than that.
    """
    _, rest = _read(stream)
    if not rest.simple or not rest.usual_transform:
        raise ValueError("the header of this stream has fields that Aurelon does not read")
    source, out = _Reader(stream[MAGIC:]), _Writer()

    def copy(span: tuple[int, int]) -> None:
        source.place = span[0]
        out.put(source.take(span[1] - span[0]), span[1] - span[0])

    primaries = next(number for number, point in PRIMARIES.items() if point == points[0])
    copy(rest.size)
    out.put(0, 1)  # not all is as usual
    further = peak != USUAL_PEAK
    out.put(further, 1)
    if further:
        out.put(0, 3 + 3)  # upright; no other size, preview or animation
    out.put(0, 1)
    out.number(bits, _NUMBERS["bits"])
    out.put(rest.short_buffers and bits <= 12, 1)
    if rest.channels is None:
        out.number(0, _CHANNELS)
    else:
        copy(rest.channels)
    out.put(rest.absolute, 1)
    out.put(0, 2)  # colours are said, and by no profile
    for value in (RGB, D65, primaries):
        out.number(value, ENUMERATION)
    out.put(0, 1)  # no plain power
    out.number(points[1], ENUMERATION)
    out.number(1, ENUMERATION)  # relative colorimetric
    if further:
        out.put(0, 1)
        out.put(_half(peak), 16)
        out.put(0, 16 + 1 + 16)
    out.put(0, 2)  # no extensions
    out.put(1, 1)  # the usual transform
    head = out.whole.to_bytes((out.place + 7) // 8, "little")
    return stream[:MAGIC] + head + stream[MAGIC + (rest.after + 7) // 8 :]


def _half(value: float) -> int:
    return int(struct.unpack("<H", struct.pack("<e", value))[0])


def _size(bits: _Reader) -> tuple[int, int]:
    """Width and height of a size header."""
    if bits.flag():  # both sides are multiples of 8 up to 256
        height = (bits.take(5) + 1) * 8
        ratio = bits.take(3)
        width = (bits.take(5) + 1) * 8 if ratio == 0 else 0
    else:
        sides = tuple((1, count) for count in (9, 13, 18, 30))
        height = bits.number(sides)
        ratio = bits.take(3)
        width = bits.number(sides) if ratio == 0 else 0
    if ratio:
        over, under = RATIOS[ratio]
        width = height * over // under
    return width, height


def _depth(bits: _Reader) -> tuple[bool, int]:
    floating = bits.flag()
    count = bits.number(_NUMBERS["float bits" if floating else "bits"])
    if floating:
        bits.take(4)
    return floating, count


def _channel(bits: _Reader) -> bool:
    """Passes a further channel; whether it is known here."""
    if bits.flag():
        return True  # alpha of 8 bits
    kind = bits.number(ENUMERATION)
    _depth(bits)
    bits.number(_SHIFTS)
    bits.take(8 * bits.number(_NAMES))
    if kind == _ALPHA:
        bits.take(1)
    return kind == _ALPHA


def _colours(bits: _Reader) -> tuple[int, int] | None:
    if bits.flag():
        return BT709, SRGB_TRANSFER
    profile, space = bits.flag(), bits.number(ENUMERATION)
    if profile or space not in (RGB, GREY):
        return None
    white = bits.number(ENUMERATION)
    if white == 2:  # its own
        return None
    primaries = bits.number(ENUMERATION) if space == RGB else 1
    if primaries == 2 or bits.flag():  # its own, or a plain power
        return None
    transfer = bits.number(ENUMERATION)
    bits.number(ENUMERATION)
    if white != D65 or primaries not in PRIMARIES or transfer not in TRANSFERS:
        return None
    return PRIMARIES[primaries], TRANSFERS[transfer]


def _read(stream: bytes) -> tuple[StreamInfo, _Rest]:
    bits = _Reader(stream[MAGIC:])
    info = StreamInfo(_size(bits))
    size = (0, bits.place)
    if bits.flag():  # all as usual
        return info, _Rest(size, None, True, True, True, bits.place, True)
    simple = True
    further = bits.flag()
    if further:
        bits.take(3)  # orientation
        if bits.flag():
            _size(bits)  # at which it is to be seen
            simple = False
        if bits.flag():  # a preview, behind which nothing is read
            return replace(info, bits=0, points=None), _Rest(size, None, False, False, False, 0, False)
        if bits.flag():
            for choices in _ANIMATION:
                bits.number(choices)
            bits.flag()  # time codes
            info, simple = replace(info, animated=True), False
    floating, count = _depth(bits)
    short_buffers, begin = bits.flag(), bits.place
    known = [_channel(bits) for _ in range(bits.number(_CHANNELS))]
    channels = (begin, bits.place)
    if not all(known):
        return replace(info, floating=floating, bits=count, points=None), _Rest(size, None, False, False, False, 0, False)
    absolute, points = bits.flag(), _colours(bits)
    peak = USUAL_PEAK
    if further and points is not None and not bits.flag():
        peak = _float(bits.take(16))
        bits.take(16 + 1 + 16)
    simple = simple and points is not None and bits.take(2) == 0  # no extensions
    info = replace(info, floating=floating, bits=count, points=points, peak=peak)
    usual = bits.flag()
    return info, _Rest(size, channels, short_buffers, absolute, usual, bits.place, simple)


def _float(half: int) -> float:
    return float(struct.unpack("<e", struct.pack("<H", half))[0])
