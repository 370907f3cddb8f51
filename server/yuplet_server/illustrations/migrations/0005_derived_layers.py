import django.db.models.deletion
from django.db import migrations, models


def as_rows(apps, schema_editor):
    """Derived layers were a list in the record of their revision, which was written whole for each of them."""
    Revision = apps.get_model("illustrations", "Revision")
    DerivedLayer = apps.get_model("illustrations", "DerivedLayer")
    for revision in Revision.objects.all().iterator(chunk_size=20):
        if "made" not in revision.record:
            continue
        derived = revision.record.pop("made")
        DerivedLayer.objects.bulk_create(
            DerivedLayer(revision=revision, layer=one["id"], record=one) for one in derived
        )
        revision.save(update_fields=["record"])


def as_a_list(apps, schema_editor):
    Revision = apps.get_model("illustrations", "Revision")
    DerivedLayer = apps.get_model("illustrations", "DerivedLayer")
    for revision in Revision.objects.exclude(record={}).iterator(chunk_size=20):
        derived = DerivedLayer.objects.filter(revision=revision).order_by("pk")
        revision.record["made"] = [one.record for one in derived]
        revision.save(update_fields=["record"])


class Migration(migrations.Migration):
    dependencies = [("illustrations", "0004_bin")]

    operations = [
        migrations.CreateModel(
            name="DerivedLayer",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("layer", models.CharField(max_length=20)),
                ("record", models.JSONField()),
                ("revision", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="derived", to="illustrations.revision")),
            ],
        ),
        migrations.AddConstraint(
            model_name="derivedlayer",
            constraint=models.UniqueConstraint(fields=("revision", "layer"), name="one_derived_layer_an_id"),
        ),
        migrations.RunPython(as_rows, as_a_list),
    ]
