"""Steps, waits and screws come out of the jobs; the tables are there already, under the names that they had."""

import django.core.validators
import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('jobs', '0015_apart'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.CreateModel(
                    name='Timer',
                    fields=[
                        ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                        ('step', models.CharField(max_length=40)),
                        ('started_at', models.DateTimeField()),
                        ('due_at', models.DateTimeField(db_index=True)),
                        ('stopped_at', models.DateTimeField(blank=True, null=True)),
                        ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                        ('repair', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='timers', to='jobs.repair')),
                    ],
                    options={
                        'db_table': 'jobs_timer',
                        'ordering': ('pk',),
                    },
                ),
                migrations.CreateModel(
                    name='Screw',
                    fields=[
                        ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                        ('number', models.PositiveSmallIntegerField()),
                        ('x', models.FloatField(validators=[django.core.validators.MinValueValidator(0), django.core.validators.MaxValueValidator(1)])),
                        ('y', models.FloatField(validators=[django.core.validators.MinValueValidator(0), django.core.validators.MaxValueValidator(1)])),
                        ('length_mm', models.FloatField(blank=True, null=True, verbose_name='Length')),
                        ('head', models.CharField(blank=True, max_length=20, verbose_name='Head')),
                        ('place', models.CharField(choices=[('in', 'in its hole'), ('out', 'out, on the map'), ('lost', 'missing')], default='in', max_length=4)),
                        ('moved_at', models.DateTimeField(blank=True, null=True)),
                        ('note', models.CharField(blank=True, max_length=200, verbose_name='Note')),
                        ('job', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='screws', to='jobs.job')),
                    ],
                    options={
                        'db_table': 'jobs_screw',
                        'ordering': ('number',),
                        'constraints': [models.UniqueConstraint(fields=('job', 'number'), name='one_screw_of_a_number')],
                    },
                ),
                migrations.CreateModel(
                    name='StepRun',
                    fields=[
                        ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                        ('step', models.CharField(max_length=40)),
                        ('done_at', models.DateTimeField(blank=True, null=True)),
                        ('skipped', models.CharField(blank=True, max_length=300, verbose_name='Why it is skipped')),
                        ('note', models.CharField(blank=True, max_length=300, verbose_name='What was done otherwise')),
                        ('seconds', models.PositiveIntegerField(default=0)),
                        ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                        ('repair', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='steps', to='jobs.repair')),
                    ],
                    options={
                        'db_table': 'jobs_steprun',
                        'ordering': ('pk',),
                        'constraints': [models.UniqueConstraint(fields=('repair', 'step'), name='one_run_of_a_step')],
                    },
                ),
            ],
        ),
    ]
