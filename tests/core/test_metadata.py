"""What goes along into a written file: how the picture was taken; of who took it, or where, nothing unless that is asked for."""

from __future__ import annotations

import io
import unittest
from typing import Any

from PIL import Image

from aurelon.core import Rig, read_plate
from aurelon.core.codecs import codecs
from aurelon.core.codecs.shared.metadata import Notes, kept_exif, kept_xmp
from aurelon.core.codecs.shared.raster import EXIF_IFD, GPS_IFD
from aurelon.core.export.picture import PictureExport, export
from tests.pictures import scene
from tests.web.service import png

# Numbers of tags and what they are, as CIPA DC-008 (EXIF 2.32) lists them.
USUAL: dict[int, Any] = {0x010F: "Merrow", 0x0110: "Box 2", 0x0132: "2026:05:04 05:06:07", 0x8298: "\u00c2\u00a9 Merrow Point"}
USUAL_INNER: dict[int, Any] = {
    0x829A: 0.004,
    0x829D: 5.6,
    0x8827: 200,
    0x9003: "2026:05:04 05:06:07",
    0x920A: 35.0,
    0xA434: "35 mm",
}
PRIVATE: dict[int, Any] = {0x013B: "Ada Wray", 0x013C: "ada's desk", 0x010E: "Ada at home", 0x9C9D: b"A\0d\0a\0\0\0"}
PRIVATE_INNER: dict[int, Any] = {
    0xA430: "Ada Wray",
    0xA431: "body 10017",
    0xA435: "lens 20034",
    0xA420: "f" * 32,
    0x927C: b"serial 10017",
    0x9286: b"ASCII\0\0\0for Ada",
}
SECRETS = (b"Ada", b"10017", b"20034", b"ada's", b"f" * 32, b"A\0d\0a")
XMP = (
    b'<rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#" xmlns:p="urn:merrow#">'
    b'<rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/" p:City="Merrow" p:Serial="10017">'
    b"<dc:creator><rdf:Seq><rdf:li>Ada Wray</rdf:li></rdf:Seq></dc:creator>"
    b'<dc:rights><rdf:Alt><rdf:li xml:lang="x-default">Merrow Point</rdf:li></rdf:Alt></dc:rights>'
    b"</rdf:Description></rdf:RDF>"
)


def block() -> bytes:
    exif = Image.Exif()
    for tag, value in (USUAL | PRIVATE).items():
        exif[tag] = value.encode("latin-1") if isinstance(value, str) else value
    exif.get_ifd(EXIF_IFD).update(USUAL_INNER | PRIVATE_INNER)
    exif.get_ifd(GPS_IFD).update({1: "N", 2: (54.0, 31.0, 7.0), 3: "W", 4: (3.0, 36.0, 2.0)})
    return exif.tobytes()


def photograph(kind: str = "JPEG") -> bytes:
    out = io.BytesIO()
    Image.open(io.BytesIO(png(scene(60, 40)))).save(out, kind, exif=block(), xmp=XMP)
    return out.getvalue()


class Metadata(unittest.TestCase):
    def exif_of(self, data: bytes) -> tuple[dict[int, Any], dict[int, Any], dict[int, Any]]:
        """The tags of a file by another reader: of the picture, of the exposure, of the place."""
        exif = Image.open(io.BytesIO(data)).getexif()
        return dict(exif), dict(exif.get_ifd(EXIF_IFD)), dict(exif.get_ifd(GPS_IFD))

    def exported(self, notes: Notes | None, form: str = "jpeg") -> bytes:
        chosen = {} if notes is None else {"metadata": notes}
        options = PictureExport(format=form, depth="8", **chosen)
        return export(read_plate(photograph(), "shore.jpg"), Rig(), options)

    def test_by_default_how_it_was_taken_goes_along_and_nothing_of_whom_or_where(self) -> None:
        result = self.exported(None)
        picture, exposure, place = self.exif_of(result)
        self.assertEqual({tag: picture.get(tag) for tag in USUAL}, USUAL)
        for tag, value in USUAL_INNER.items():
            found = exposure[tag]
            self.assertEqual(found if isinstance(value, str) else round(float(found), 4), value)
        self.assertEqual((place, PRIVATE.keys() & picture.keys(), PRIVATE_INNER.keys() & exposure.keys()), ({}, set(), set()))
        self.assertIn(b"Merrow Point", Image.open(io.BytesIO(result)).info["xmp"])

    def test_no_secret_is_in_any_file_of_any_format_unless_all_is_asked_for(self) -> None:
        for form, codec in codecs().items():
            if not codec.FORMAT.written:
                continue
            for depth in codec.FORMAT.depths:
                plate = read_plate(photograph(), "shore.jpg")
                result = export(plate, Rig(), PictureExport(format=form, depth=depth))
                with self.subTest(form, depth=depth):
                    self.assertEqual([secret for secret in SECRETS if secret in result], [])

    def test_all_of_it_is_what_came_and_none_is_nothing(self) -> None:
        came, all_of_it = read_plate(photograph(), "shore.jpg"), read_plate(self.exported("all"), "lit.jpg")
        self.assertEqual((all_of_it.exif, all_of_it.xmp), (came.exif, came.xmp))
        self.assertEqual(self.exif_of(self.exported("none")), ({}, {}, {}))
        self.assertNotIn("xmp", Image.open(io.BytesIO(self.exported("none"))).info)

    def test_what_cannot_be_read_stays_at_home(self) -> None:
        for bad in (b"Exif\0\0II*\0\xff\xff\xff\xff", b"junk", block()[:60]):
            with self.subTest(bad[:12]):
                kept = kept_exif(bad, "usual") or b""
                self.assertEqual([secret for secret in SECRETS if secret in kept], [])
        for packet in (
            b"<rdf:RDF",
            XMP[:-40],
            b"<!DOCTYPE a>" + XMP,
            b"\xff\xfe" + XMP,
            b'<rdf:RDF xmlns:rdf="a"><b:c/></rdf:RDF>',
        ):
            kept = kept_xmp(packet, "usual") or b""
            self.assertNotIn(b"Ada", kept)
        self.assertEqual((kept_exif(None, "all"), kept_xmp(None, "all"), kept_xmp(XMP, "none")), (None, None, None))


if __name__ == "__main__":
    unittest.main()
