"""Texts that a file brings along, as they stand in a picture's document from the beginning."""

from lucidex.core.source.recorded import Recorded
from lucidex.core.stamp.licences import licence_at
from lucidex.core.stamp.texts import Texts


def texts_of(recorded: Recorded) -> Texts:
    """What was recorded in a file, as texts. A licence of the list is known by its address."""
    address = recorded.rights_address if _is_address(recorded.rights_address) else ""
    known = licence_at(address) or licence_at(recorded.rights)
    return Texts(
        alternative=recorded.alternative,
        caption=recorded.caption,
        credit=recorded.credit,
        licence=known.name if known else recorded.rights,
        licence_address=known.address if known else address,
        people=recorded.people,
    )


def _is_address(text: str) -> bool:
    return text.startswith(("http://", "https://")) and not any(one.isspace() for one in text)
