from django.core.validators import MinValueValidator
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("jobs", "0020_handed_on")]

    operations = [
        migrations.AddField(
            "job",
            "bought_for",
            models.DecimalField(
                "Bought for", blank=True, decimal_places=2, max_digits=9, null=True, validators=[MinValueValidator(0)]
            ),
        ),
    ]
