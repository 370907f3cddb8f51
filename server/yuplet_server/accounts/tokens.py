"""Random tokens of links: told once, of which only a check sum is kept."""

import hashlib
import secrets


def new_token() -> str:
    """256 random bits, as they may stand in an address."""
    return secrets.token_urlsafe(32)


def digest_of(token: str) -> str:
    """What is kept of a token: from it nobody finds the token again."""
    return hashlib.sha256(token.encode()).hexdigest()
