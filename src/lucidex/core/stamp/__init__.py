"""The last stage of a file: texts are put into bytes that are encoded already, and no pixel is touched."""

from lucidex.core.encode import FORMAT_NAMES, FormatName
from lucidex.core.errors import OutOfRangeError
from lucidex.core.stamp.texts import NO_TEXTS, Texts, reserved_for, xmp_packet


def holds_texts(name: FormatName) -> bool:
    """Whether files of a format can carry texts."""
    return name.output.stamp is not None


def stamped(content: bytes, name: FormatName, texts: Texts) -> bytes:
    """An encoded file with its texts as XMP; the file as it is where there are none.

    Raises OutOfRangeError where the format cannot carry any.
    """
    packet = xmp_packet(texts)
    check_holds(name, texts)
    return name.output.stamp(content, packet) if packet and name.output.stamp is not None else content


def check_holds(name: FormatName, texts: Texts) -> None:
    """Raises OutOfRangeError where there are texts and the format cannot carry them."""
    if texts.are_there and not holds_texts(name):
        able = " or ".join(one.label for one in FORMAT_NAMES if holds_texts(one))
        raise OutOfRangeError(f"{name.label} files carry no texts here. Leave the texts out, or take {able}.")


__all__ = ["NO_TEXTS", "Texts", "check_holds", "holds_texts", "reserved_for", "stamped", "xmp_packet"]
