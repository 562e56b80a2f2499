"""Words that can only mean places: for whoever has nothing else to do with them, such as a script or a form."""

from lucidex.core.errors import NotUnderstoodError, OutOfRangeError
from lucidex.core.line.deeds import HangPlace, ReadDemand
from lucidex.core.line.reader import MAX_LINE, Reading, Readings, read_line

MAX_AT_ONCE = 12


def read_demand(text: str) -> ReadDemand:
    """Read one typed place, for example `180 x 70 keep left`, `720 wide`, `40 %`, `1600x640 under 180 kB`.

    Raises NotUnderstoodError for words that are no size, or leave something open; OutOfRangeError for sizes beyond
    the limits.
    """
    demands = read_demands(text)
    if len(demands) > 1:
        raise NotUnderstoodError("These are several sizes; write one.")
    return demands[0]


def read_demands(text: str) -> list[ReadDemand]:
    """Read one or several typed places, divided by commas, semicolons or “and”.

    Raises as `read_demand`, or OutOfRangeError for too many at once.

    >>> [read.measure.words() for read in read_demands("1600x640, 720 wide and 40 %")]
    ['1600 × 640', '720 wide', '40 %']
    """
    found = read_line(text)
    reading = next((one for one in found.readings if _is_places(one)), None)
    if reading is None or _leaves_open(found):
        raise _refused(text, found)
    demands = [deed.read for deed in reading.deeds if isinstance(deed, HangPlace)]
    if len(demands) > MAX_AT_ONCE:
        raise OutOfRangeError(f"At most {MAX_AT_ONCE} sizes at once; these are {len(demands)}.")
    return demands


def _is_places(reading: Reading) -> bool:
    is_typed = not (reading.left_out or reading.misspelt or reading.completes)
    return is_typed and all(isinstance(deed, HangPlace) for deed in reading.deeds)


def _leaves_open(found: Readings) -> bool:
    """Whether a number is missing, and not only the decision between a place and something else."""
    return found.question is not None and all(reading.completes for reading in found.readings)


def _refused(text: str, found: Readings) -> NotUnderstoodError | OutOfRangeError:
    if isinstance(found.trouble, OutOfRangeError):
        return found.trouble
    if found.question is not None and _leaves_open(found):
        instead = " or ".join(f"“{one.completes}”" for one in found.readings[:2])
        return NotUnderstoodError(f"{found.question} Write for example {instead}.")
    if isinstance(found.trouble, NotUnderstoodError) and len(text) > MAX_LINE:
        return found.trouble
    return NotUnderstoodError(
        f"“{text.strip()[:60]}” is not a size. Write for example 1600x900, 720 wide, 480 high, longest 1600 or 40 %."
    )
