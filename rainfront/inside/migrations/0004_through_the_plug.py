"""What was entered off a sheet that was read from the plug side had opened nothing."""

from django.db import migrations


def read_outside(apps, schema_editor):
    entries = apps.get_model("jobs", "Entry").objects.filter(kind="check", sheets__place="contact", sheets__lifted="")
    apps.get_model("jobs", "Entry").objects.filter(pk__in=entries.values("pk")).update(access="outside")


class Migration(migrations.Migration):
    dependencies = [("inside", "0003_under_way"), ("jobs", "0017_entry_access")]
    operations = [migrations.RunPython(read_outside, migrations.RunPython.noop)]
