"""Steps, proofs, the day and what was learned become apps of their own above the jobs.

Only what Django knows of them moves: the tables keep their names and their rows. Content types, and the permissions on
them, follow.
"""

from django.db import migrations

MOVED = {
    "steprun": "work",
    "timer": "work",
    "screw": "work",
    "proof": "proof",
    "sealtest": "proof",
    "chamber": "proof",
    "standing": "day",
    "taught": "learning",
    "counted": "learning",
    "counting": "learning",
}


def move(apps, schema_editor):
    kinds = apps.get_model("contenttypes", "ContentType").objects
    for model, app in MOVED.items():
        kinds.filter(app_label="jobs", model=model).update(app_label=app)


def back(apps, schema_editor):
    kinds = apps.get_model("contenttypes", "ContentType").objects
    for model, app in MOVED.items():
        kinds.filter(app_label=app, model=model).update(app_label="jobs")


class Migration(migrations.Migration):
    dependencies = [("jobs", "0014_examples"), ("contenttypes", "0002_remove_content_type_name")]

    operations = [
        migrations.SeparateDatabaseAndState(state_operations=[migrations.DeleteModel(model) for model in MOVED]),
        migrations.RunPython(move, back),
    ]
