"""A closed job that teaches is an example: the column that counts it, and its index, are named for that."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("jobs", "0013_on_bench")]

    operations = [
        migrations.RemoveIndex("job", "job_lesson_due"),
        migrations.RenameField("job", "lesson_due", "example_due"),
        migrations.AddIndex(
            "job", models.Index(condition=models.Q(("example_due__gt", 0)), fields=["id"], name="job_example_due")
        ),
    ]
