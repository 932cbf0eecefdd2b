"""One number has moved: from which percentage on a device counts as started stands beside what it implies now."""

from django.db import migrations

OLD = "checks.charger_current.reading.alive_from_percent"
NEW = "checks.charger_current.implies.battery_percent.least"


def move(apps, schema_editor):
    apps.get_model("practice", "KnowledgeChange").objects.filter(path=OLD).update(path=NEW)


def back(apps, schema_editor):
    apps.get_model("practice", "KnowledgeChange").objects.filter(path=NEW).update(path=OLD)


class Migration(migrations.Migration):
    dependencies = [("practice", "0001_initial")]
    operations = [migrations.RunPython(move, back)]
