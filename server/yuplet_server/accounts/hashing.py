"""How passwords are kept: Argon2id with the least that OWASP asks for, so that fifty people at nine o'clock need not wait for each other.

Source: OWASP, "Password Storage Cheat Sheet" (19 MiB, two rounds, one lane); RFC 9106 for Argon2. See docs/decisions/password-hashing.md.
"""

from django.contrib.auth.hashers import Argon2PasswordHasher


class Argon2(Argon2PasswordHasher):
    memory_cost = 19 * 1024
    time_cost = 2
    parallelism = 1
