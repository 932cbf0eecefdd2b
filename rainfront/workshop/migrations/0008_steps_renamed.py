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
    """A step of the shop's own that hangs on a step with a new id hangs on it still."""
    for old, new in NOW.items():
        apps.get_model("workshop", "ShopStep").objects.filter(at=old).update(at=new)


class Migration(migrations.Migration):
    dependencies = [("workshop", "0007_own_steps")]

    operations = [migrations.RunPython(rename, migrations.RunPython.noop)]
