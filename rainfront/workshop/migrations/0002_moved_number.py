"""One number has moved: from which percentage on a device counts as started stands beside what it implies now."""

from django.db import migrations

OLD = "checks.charger_current.reading.alive_from_percent"
NEW = "checks.charger_current.implies.battery_percent.least"


def move(apps, schema_editor):
    apps.get_model("workshop", "KnowledgeChange").objects.filter(path=OLD).update(path=NEW)


def back(apps, schema_editor):
    apps.get_model("workshop", "KnowledgeChange").objects.filter(path=NEW).update(path=OLD)


class Migration(migrations.Migration):
    # The app was called practice: where that migration was applied, this one is.
    replaces = [("practice", "0002_moved_number")]

    dependencies = [("workshop", "0001_initial")]
    operations = [migrations.RunPython(move, back)]
