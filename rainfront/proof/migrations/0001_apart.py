"""Proofs, seal tests and the chamber come out of the jobs; the tables are there already, under the names that they had."""

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
                    name='Chamber',
                    fields=[
                        ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                        ('volume_ml', models.FloatField()),
                        ('at', models.DateTimeField()),
                        ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                    ],
                    options={
                        'db_table': 'jobs_chamber',
                        'ordering': ('-pk',),
                    },
                ),
                migrations.CreateModel(
                    name='Proof',
                    fields=[
                        ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                        ('phase', models.CharField(default='closed', max_length=8)),
                        ('numbers', models.JSONField(blank=True, default=dict)),
                        ('answers', models.JSONField(blank=True, default=dict)),
                        ('doubts', models.JSONField(blank=True, default=dict)),
                        ('left_out', models.JSONField(blank=True, default=dict)),
                        ('by_meter', models.JSONField(blank=True, default=list)),
                        ('watching', models.JSONField(blank=True, default=dict)),
                        ('first_at', models.DateTimeField(blank=True, null=True)),
                        ('back_to', models.CharField(blank=True, max_length=40)),
                        ('slip', models.CharField(blank=True, max_length=40)),
                        ('works', models.BooleanField(blank=True, null=True)),
                        ('at', models.DateTimeField()),
                        ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                        ('job', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='proofs', to='jobs.job')),
                        ('repair', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='proofs', to='jobs.repair')),
                    ],
                    options={
                        'db_table': 'jobs_proof',
                        'ordering': ('pk',),
                    },
                ),
                migrations.CreateModel(
                    name='SealTest',
                    fields=[
                        ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                        ('when', models.CharField(choices=[('before', 'before it was opened'), ('after', 'closed again')], max_length=8)),
                        ('start_kpa', models.FloatField()),
                        ('end_kpa', models.FloatField()),
                        ('seconds', models.FloatField()),
                        ('at', models.DateTimeField()),
                        ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                        ('job', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='seal_tests', to='jobs.job')),
                    ],
                    options={
                        'db_table': 'jobs_sealtest',
                        'ordering': ('pk',),
                    },
                ),
            ],
        ),
    ]
