"""The texts of a picture, and how a file carries them: a packet of XMP (ISO 16684-1), always the same for a text.

The properties are those of the IPTC Photo Metadata Standard: description, credit line, alternative text, rights
and the address of their terms, persons shown.
"""

from typing import Annotated
from xml.sax.saxutils import escape

from pydantic import BaseModel, ConfigDict, Field

_PACKET = (
    '<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>'
    '<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
    '<rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/"'
    ' xmlns:photoshop="http://ns.adobe.com/photoshop/1.0/"'
    ' xmlns:Iptc4xmpCore="http://iptc.org/std/Iptc4xmpCore/1.0/xmlns/">%s</rdf:Description>'
    '</rdf:RDF></x:xmpmeta><?xpacket end="r"?>'
)
_IN_WORDS = '<%s><rdf:Alt><rdf:li xml:lang="x-default">%s</rdf:li></rdf:Alt></%s>'
_ADDRESS = '<xmpRights:WebStatement xmlns:xmpRights="http://ns.adobe.com/xap/1.0/rights/">%s</xmpRights:WebStatement>'
_PEOPLE = (
    '<Iptc4xmpExt:PersonInImage xmlns:Iptc4xmpExt="http://iptc.org/std/Iptc4xmpExt/2008-02-29/"><rdf:Bag>%s</rdf:Bag>'
    "</Iptc4xmpExt:PersonInImage>"
)
_RESERVED_IN_STEPS_OF = 1_024


PersonName = Annotated[str, Field(min_length=1, max_length=400)]


class Texts(BaseModel):
    """The texts that publication asks for.

    `licence` is its name, or words of one's own; `licence_address` where it is written out; `people` are those to be
    mentioned.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    alternative: Annotated[str, Field(max_length=2_000)] = ""
    caption: Annotated[str, Field(max_length=4_000)] = ""
    credit: Annotated[str, Field(max_length=400)] = ""
    licence: Annotated[str, Field(max_length=400)] = ""
    licence_address: Annotated[str, Field(max_length=1_000, pattern=r"^(https?://\S+)?$")] = ""
    people: Annotated[tuple[PersonName, ...], Field(max_length=50)] = ()

    @property
    def are_there(self) -> bool:
        """Whether there is anything to be carried."""
        return self != NO_TEXTS

    @property
    def rights_are_known(self) -> bool:
        """Whether somebody, or the file itself, said under which rights it may be used."""
        return bool(self.licence)


NO_TEXTS = Texts()


def xmp_packet(texts: Texts) -> bytes:
    """The texts as XMP in UTF-8; empty for none. Characters that XML cannot hold are left out.

    >>> b"Mara Lind" in xmp_packet(Texts(credit="Mara Lind"))
    True
    """
    if not texts.are_there:
        return b""
    properties = "".join(
        (
            _in_words("dc:description", texts.caption),
            f"<photoshop:Credit>{_escaped(texts.credit)}</photoshop:Credit>" if texts.credit else "",
            _in_words("Iptc4xmpCore:AltTextAccessibility", texts.alternative),
            _in_words("dc:rights", texts.licence),
            _ADDRESS % _escaped(texts.licence_address) if texts.licence_address else "",
            _PEOPLE % "".join(f"<rdf:li>{_escaped(one)}</rdf:li>" for one in texts.people) if texts.people else "",
        )
    )
    return (_PACKET % properties).encode()


def reserved_for(texts: Texts) -> int:
    """Bytes that a ceiling keeps free for the texts: whole kibibytes, so that a corrected word changes no pixel."""
    length = len(xmp_packet(texts))
    return -(-(length + 128) // _RESERVED_IN_STEPS_OF) * _RESERVED_IN_STEPS_OF if length else 0


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
