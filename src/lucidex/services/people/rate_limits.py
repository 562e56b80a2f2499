"""Guessing passwords: each try is counted before it is checked.

One address is refused after many tries. Tries for one account from elsewhere only make its next ones slower, so that
nobody locks the owner out: whoever knows the password waits some seconds at most.
"""

from limits import RateLimitItemPerMinute
from limits.storage import MemoryStorage
from limits.strategies import MovingWindowRateLimiter

from lucidex.core.errors import TooManyTriesError

TRIES_BY_ADDRESS = 30  # a minute, whatever names were tried
TRIES_FOR_ONE = 8  # a minute, from one address for one account
UNHURRIED = 5  # tries a minute for one account, from anywhere: beyond, each waits
SLOWEST_S = 4.0
MAX_REMEMBERED = 20_000  # names and addresses; beyond that all are forgotten, rather than memory filled


class SignInLimiter:
    """Counts tries within a minute, in memory."""

    def __init__(self) -> None:
        self._storage = MemoryStorage()
        self._limiter = MovingWindowRateLimiter(self._storage)
        self._by_address = RateLimitItemPerMinute(TRIES_BY_ADDRESS)
        self._for_one = RateLimitItemPerMinute(TRIES_FOR_ONE)
        self._for_account = RateLimitItemPerMinute(1_000)

    def count(self, address: str, login: str) -> float:
        """Count a try before it is checked; how many seconds it has to wait.

        Raises TooManyTriesError where this address tried too often.
        """
        if len(self._storage.events) > MAX_REMEMBERED:
            self._storage.reset()
        name = login.strip().lower()[:120]
        allowed = self._limiter.hit(self._by_address, f"address {address}")
        allowed &= self._limiter.hit(self._for_one, f"address {address} {name}")
        if not allowed:
            raise TooManyTriesError("Too many tries. Wait a minute, then sign in again.")
        self._limiter.hit(self._for_account, f"account {name}")
        tried = 1_000 - self._limiter.get_window_stats(self._for_account, f"account {name}").remaining
        return min(SLOWEST_S, max(0.0, (tried - UNHURRIED) * 0.25))

    def succeeded(self, address: str, login: str) -> None:
        """Whoever signed in did not guess: their own tries are forgotten."""
        self._limiter.clear(self._by_address, f"address {address}")
        self._limiter.clear(self._for_one, f"address {address} {login.strip().lower()[:120]}")
