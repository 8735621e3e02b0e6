"""What of a camera's notes goes along into a file that is written: EXIF (CIPA DC-008) and XMP (ISO 16684-1).

By default only what is named here does: camera, lens, exposure, date and copyright. Whatever else there is, place, serial numbers,
names of people, a maker's own notes, tells of somebody who was not asked.
"""

from __future__ import annotations

from typing import Any, Literal
from xml.etree import ElementTree as Writer

from defusedxml import ElementTree
from PIL import Image

from aurelon.core.codecs.shared.exif import DamagedExif, tags_of
from aurelon.core.codecs.shared.raster import EXIF_IFD

Notes = Literal["usual", "all", "none"]
NOTES = {"usual": "How it was taken", "all": "All of it", "none": "Nothing"}
# Make, Model, Orientation, resolution, Software, DateTime, Copyright.
OF_PICTURE = frozenset({0x010F, 0x0110, 0x0112, 0x011A, 0x011B, 0x0128, 0x0131, 0x0132, 0x8298})
# Exposure, sensitivity, dates with their zones and fractions, focal length, flash, metering, colour space, how it was taken, and
# what lens; of the lens its serial number (0xA435) is left out.
OF_EXPOSURE = frozenset(
    {
        *(0x829A, 0x829D, 0x8822, 0x8827, *range(0x8830, 0x8836), 0x9000, 0x9003, 0x9004, *range(0x9010, 0x9013)),
        *(*range(0x9201, 0x920B), *range(0x9290, 0x9293), 0xA000, 0xA001, 0xA002, 0xA003, 0xA20E, 0xA20F, 0xA210, 0xA217),
        *(0xA300, 0xA301, *range(0xA401, 0xA40B), 0xA40C, 0xA432, 0xA433, 0xA434),
    }
)
RDF = "http://www.w3.org/1999/02/22-rdf-syntax-ns#"
DUBLIN_CORE = "http://purl.org/dc/elements/1.1/"
RIGHTS = f"{{{DUBLIN_CORE}}}rights"


def kept_exif(block: bytes | None, notes: Notes) -> bytes | None:
    """The EXIF block that goes along. With "all" it is the one that came, byte for byte; one that cannot be read goes along with
    "all" only."""
    if not block or notes == "none":
        return None
    if notes == "all":
        return block
    try:
        tags_of(block)
        found, kept = Image.Exif(), Image.Exif()
        found.load(block)
        for tag in OF_PICTURE & found.keys():
            kept[tag] = _as_it_came(found[tag])
        inner = {tag: value for tag, value in found.get_ifd(EXIF_IFD).items() if tag in OF_EXPOSURE}
        if inner:
            kept.get_ifd(EXIF_IFD).update(inner)
            kept[EXIF_IFD] = inner
        return kept.tobytes() if len(kept) else None
    except (DamagedExif, ValueError, TypeError, KeyError, OSError, SyntaxError, AttributeError):
        return None  # what cannot be told apart stays at home


def _as_it_came(value: Any) -> Any:
    """Text as its bytes, which its reader gives as characters of one byte each: many a copyright is not ASCII."""
    return value.encode("latin-1", "replace") if isinstance(value, str) else value


def kept_xmp(packet: bytes | None, notes: Notes) -> bytes | None:
    """The XMP packet that goes along, as `kept_exif`; by default the copyright alone, since EXIF states the rest."""
    if not packet or notes == "none":
        return None
    if notes == "all":
        return packet
    try:
        text = packet.decode("utf-8", "replace")
        begin, end = text.index("<rdf:RDF"), text.rindex("</rdf:RDF>") + len("</rdf:RDF>")
        tree = ElementTree.fromstring(text[begin:end], forbid_dtd=True)
    except (ValueError, ElementTree.ParseError):  # what cannot be told apart stays at home
        return None
    rights = list(tree.iter(RIGHTS))
    if not rights:
        return None
    Writer.register_namespace("rdf", RDF)
    Writer.register_namespace("dc", DUBLIN_CORE)
    result = Writer.Element(f"{{{RDF}}}RDF")
    Writer.SubElement(result, f"{{{RDF}}}Description", {f"{{{RDF}}}about": ""}).extend(rights[:1])
    body = Writer.tostring(result, "unicode")
    return f'<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>\n{body}\n<?xpacket end="r"?>'.encode()
