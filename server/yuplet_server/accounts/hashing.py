"""How passwords are kept: Argon2id with the least that OWASP asks for, so that fifty people at nine o'clock need not wait for each other.

Source: OWASP, "Password Storage Cheat Sheet" (19 MiB, two rounds, one lane); RFC 9106 for Argon2. See docs/decisions/password-hashing.md.
"""

import threading

from django.contrib.auth.hashers import Argon2PasswordHasher

_ONE_AT_A_TIME = threading.Lock()
"""In each process: many who sign in at once leave the cores, and the memory that each of them takes, to those who work."""


class Argon2(Argon2PasswordHasher):
    memory_cost = 19 * 1024
    time_cost = 2
    parallelism = 1

    def encode(self, password: str, salt: str) -> str:
        with _ONE_AT_A_TIME:
            return str(super().encode(password, salt))

    def verify(self, password: str, encoded: str) -> bool:
        with _ONE_AT_A_TIME:
            return bool(super().verify(password, encoded))
