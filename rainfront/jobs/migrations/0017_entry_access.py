

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('jobs', '0016_repair_dangers'),
    ]

    operations = [
        migrations.AddField(
            model_name='entry',
            name='access',
            field=models.CharField(blank=True, max_length=20),
        ),
    ]
