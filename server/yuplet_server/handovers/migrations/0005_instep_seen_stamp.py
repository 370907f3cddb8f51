"""Folders are kept in step as well, so that what is another at each save is remembered apart from the digest."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("handovers", "0004_in_step")]

    operations = [migrations.AddField("instep", "seen_stamp", models.CharField(blank=True, max_length=60))]
