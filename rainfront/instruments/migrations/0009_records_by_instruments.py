"""A record says which instrument read it; the meter on the bench is an instrument like the others."""

from django.db import migrations, models


def from_the_meter(apps, schema_editor):
    """The meter that records were read from becomes an instrument of the bench, unless one is read there already."""
    made = apps.get_model("instruments", "BenchInstrument").objects
    for meter in apps.get_model("instruments", "Meter").objects.all():
        if made.filter(host=meter.host, port=meter.port).exists():
            continue
        name, number = "Power meter", 1
        while made.filter(name=name).exists():
            number += 1
            name = f"Power meter {number}"
        made.create(name=name, profile=meter.profile, way="tcp", host=meter.host, port=meter.port)


class Migration(migrations.Migration):
    dependencies = [("instruments", "0008_bench_instruments")]

    operations = [
        migrations.AddField(
            model_name="record", name="read_by", field=models.CharField(blank=True, max_length=200)
        ),
        migrations.RunPython(from_the_meter, migrations.RunPython.noop),
        migrations.DeleteModel(name="Meter"),
    ]
