"""Recipes; packages are kept file by file, so that what has not changed is kept once."""

import zipfile
from typing import Any

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models

from yuplet_server.files.store import blobs



def _plain() -> dict[str, Any]:
    return {"format": "yuplet-recipe", "version": 1, "name": "Trimmed parts"}


def unpack(apps: Any, schema_editor: Any) -> None:
    """The packages that there are, file by file."""
    for hand_over in apps.get_model("handovers", "HandOver").objects.exclude(package=""):
        files = []
        with blobs().local(hand_over.package) as path, zipfile.ZipFile(path) as archive:
            for entry in archive.infolist():
                with archive.open(entry) as source:
                    digest = blobs().keep(source)
                at = hand_over.created_at.isoformat()
                files.append({"file": entry.filename, "sha256": digest, "bytes": entry.file_size, "at": at})
        hand_over.files = files
        hand_over.save(update_fields=["files"])


class Migration(migrations.Migration):
    dependencies = [
        ("handovers", "0002_revision"),
        ("projects", "0001_initial"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name="Recipe",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("name", models.CharField(max_length=100)),
                ("document", models.JSONField()),
                ("changed_at", models.DateTimeField(auto_now=True)),
                (
                    "created_by",
                    models.ForeignKey(
                        null=True, on_delete=django.db.models.deletion.SET_NULL, to=settings.AUTH_USER_MODEL
                    ),
                ),
                (
                    "project",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="recipes", to="projects.project"
                    ),
                ),
            ],
        ),
        migrations.AddConstraint(
            "recipe", models.UniqueConstraint(fields=("project", "name"), name="one_recipe_of_a_name")
        ),
        migrations.AddField("handover", "files", models.JSONField(default=list)),
        migrations.AddField("handover", "folder", models.CharField(blank=True, max_length=1000)),
        migrations.AddField("handover", "remove_obsolete", models.BooleanField(default=False)),
        migrations.AddField("handover", "recipe", models.JSONField(default=_plain), preserve_default=False),
        migrations.RunPython(unpack, migrations.RunPython.noop),
        migrations.RemoveField("handover", "package"),
    ]
