"""Recipes whose folder for the images is no usable one, which were taken before, have the usual one."""

from typing import Any

from django.db import migrations

from yuplet.paths import path_problem

USUAL = "parts"


def mend(apps: Any, schema_editor: Any) -> None:
    for kind, name in (("Recipe", "document"), ("HandOver", "recipe")):
        for row in apps.get_model("handovers", kind).objects.all():
            document = getattr(row, name)
            names = document.get("names", {})
            if path_problem(names.get("folder", USUAL)) is not None:
                setattr(row, name, {**document, "names": {**names, "folder": USUAL}})
                row.save(update_fields=[name])


class Migration(migrations.Migration):
    dependencies = [("handovers", "0007_planned")]

    operations = [migrations.RunPython(mend, migrations.RunPython.noop)]
