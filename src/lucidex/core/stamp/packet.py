"""What a file says beside its pixels: a packet of XMP (ISO 16684-1), always the same for the same words.

The properties are those of the IPTC Photo Metadata Standard (description, credit line, alternative text, rights and
the address of their terms, persons shown, digital source type) and of Exif in XMP (CIPA DC-010): camera, time, place.
"""

from collections.abc import Collection
from enum import StrEnum
from xml.sax.saxutils import escape

from pydantic import BaseModel, ConfigDict

from lucidex.core.encode import FormatName
from lucidex.core.source.recorded import Recorded
from lucidex.core.stamp.older_records import exif_block, iim_records
from lucidex.core.stamp.texts import NO_TEXTS, Texts

_PACKET = (
    '<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>'
    '<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
    '<rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/"'
    ' xmlns:photoshop="http://ns.adobe.com/photoshop/1.0/"'
    ' xmlns:Iptc4xmpCore="http://iptc.org/std/Iptc4xmpCore/1.0/xmlns/">%s</rdf:Description>'
    '</rdf:RDF></x:xmpmeta><?xpacket end="r"?>'
)
_IN_WORDS = '<%s><rdf:Alt><rdf:li xml:lang="x-default">%s</rdf:li></rdf:Alt></%s>'
_CREATOR = "<dc:creator><rdf:Seq><rdf:li>%s</rdf:li></rdf:Seq></dc:creator>"
_ADDRESS = '<xmpRights:WebStatement xmlns:xmpRights="http://ns.adobe.com/xap/1.0/rights/">%s</xmpRights:WebStatement>'
_EXTENSION = 'xmlns:Iptc4xmpExt="http://iptc.org/std/Iptc4xmpExt/2008-02-29/"'
_PEOPLE = f"<Iptc4xmpExt:PersonInImage {_EXTENSION}><rdf:Bag>%s</rdf:Bag></Iptc4xmpExt:PersonInImage>"
_SOURCE = f"<Iptc4xmpExt:DigitalSourceType {_EXTENSION}>%s</Iptc4xmpExt:DigitalSourceType>"
_CAMERA = '<tiff:Model xmlns:tiff="http://ns.adobe.com/tiff/1.0/">%s</tiff:Model>'
_EXIF = 'xmlns:exif="http://ns.adobe.com/exif/1.0/"'
_TAKEN = f"<exif:DateTimeOriginal {_EXIF}>%s</exif:DateTimeOriginal>"
_WHERE = f"<exif:GPSLatitude {_EXIF}>%s</exif:GPSLatitude><exif:GPSLongitude {_EXIF}>%s</exif:GPSLongitude>"
_RESERVED_IN_STEPS_OF = 1_024
# of IPTC's controlled vocabulary: corrected or changed by people, with tools that generate nothing
CHANGED_BY_PEOPLE = "http://cv.iptc.org/newscodes/digitalsourcetype/humanEdits"


class Carried(StrEnum):
    """What a place's files carry, where somebody asks for it: nothing goes along by itself."""

    TEXTS = "texts"
    CAMERA = "camera"
    LOCATION = "location"


class Stamp(BaseModel):
    """All that a file says beside its pixels.

    `taken_at` is the camera's own time without a zone; `latitude` and `longitude` are degrees, north and east
    positive; `source_type` is an address of IPTC's vocabulary of digital source types.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    texts: Texts = NO_TEXTS
    camera: str = ""
    taken_at: str = ""
    latitude: float | None = None
    longitude: float | None = None
    source_type: str = ""

    @property
    def is_there(self) -> bool:
        """Whether there is anything to be said."""
        return self != NO_STAMP


NO_STAMP = Stamp()


def stamp_of(texts: Texts, recorded: Recorded, carried: Collection[Carried], is_changed: bool = False) -> Stamp:
    """What a file says: the groups that were asked for, and by whom its pixels were made up where some were."""
    camera, location = Carried.CAMERA in carried, Carried.LOCATION in carried
    return Stamp(
        texts=texts if Carried.TEXTS in carried else NO_TEXTS,
        camera=recorded.camera if camera else "",
        taken_at=recorded.taken_at if camera else "",
        latitude=recorded.latitude if location and recorded.has_location else None,
        longitude=recorded.longitude if location and recorded.has_location else None,
        source_type=CHANGED_BY_PEOPLE if is_changed else "",
    )


def xmp_packet(stamp: Stamp) -> bytes:
    """It as XMP in UTF-8; empty for nothing. Characters that XML cannot hold are left out.

    >>> b"Mara Lind" in xmp_packet(Stamp(texts=Texts(credit="Mara Lind")))
    True
    """
    if not stamp.is_there:
        return b""
    texts = stamp.texts
    properties = [
        _in_words("dc:description", texts.caption),
        f"<photoshop:Credit>{_escaped(texts.credit)}</photoshop:Credit>" if texts.credit else "",
        _CREATOR % _escaped(texts.credit) if texts.credit else "",
        _in_words("Iptc4xmpCore:AltTextAccessibility", texts.alternative),
        _in_words("dc:rights", texts.licence),
        _ADDRESS % _escaped(texts.licence_address) if texts.licence_address else "",
        _PEOPLE % "".join(f"<rdf:li>{_escaped(one)}</rdf:li>" for one in texts.people) if texts.people else "",
        _CAMERA % _escaped(stamp.camera) if stamp.camera else "",
        _TAKEN % _escaped(stamp.taken_at) if stamp.taken_at else "",
        _SOURCE % stamp.source_type if stamp.source_type else "",
    ]
    if stamp.latitude is not None and stamp.longitude is not None:
        properties.append(_WHERE % (_degrees(stamp.latitude, "NS"), _degrees(stamp.longitude, "EW")))
    return (_PACKET % "".join(properties)).encode()


def reserved_for(stamp: Stamp, name: FormatName) -> int:
    """Bytes that a ceiling keeps free for it: whole kibibytes, so that a corrected word changes no pixel."""
    if name.output.stamp is None:
        return 0
    length = len(xmp_packet(stamp))
    if name.output.stamp_older is not None:
        length += len(exif_block(stamp.texts)) + len(iim_records(stamp.texts))
    return -(-(length + 512) // _RESERVED_IN_STEPS_OF) * _RESERVED_IN_STEPS_OF if length else 0


def _degrees(value: float, sides: str) -> str:
    """Degrees and minutes as Exif in XMP writes them: 51,30.5N."""
    degrees, minutes = divmod(round(abs(value) * 60, 5), 60)
    return f"{int(degrees)},{minutes:.5f}{sides[value < 0]}"


def _in_words(name: str, text: str) -> str:
    return _IN_WORDS % (name, _escaped(text), name) if text else ""


def _escaped(text: str) -> str:
    return escape(
        "".join(
            one
            for one in text
            if one in "\t\n\r" or (one >= " " and not "\ud800" <= one <= "\udfff" and one not in "\ufffe\uffff")
        )
    )
