"""Kinds of parts of their own, with what lies there; the moves of before become theirs."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


def make_items(apps, schema_editor):
    """One item for each repair and family that was ever moved; where more went than came, a count sets it to nothing."""
    items, moves = apps.get_model("stock", "Item"), apps.get_model("stock", "Move")
    made = {}
    for move in moves.objects.order_by("pk").iterator():
        key = (move.route, move.family.lower())
        if key not in made:
            fits = [move.family] if move.family else []
            made[key] = items.objects.create(route=move.route, fits=fits, count=0)
        move.item = made[key]
        move.save(update_fields=["item"])
    for item in made.values():
        rows = list(moves.objects.filter(item=item).order_by("pk"))
        there = sum(row.change for row in rows)
        if there < 0:
            moves.objects.create(
                item=item, route=item.route, family="", change=-there, why="counted", by_id=rows[-1].by_id, at=rows[-1].at
            )
        items.objects.filter(pk=item.pk).update(count=max(there, 0))


class Migration(migrations.Migration):

    dependencies = [
        ("stock", "0001_initial"),
        ("jobs", "0007_work"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name="Item",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("route", models.CharField(max_length=40)),
                ("fits", models.JSONField(blank=True, default=list, verbose_name="Fits")),
                ("connector", models.CharField(blank=True, max_length=12, verbose_name="Connector")),
                ("count", models.IntegerField(default=0)),
                ("minimum", models.PositiveIntegerField(default=0, verbose_name="At least")),
                ("supplier", models.CharField(blank=True, max_length=60, verbose_name="Supplier")),
                ("breaks", models.JSONField(blank=True, default=list, verbose_name="Price by quantity")),
            ],
            options={
                "ordering": ("route", "pk"),
                "constraints": [models.CheckConstraint(condition=models.Q(("count__gte", 0)), name="nothing_below_nothing")],
            },
        ),
        migrations.CreateModel(
            name="Donor",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("name", models.CharField(max_length=80, verbose_name="Board")),
                ("note", models.CharField(blank=True, max_length=200, verbose_name="Note")),
                ("at", models.DateTimeField()),
                ("gone_at", models.DateTimeField(blank=True, null=True)),
                ("by", models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name="+", to=settings.AUTH_USER_MODEL)),
            ],
            options={"ordering": ("-pk",)},
        ),
        migrations.AddField("move", "item", models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name="moves", to="stock.item")),
        migrations.AddField("move", "note", models.CharField(blank=True, max_length=200)),
        migrations.AddField("move", "donor", models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name="taken", to="stock.donor")),
        migrations.RunPython(make_items, migrations.RunPython.noop),
        migrations.AlterField("move", "item", models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name="moves", to="stock.item")),
        migrations.AlterField(
            "move",
            "why",
            models.CharField(
                choices=[
                    ("in", "came in"), ("used", "used"), ("back", "put back"), ("counted", "counted"), ("reserved", "reserved"),
                    ("freed", "set free"), ("binned", "binned"), ("donor", "off a donor board"), ("spare", "old board made good"),
                ],
                max_length=8,
            ),
        ),
        migrations.RemoveField("move", "route"),
        migrations.RemoveField("move", "family"),
    ]
