"""Who may write: bearer tokens with scopes, of which only the SHA-256 is kept (RFC 6750)."""

import hashlib
import json
from dataclasses import dataclass
from pathlib import Path

SCOPES = frozenset({"create", "update", "delete", "undelete", "media"})


@dataclass(frozen=True)
class Tokens:
    """The tokens of a site: scopes by digest."""

    scopes: dict[str, frozenset[str]]

    @classmethod
    def read(cls, path: Path) -> "Tokens":
        """From a file of digests with their scopes."""
        held = json.loads(path.read_text()) if path.exists() else {}
        return cls({digest: frozenset(scopes) & SCOPES for digest, scopes in held.items()})

    @classmethod
    def add(cls, path: Path, secret: str, scopes: frozenset[str] = SCOPES) -> None:
        """Let whoever holds a secret do what the scopes say."""
        held = {digest: sorted(given) for digest, given in cls.read(path).scopes.items()}
        held[digest_of(secret)] = sorted(scopes)
        fresh = path.with_suffix(".new")
        fresh.write_text(json.dumps(held))
        fresh.replace(path)

    def of(self, secret: str) -> frozenset[str] | None:
        """What a secret lets its holder do; None for an unknown one."""
        return self.scopes.get(digest_of(secret))


def digest_of(secret: str) -> str:
    """What is kept of a secret."""
    return hashlib.sha256(secret.encode()).hexdigest()
