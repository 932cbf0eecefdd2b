"""The workshop's row is there from the start, so that looking at a page never has to make it."""

from django.db import migrations


def make(apps, schema_editor):
    Workshop = apps.get_model("people", "Workshop")
    if not Workshop.objects.exists():
        Workshop.objects.create(pk=1)


class Migration(migrations.Migration):
    dependencies = [("people", "0005_people_and_keeping")]

    operations = [migrations.RunPython(make, migrations.RunPython.noop)]
