"""A repair keeps the dangers that stood when it was chosen: its plan is made for them."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("jobs", "0015_apart")]
    operations = [migrations.AddField("repair", "dangers", models.JSONField(blank=True, default=list))]
