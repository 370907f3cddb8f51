from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("handovers", "0009_frozen_and_blocked")]

    operations = [
        migrations.RenameModel("InStep", "WatchedSource"),
        migrations.RenameModel("Pass", "SyncRun"),
    ]
