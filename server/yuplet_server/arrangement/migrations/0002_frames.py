"""The layers of a part become its frames: a still part has one."""

from typing import Any

from django.db import migrations, models


def pieces_to_frames(apps: Any, schema_editor: Any) -> None:
    rows = apps.get_model("arrangement", "Row").objects.filter(kind="part")
    for row in rows.iterator():
        row.frames = [{"pieces": [[layer, 1.0, "normal"] for layer in row.pieces], "milliseconds": None}]
        row.save(update_fields=["frames"])


class Migration(migrations.Migration):
    dependencies = [("arrangement", "0001_initial")]

    operations = [
        migrations.AddField("row", "frames", models.JSONField(default=list)),
        migrations.AddField("row", "offset_x", models.IntegerField(default=0)),
        migrations.AddField("row", "offset_y", models.IntegerField(default=0)),
        migrations.AddField("row", "loops", models.IntegerField(default=0)),
        migrations.RunPython(pieces_to_frames, migrations.RunPython.noop),
        migrations.RemoveField("row", "pieces"),
    ]
