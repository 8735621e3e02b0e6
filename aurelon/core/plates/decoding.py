"""Where files that came from outside are decoded: in this process, or wherever the program has put its decoder.

A service that is open to others decodes nothing itself: it names a `Decoder` that works elsewhere, and the whole core uses it.
"""

from __future__ import annotations

from fractions import Fraction
from typing import BinaryIO, Protocol

from aurelon.core import codecs
from aurelon.core.codecs.shared.in_space import in_space
from aurelon.core.codecs.shared.raster import Raster, UnreadableError
from aurelon.core.errors import PlateError
from aurelon.core.reels import kinds_of_reel
from aurelon.core.reels.shared.footage import Footage, opened
from aurelon.core.reels.shared.heard import heard

HEAD = 4096  # bytes from which a kind of file is told
NO_FRAMES = "holds no frames that Aurelon can read; it reads video, animated pictures and numbered stills"


class Decoder(Protocol):
    """Decodes files. Each raises PlateError, in a sentence that names the file, for what cannot be decoded."""

    def raster(self, data: bytes, name: str, *, spaced: bool) -> Raster:
        """The samples of a picture; `spaced`: with their RGB space."""
        ...

    def layers(self, data: bytes, name: str) -> list[str]:
        """Names of the pictures in a file that holds several."""
        ...

    def layer(self, data: bytes, name: str, layer: str) -> tuple[bytes, str]:
        """One of those pictures as a file of its own, and its name."""
        ...

    def footage(self, file: BinaryIO, name: str) -> Footage:
        """The frames of a file. Raises UnreadableError where it holds none."""
        ...

    def sound(self, file: BinaryIO, name: str, end: Fraction) -> bytes:
        """The sound of a video, see `aurelon.core.reels.shared.heard`."""
        ...


class DecoderHere:
    """Decodes in this process."""

    def raster(self, data: bytes, name: str, *, spaced: bool) -> Raster:
        raster = codecs.read_raster(data, name)
        return in_space(raster) if spaced else raster

    def layers(self, data: bytes, name: str) -> list[str]:
        return codecs.layers_in(data, name)

    def layer(self, data: bytes, name: str, layer: str) -> tuple[bytes, str]:
        return codecs.layer_of(data, name, layer)

    def footage(self, file: BinaryIO, name: str) -> Footage:
        head = head_of(file)
        kind = next((kind for kind in kinds_of_reel().values() if kind.matches(head)), None)
        if kind is None:
            raise UnreadableError(NO_FRAMES)
        return opened(kind, file)

    def sound(self, file: BinaryIO, name: str, end: Fraction) -> bytes:
        try:
            return heard(file, end)
        except UnreadableError as error:
            raise PlateError(f"{name} {error}") from error


_decoder: list[Decoder] = [DecoderHere()]


def decoder() -> Decoder:
    """The decoder in use."""
    return _decoder[0]


def use_decoder(new: Decoder) -> Decoder:
    """Has everything decoded by `new` from now on; the one that was in use."""
    before, _decoder[0] = _decoder[0], new
    return before


def head_of(file: BinaryIO) -> bytes:
    """The beginning of a file."""
    file.seek(0)
    return file.read(HEAD)
