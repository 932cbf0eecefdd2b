"""The app was called practice: content types, and the permissions on them, follow its new name."""

from django.db import migrations

BEFORE, AFTER = "practice", "workshop"


def rename(apps, before, after):
    kinds = apps.get_model("contenttypes", "ContentType").objects
    kinds.filter(app_label=after, model__in=kinds.filter(app_label=before).values("model")).delete()
    kinds.filter(app_label=before).update(app_label=after)


def move(apps, schema_editor):
    rename(apps, BEFORE, AFTER)


def back(apps, schema_editor):
    rename(apps, AFTER, BEFORE)


class Migration(migrations.Migration):
    dependencies = [("workshop", "0005_tally"), ("contenttypes", "0002_remove_content_type_name")]
    operations = [migrations.RunPython(move, back)]
