from django.db import migrations

NOW = {
    "guard_off": "part_off",
    "guard_off_cool": "part_off_cool",
    "guard_lines": "part_lines",
    "guard_on": "part_on",
    "guard_cool": "part_cool",
    "rail_off": "part_iron_off",
    "rail_lines": "part_iron_lines",
    "rail_on": "part_iron_on",
    "sense_fix": "part_iron_on",
    "split_whole": "split",
    "clean_faces": "stack_faces",
    "faces_flux_off": "stack_flux_off",
    "faces_dry": "stack_dry",
    "faces_lines": "stack_lines",
    "join_whole": "join",
}


def rename(apps, schema_editor):
    """Steps of small parts and of stacked boards have one id on every route; what was ticked by then stays ticked."""
    for name in ("StepRun", "Timer"):
        model = apps.get_model("work", name)
        for old, new in NOW.items():
            model.objects.filter(step=old).update(step=new)


class Migration(migrations.Migration):
    dependencies = [("work", "0001_apart")]

    operations = [migrations.RunPython(rename, migrations.RunPython.noop)]
