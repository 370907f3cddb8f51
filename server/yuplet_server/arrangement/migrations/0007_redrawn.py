from django.db import migrations, models


def as_changed(apps, schema_editor):
    """What was changed last counts as redrawn then."""
    apps.get_model("arrangement", "Row").objects.update(redrawn=models.F("changed"))


class Migration(migrations.Migration):
    dependencies = [("arrangement", "0006_versions_of_rows")]

    operations = [
        migrations.AddField("row", "redrawn", models.IntegerField(default=1)),
        migrations.RunPython(as_changed, migrations.RunPython.noop),
    ]
