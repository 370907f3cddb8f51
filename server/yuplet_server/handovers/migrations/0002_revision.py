"""A hand-over names the revision of the art that it is of."""

from typing import Any

import django.db.models.deletion
from django.db import migrations, models


def name_the_only_one(apps: Any, schema_editor: Any) -> None:
    for hand_over in apps.get_model("handovers", "HandOver").objects.select_related("illustration"):
        hand_over.revision_id = hand_over.illustration.current_id
        hand_over.save(update_fields=["revision"])


class Migration(migrations.Migration):
    dependencies = [("handovers", "0001_initial"), ("illustrations", "0003_revisions")]

    operations = [
        migrations.AddField(
            "handover",
            "revision",
            models.ForeignKey(
                null=True, on_delete=django.db.models.deletion.CASCADE, related_name="+", to="illustrations.revision"
            ),
        ),
        migrations.RunPython(name_the_only_one, migrations.RunPython.noop),
        migrations.AlterField(
            "handover",
            "revision",
            models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE, related_name="+", to="illustrations.revision"
            ),
        ),
    ]
