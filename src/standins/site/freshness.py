"""Whether what a reader has kept still counts. Source: RFC 9110, 8.8.3 and 13.1."""

import re
from datetime import UTC, datetime
from email.utils import format_datetime, parsedate_to_datetime

from fastapi import Request

_TAG = re.compile(r'(?:W/)?("[\x21\x23-\x7e]*")')


def validators(tag: str, changed: datetime) -> dict[str, str]:
    """What an answer says of its state, for readers who ask again."""
    return {"ETag": tag, "Last-Modified": format_datetime(changed.astimezone(UTC), usegmt=True)}


def still_counts(request: Request, tag: str, changed: datetime) -> bool:
    """Whether one of the tags that a reader has is this one; without tags, whether nothing changed since a moment."""
    tags = request.headers.getlist("if-none-match")
    if tags:
        said = ",".join(tags)
        return said.strip() == "*" or tag in _TAG.findall(said)  # the weak comparison: W/ does not matter
    try:
        since = parsedate_to_datetime(request.headers.get("if-modified-since", ""))
    except ValueError:
        return False
    if since.tzinfo is None:
        since = since.replace(tzinfo=UTC)
    return changed.replace(microsecond=0) <= since
