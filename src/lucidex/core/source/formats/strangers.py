"""What is said of files that are not read: known pictures of other formats, and what else there is inside."""

_OTHER_PICTURES = (
    (b"ftyphei", 4, "HEIC"),
    (b"ftyphev", 4, "HEIC"),
    (b"ftypmif1", 4, "HEIF"),
    (b"ftypavif", 4, "AVIF"),
    (b"ftypavis", 4, "AVIF"),
    (b"BM", 0, "BMP"),
    (b"\0\0\1\0", 0, "ICO"),
    (b"\0\0\0\x0cjP  ", 0, "JPEG 2000"),
    (b"\xff\x4f\xff\x51", 0, "JPEG 2000"),
)


def other_picture(head: bytes) -> str | None:
    """The name of a format of pictures that is known but not read."""
    return next(
        (name for signature, at, name in _OTHER_PICTURES if head[at : at + len(signature)] == signature), None
    )


def guess_contents(head: bytes) -> str:
    """In a few words, what a file that is no picture seems to be."""
    if head.startswith(b"%PDF"):
        return "a PDF document"
    if head.startswith(b"PK"):
        return "an archive"
    if b"\0" not in head and _is_text(head):
        return "text"
    return "something else"


def _is_text(head: bytes) -> bool:
    return sum(byte < 9 for byte in head) == 0 and len(head.decode("utf-8", "ignore")) > 0.6 * len(head)
