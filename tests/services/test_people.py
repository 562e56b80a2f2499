"""Passwords are as dear to guess as the standard asks."""

from tests.conftest import STRONG


def test_guessing_passwords_is_dear() -> None:
    """At least what RFC 9106 recommends where memory is short: Argon2id, 3 passes over 64 MiB."""
    assert STRONG.type.name == "ID"
    assert (STRONG.time_cost, STRONG.memory_cost) >= (3, 65_536)
