"""Repairs whose proof passed say so themselves, since a look at whether it charges is not a proof."""

from django.db import migrations


def mark_proved(apps, schema_editor):
    """Every repair entry that is true and has a passed proof, and every passed `prove`."""
    Entry = apps.get_model("jobs", "Entry")
    Proof = apps.get_model("jobs", "Proof")
    proved = set(Proof.objects.filter(works=True, repair__entry__isnull=False).values_list("repair__entry", flat=True))
    for entry in Entry.objects.filter(kind="repair", works=True):
        if entry.pk in proved or entry.name == "prove" or entry.job.stage in ("hand_over", "closed"):
            entry.values = {**entry.values, "proved": True}
            entry.save(update_fields=["values"])


class Migration(migrations.Migration):

    dependencies = [
        ("jobs", "0003_dangers"),
    ]

    operations = [
        migrations.RunPython(mark_proved, migrations.RunPython.noop),
    ]
