"""The standing of open jobs comes out of the jobs; the tables are there already, under the names that they had."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('jobs', '0015_apart'),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.CreateModel(
                    name='Standing',
                    fields=[
                        ('job', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, primary_key=True, related_name='standing', serialize=False, to='jobs.job')),
                        ('levels', models.JSONField(default=dict)),
                        ('worst', models.JSONField(default=dict)),
                        ('stage', models.CharField(max_length=12)),
                        ('words', models.CharField(max_length=160)),
                        ('minutes', models.FloatField(default=0)),
                        ('left_minutes', models.FloatField(default=0)),
                        ('danger', models.CharField(blank=True, max_length=120)),
                        ('wants_part', models.CharField(blank=True, max_length=40)),
                        ('since', models.DateTimeField(blank=True, null=True)),
                        ('asked_at', models.DateTimeField(blank=True, null=True)),
                    ],
                    options={
                        'db_table': 'jobs_standing',
                    },
                ),
            ],
        ),
    ]
