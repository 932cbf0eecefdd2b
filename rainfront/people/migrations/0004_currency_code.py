"""The currency by its ISO 4217 code in place of a mark; a mark that names none stays without a currency."""

from django.db import migrations, models

import rainfront.web.regional

CODES = {"€": "EUR", "£": "GBP", "$": "USD", "¥": "JPY", "₹": "INR", "₺": "TRY", "₽": "RUB", "₩": "KRW", "CHF": "CHF"}
CODES |= {"kr": "SEK", "zł": "PLN", "Kč": "CZK", "Ft": "HUF", "R$": "BRL", "₪": "ILS", "₴": "UAH", "₫": "VND", "฿": "THB"}


def code_of(mark):
    """The code that a mark stands for; a code stays itself."""
    mark = mark.strip()
    known = {code for code, _ in rainfront.web.regional.currencies()}
    return CODES.get(mark, mark.upper() if mark.upper() in known else "XXX")


def to_codes(apps, schema_editor):
    """Replace every mark."""
    for shop in apps.get_model("people", "Workshop").objects.all():
        shop.currency = code_of(shop.currency)
        shop.save(update_fields=["currency"])


class Migration(migrations.Migration):

    dependencies = [
        ("people", "0003_papers"),
    ]

    operations = [
        migrations.AddField(
            model_name="workshop",
            name="locale",
            field=models.CharField(
                choices=rainfront.web.regional.regions,
                default="en_IE",
                max_length=16,
                verbose_name="Dates and decimals as in",
            ),
        ),
        migrations.RunPython(to_codes, migrations.RunPython.noop),
        migrations.AlterField(
            model_name="workshop",
            name="currency",
            field=models.CharField(
                choices=rainfront.web.regional.currencies, default="XXX", max_length=3, verbose_name="Currency"
            ),
        ),
    ]
