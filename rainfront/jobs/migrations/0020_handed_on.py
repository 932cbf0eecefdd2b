from django.db import migrations, models

import rainfront.web.fields

WHY = [
    ("declined", "The customer declined what it costs"),
    ("worth", "It is not worth what it would cost"),
    ("beyond", "It needs tools or skill that this shop lacks"),
    ("part", "No part can be had"),
    ("unfound", "The fault was not found"),
    ("danger", "It is too dangerous to go on"),
    ("other", "Something else, as the note says"),
]
LEAVES = [
    ("whole", "It was never opened"),
    ("closed", "Opened, and closed up again"),
    ("apart", "In parts: every part and screw in its bag"),
]


def keep_refused(apps, schema_editor):
    """On open jobs, repairs whose last answered quote was declined are refused."""
    quotes = apps.get_model("jobs", "Quote")
    found = {}
    rows = quotes.objects.filter(job__closed_at__isnull=True).exclude(answer="open").order_by("answered_at", "pk")
    for job, route, answer in rows.values_list("job", "route", "answer"):
        found.setdefault(job, {})[route] = answer
    for job, answers in found.items():
        refused = [route for route, answer in answers.items() if answer == "declined"]
        if refused:
            apps.get_model("jobs", "Job").objects.filter(pk=job).update(refused=refused)


class Migration(migrations.Migration):
    dependencies = [("jobs", "0019_mishap")]

    operations = [
        migrations.AddField("job", "on_why", models.CharField(blank=True, choices=WHY, max_length=10)),
        migrations.AddField("job", "on_to", rainfront.web.fields.TypedCharField(blank=True, max_length=80)),
        migrations.AddField("job", "on_as", models.CharField(blank=True, choices=LEAVES, max_length=8)),
        migrations.AddField("job", "refused", models.JSONField(blank=True, default=list)),
        migrations.RunPython(keep_refused, migrations.RunPython.noop),
    ]
