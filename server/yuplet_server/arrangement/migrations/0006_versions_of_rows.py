import uuid

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


def as_new(apps, schema_editor):
    """All that is there counts as changed in the version that is there."""
    Arrangement = apps.get_model("arrangement", "Arrangement")
    Row = apps.get_model("arrangement", "Row")
    for arrangement in Arrangement.objects.all().iterator(chunk_size=200):
        Row.objects.filter(arrangement=arrangement).update(changed=arrangement.version)
    Arrangement.objects.update(order_changed=models.F("version"))


class Migration(migrations.Migration):
    dependencies = [
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
        ("arrangement", "0005_beyond"),
    ]

    operations = [
        migrations.AddField("arrangement", "order_changed", models.IntegerField(default=1)),
        migrations.AddField("arrangement", "stamp", models.UUIDField(default=uuid.uuid4)),
        migrations.AddField("row", "changed", models.IntegerField(default=1)),
        migrations.CreateModel(
            name="Handled",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("key", models.UUIDField()),
                ("rows", models.JSONField(default=list)),
                ("at", models.DateTimeField(auto_now_add=True)),
                ("arrangement", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="handled", to="arrangement.arrangement")),
                ("user", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to=settings.AUTH_USER_MODEL)),
            ],
        ),
        migrations.AddConstraint(
            model_name="handled",
            constraint=models.UniqueConstraint(fields=("arrangement", "user", "key"), name="one_answer_a_request"),
        ),
        migrations.RunPython(as_new, migrations.RunPython.noop),
    ]
