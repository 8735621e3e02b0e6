"""Metadata in XMP (ISO 16684-1): kept as they came, and the rig within them."""

from __future__ import annotations

import base64
import binascii
import re
import zlib

NAMESPACE = "urn:aurelon:xmp#"
MOST_TEXT = 64 << 20  # characters of a rig that is unpacked
_ORIENTATION = re.compile(rb"""(tiff:Orientation\s*=\s*["'])[2-8](["'])|(<tiff:Orientation>)[2-8](</tiff:Orientation>)""")
_RIG = re.compile(rb"""aurelon:rig="([A-Za-z0-9+/=]+)\"""")
_END = b"</rdf:RDF>"
_PACKET = (
    b'<?xpacket begin="\xef\xbb\xbf" id="W5M0MpCehiHzreSzNTczkc9d"?>\n'
    b'<rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"></rdf:RDF>\n<?xpacket end="r"?>'
)


def orientation_in(xmp: bytes | None) -> int:
    """The orientation 1..8 that the metadata state; 1 where they state none."""
    found = _ORIENTATION.search(xmp or b"")
    return 1 if found is None else int(re.sub(rb"\D", b"", found[0]))


def upright_xmp(xmp: bytes | None) -> bytes | None:
    """The same, but for an orientation of 1."""
    return None if not xmp else _ORIENTATION.sub(rb"\g<1>\g<3>1\g<2>\g<4>", xmp)


def packed(rig: str) -> str:
    """A rig's JSON as it travels."""
    return base64.b64encode(zlib.compress(rig.encode(), 9)).decode()


def unpacked(text: str | bytes) -> str:
    """The JSON of a rig that travelled; "" where it is damaged."""
    try:
        worker = zlib.decompressobj()
        data = worker.decompress(base64.b64decode(text, validate=True), MOST_TEXT)
        return "" if worker.unconsumed_tail else data.decode()
    except (binascii.Error, zlib.error, ValueError):
        return ""


def with_rig(xmp: bytes | None, rig: str) -> bytes | None:
    """The metadata with a rig among them, in place of one that is there; unchanged without a rig."""
    if not rig:
        return xmp
    whole = xmp if xmp and _END in xmp else _PACKET
    plain = re.sub(rb'<rdf:Description[^>]*xmlns:aurelon="[^"]*"[^>]*/>', b"", whole)
    of_reel = f'<rdf:Description rdf:about="" xmlns:aurelon="{NAMESPACE}" aurelon:rig="{packed(rig)}"/>'.encode()
    at = plain.rindex(_END)
    return plain[:at] + of_reel + plain[at:]


def rig_in(xmp: bytes | None) -> str:
    """The JSON of the rig in metadata; "" without one."""
    found = _RIG.search(xmp or b"")
    return "" if found is None else unpacked(found[1])
