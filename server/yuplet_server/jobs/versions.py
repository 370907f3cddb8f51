"""Whether this process and the tables are of the same version: on several machines one may be upgraded before another."""

import functools

from django.apps import apps
from django.db import connection
from django.db.migrations.loader import MigrationLoader
from django.db.migrations.recorder import MigrationRecorder

Names = frozenset[tuple[str, str]]


def fits() -> bool:
    """Whether the tables are as this process knows them, neither earlier nor later."""
    own = {config.label for config in apps.get_app_configs() if config.name.startswith("yuplet_server.")}
    applied = frozenset(key for key in MigrationRecorder(connection).applied_migrations() if key[0] in own)
    return applied == frozenset(key for key in _known() if key[0] in own)


@functools.cache
def _known() -> Names:
    return frozenset(MigrationLoader(None).disk_migrations)
