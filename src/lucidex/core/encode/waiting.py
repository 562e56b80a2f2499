"""How long a reader waits for a file, on connections of three kinds."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Connection:
    """What it is called, how many bits it carries in a second, and how long it takes until the first one comes."""

    name: str
    bits_a_second: float
    first_s: float

    def seconds(self, byte_count: int) -> float:
        """From asking until the last byte is there."""
        return self.first_s + 8 * byte_count / self.bits_a_second


# usual figures: a telephone at the edge of its cell, a telephone in town, a line into the house
CONNECTIONS = (
    Connection("a slow telephone line", 1_600_000, 0.3),
    Connection("a middling one", 10_000_000, 0.08),
    Connection("a fast one", 100_000_000, 0.02),
)
