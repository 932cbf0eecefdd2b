"""Proofs by items, before closing and after; serial numbers, promised dates, come-backs. What was read before is kept."""

import django.db.models.deletion
from django.db import migrations, models

NUMBERS = ("amps", "volts", "amps_flipped", "percent_first", "percent_second", "minutes_between")


def keep_readings(apps, schema_editor):
    """The columns of before become what was read by name; a wiggle becomes its answer."""
    proofs = apps.get_model("jobs", "Proof")
    for proof in proofs.objects.all().iterator():
        proof.numbers = {name: getattr(proof, name) for name in NUMBERS if getattr(proof, name) is not None}
        if proof.steady is not None:
            proof.answers = {"wiggle": "steady" if proof.steady else "drops"}
        proof.save(update_fields=["numbers", "answers"])
    apps.get_model("jobs", "Repair").objects.filter(finished_at__isnull=False).update(booked=True)


class Migration(migrations.Migration):

    dependencies = [("jobs", "0007_work")]

    operations = [
        migrations.AddField("proof", "phase", models.CharField(default="closed", max_length=8)),
        migrations.AddField("proof", "numbers", models.JSONField(blank=True, default=dict)),
        migrations.AddField("proof", "answers", models.JSONField(blank=True, default=dict)),
        migrations.AddField("proof", "doubts", models.JSONField(blank=True, default=dict)),
        migrations.AddField("proof", "left_out", models.JSONField(blank=True, default=dict)),
        migrations.AddField("proof", "by_meter", models.JSONField(blank=True, default=list)),
        migrations.AddField("proof", "watching", models.JSONField(blank=True, default=dict)),
        migrations.AddField("proof", "back_to", models.CharField(blank=True, max_length=40)),
        migrations.AddField("proof", "slip", models.CharField(blank=True, max_length=40)),
        migrations.AddField("repair", "booked", models.BooleanField(default=False)),
        migrations.AddField(
            "job", "serial", models.CharField(blank=True, db_index=True, max_length=40, verbose_name="Serial number")
        ),
        migrations.AddField("job", "promised_at", models.DateTimeField(blank=True, null=True, verbose_name="Promised for")),
        migrations.AddField(
            "job",
            "came_from",
            models.ForeignKey(
                blank=True,
                null=True,
                on_delete=django.db.models.deletion.SET_NULL,
                related_name="came_back_as",
                to="jobs.job",
            ),
        ),
        migrations.AddField("job", "same_trouble", models.BooleanField(blank=True, null=True)),
        migrations.RunPython(keep_readings, migrations.RunPython.noop),
        *(migrations.RemoveField("proof", name) for name in (*NUMBERS, "steady")),
    ]
