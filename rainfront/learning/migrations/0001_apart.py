"""What closed jobs taught comes out of the jobs; the tables are there already, under the names that they had."""

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
                    name='Counted',
                    fields=[
                        ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                        ('key', models.CharField(max_length=300, unique=True)),
                        ('count', models.BigIntegerField()),
                    ],
                    options={
                        'db_table': 'jobs_counted',
                    },
                ),
                migrations.CreateModel(
                    name='Counting',
                    fields=[
                        ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                        ('basis', models.CharField(blank=True, max_length=100)),
                        ('fresh', models.PositiveIntegerField(default=0)),
                        ('withdrawn', models.BooleanField(default=False)),
                    ],
                    options={
                        'db_table': 'jobs_counting',
                    },
                ),
                migrations.CreateModel(
                    name='Taught',
                    fields=[
                        ('job', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, primary_key=True, related_name='taught', serialize=False, to='jobs.job')),
                        ('tally', models.JSONField()),
                    ],
                    options={
                        'db_table': 'jobs_taught',
                    },
                ),
            ],
        ),
    ]
