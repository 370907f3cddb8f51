"""What is known of the studio's own sign-in service; plain Python, for the settings are read without Django."""

from dataclasses import dataclass
from typing import Any

NAME = "studio"
"""What the service is called in addresses and rows; there is one."""


@dataclass(frozen=True, slots=True)
class SignInService:
    """Where the service is, what it knows us by, what people call it, and whether whoever comes from it for the first time gets an account."""

    address: str
    client: str
    secret: str
    name: str
    makes_accounts: bool

    def for_allauth(self) -> dict[str, Any]:
        """The same as allauth wants it told."""
        told = {"server_url": self.address, "oauth_pkce_enabled": True}
        own = {"provider_id": NAME, "name": self.name, "client_id": self.client, "secret": self.secret}
        return {**own, "settings": told}
