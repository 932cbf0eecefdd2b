"""Writes of people and workshop."""

from django.db import transaction

from rainfront.people.forms import MeForm, WorkshopForm


def store_settings(me: MeForm, shop: WorkshopForm | None) -> None:
    """Store valid settings forms together."""
    with transaction.atomic():
        me.save()
        if shop is not None:
            shop.save()
