from django.db import migrations, models


def keep_own(apps, schema_editor):
    """Where a price level is stored, the lead has said it."""
    apps.get_model("people", "Workshop").objects.filter(price_level__isnull=False).update(prices_own=True)


class Migration(migrations.Migration):
    dependencies = [("people", "0009_opening_hours")]

    operations = [
        migrations.AddField("workshop", "prices_own", models.BooleanField("Prices are the shop's own", default=False, editable=False)),
        migrations.RunPython(keep_own, migrations.RunPython.noop),
    ]
