from django.db import migrations


def make_again(apps, schema_editor):
    """The logbook's pages hold quick lines as they were typed; the worker makes each page anew without them."""
    apps.get_model("jobs", "Job").objects.update(log_due=True)


class Migration(migrations.Migration):
    dependencies = [("jobs", "0021_bought_for")]

    operations = [migrations.RunPython(make_again, migrations.RunPython.noop)]
