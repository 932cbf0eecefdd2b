"""Work plans: how devices are built, steps by what they are, timers, screws. Ticks of before become steps that were done."""

import django.core.validators
import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


def keep_ticks(apps, schema_editor):
    """A ticked line of a repair becomes a step that was done, under the number it had."""
    repairs, runs = apps.get_model("jobs", "Repair"), apps.get_model("jobs", "StepRun")
    made = []
    for repair in repairs.objects.all().iterator():
        for index in repair.steps_done or []:
            made.append(
                runs(
                    repair=repair,
                    step=f"line {int(index) + 1}",
                    done_at=repair.finished_at or repair.chosen_at,
                    by_id=repair.chosen_by_id,
                )
            )
    runs.objects.bulk_create(made, batch_size=500)


class Migration(migrations.Migration):

    dependencies = [
        ("jobs", "0006_words"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AddField("job", "traits", models.JSONField(blank=True, default=list, verbose_name="How it is built")),
        migrations.AddField("repair", "picks", models.JSONField(blank=True, default=dict)),
        migrations.AddField("repair", "reached", models.CharField(default="outside", max_length=20)),
        migrations.CreateModel(
            name="StepRun",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("step", models.CharField(max_length=40)),
                ("done_at", models.DateTimeField(blank=True, null=True)),
                ("skipped", models.CharField(blank=True, max_length=300, verbose_name="Why it is skipped")),
                ("note", models.CharField(blank=True, max_length=300, verbose_name="What was done otherwise")),
                ("seconds", models.PositiveIntegerField(default=0)),
                ("by", models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name="+", to=settings.AUTH_USER_MODEL)),
                ("repair", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="steps", to="jobs.repair")),
            ],
            options={
                "ordering": ("pk",),
                "constraints": [models.UniqueConstraint(fields=("repair", "step"), name="one_run_of_a_step")],
            },
        ),
        migrations.CreateModel(
            name="Timer",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("step", models.CharField(max_length=40)),
                ("started_at", models.DateTimeField()),
                ("due_at", models.DateTimeField(db_index=True)),
                ("stopped_at", models.DateTimeField(blank=True, null=True)),
                ("by", models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name="+", to=settings.AUTH_USER_MODEL)),
                ("repair", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="timers", to="jobs.repair")),
            ],
            options={"ordering": ("pk",)},
        ),
        migrations.CreateModel(
            name="Screw",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("number", models.PositiveSmallIntegerField()),
                ("x", models.FloatField(validators=[django.core.validators.MinValueValidator(0), django.core.validators.MaxValueValidator(1)])),
                ("y", models.FloatField(validators=[django.core.validators.MinValueValidator(0), django.core.validators.MaxValueValidator(1)])),
                ("length_mm", models.FloatField(blank=True, null=True, verbose_name="Length")),
                ("head", models.CharField(blank=True, max_length=20, verbose_name="Head")),
                ("place", models.CharField(choices=[("in", "in its hole"), ("out", "out, on the map"), ("lost", "missing")], default="in", max_length=4)),
                ("moved_at", models.DateTimeField(blank=True, null=True)),
                ("note", models.CharField(blank=True, max_length=200, verbose_name="Note")),
                ("job", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="screws", to="jobs.job")),
            ],
            options={
                "ordering": ("number",),
                "constraints": [models.UniqueConstraint(fields=("job", "number"), name="one_screw_of_a_number")],
            },
        ),
        migrations.RunPython(keep_ticks, migrations.RunPython.noop),
        migrations.RemoveField("repair", "steps_done"),
    ]
