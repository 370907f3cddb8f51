"""What was one with its file becomes an illustration and its first revision, under the same number, so that jobs find it."""

import uuid
from typing import Any

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models

FIELDS = ("file_name", "sha256", "bytes", "state", "width", "height", "preview", "record", "report")


def split(apps: Any, schema_editor: Any) -> None:
    Illustration, Revision = (apps.get_model("illustrations", name) for name in ("Illustration", "Revision"))
    for illustration in Illustration.objects.all():
        revision = Revision.objects.create(
            pk=illustration.pk,
            illustration=illustration,
            number=1,
            job_id=illustration.job_id,
            choices={} if illustration.longest is None else {"longest": illustration.longest},
            created_by=illustration.created_by,
            **{field: getattr(illustration, field) for field in FIELDS},
        )
        illustration.current = revision
        illustration.uid = uuid.uuid4()
        illustration.save(update_fields=["current", "uid"])
        apps.get_model("illustrations", "LayerImage").objects.filter(illustration=illustration).update(revision=revision)


class Migration(migrations.Migration):
    dependencies = [
        ("illustrations", "0002_longest"),
        ("jobs", "0001_initial"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name="Revision",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("number", models.IntegerField(default=1)),
                ("file_name", models.CharField(max_length=255)),
                ("sha256", models.CharField(db_index=True, max_length=64)),
                ("bytes", models.BigIntegerField()),
                ("choices", models.JSONField(default=dict)),
                ("state", models.CharField(choices=[("reading", "Reading"), ("review", "Review"), ("ready", "Ready")], default="reading", max_length=10)),
                ("width", models.IntegerField(default=0)),
                ("height", models.IntegerField(default=0)),
                ("preview", models.CharField(blank=True, max_length=64)),
                ("picture", models.CharField(blank=True, max_length=64)),
                ("record", models.JSONField(default=dict)),
                ("report", models.JSONField(default=dict)),
                ("created_at", models.DateTimeField(auto_now_add=True)),
                ("created_by", models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, to=settings.AUTH_USER_MODEL)),
                ("illustration", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="revisions", to="illustrations.illustration")),
                ("job", models.OneToOneField(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="+", to="jobs.job")),
            ],
            options={"constraints": [models.UniqueConstraint(fields=("illustration", "number"), name="one_revision_a_number")]},
        ),
        migrations.AddField("illustration", "current", models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="+", to="illustrations.revision")),
        migrations.AddField("illustration", "uid", models.UUIDField(null=True)),
        migrations.AddField("illustration", "credit", models.JSONField(default=dict)),
        migrations.AddField("layerimage", "revision", models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name="images", to="illustrations.revision")),
        migrations.RunPython(split, migrations.RunPython.noop),
        # A new index first: MariaDB wants one on the foreign key while the old constraint goes.
        migrations.AddIndex("layerimage", models.Index(fields=["illustration"], name="for_the_time_being")),
        migrations.RemoveConstraint("layerimage", "one_image_a_layer"),
        migrations.RemoveIndex("layerimage", "for_the_time_being"),
        migrations.RemoveField("layerimage", "illustration"),
        migrations.AlterField("layerimage", "revision", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="images", to="illustrations.revision")),
        migrations.AddConstraint("layerimage", models.UniqueConstraint(fields=("revision", "layer"), name="one_image_a_layer")),
        *[migrations.RemoveField("illustration", field) for field in (*FIELDS, "job", "longest")],
        migrations.AlterField("illustration", "uid", models.UUIDField(default=uuid.uuid4)),
        migrations.AddConstraint("illustration", models.UniqueConstraint(fields=("project", "uid"), name="one_of_an_illustration_a_project")),
    ]  # fmt: skip
