"""What is said of files that are no pictures: what else there seems to be inside."""


def guess_contents(head: bytes) -> str:
    """In a few words, what a file that is no picture seems to be."""
    if head.startswith(b"PK"):
        return "an archive"
    if b"\0" not in head and _is_text(head):
        return "text"
    return "something else"


def _is_text(head: bytes) -> bool:
    return sum(byte < 9 for byte in head) == 0 and len(head.decode("utf-8", "ignore")) > 0.6 * len(head)
