from django.conf import settings
from django.db import migrations, models
import django.db.models.deletion


class Migration(migrations.Migration):
    # The app was called practice: where that migration was applied, this one is.
    replaces = [("practice", "0004_method")]

    dependencies = [
        ("workshop", "0003_seen"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name="Method",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("slot", models.CharField(max_length=40)),
                ("option", models.CharField(max_length=40)),
                ("at", models.DateTimeField()),
                ("replaced_at", models.DateTimeField(blank=True, null=True)),
                ("by", models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name="+", to=settings.AUTH_USER_MODEL)),
            ],
            options={"db_table": "practice_method", "ordering": ("slot", "pk")},
        ),
    ]
