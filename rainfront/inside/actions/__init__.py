"""Every write inside: check, atomic, log."""

from rainfront.inside.actions.hunt import begin_hunt, end_hunt, one_back, unplug
from rainfront.inside.actions.photos import add_mark, add_photo, remove_mark, remove_photo
from rainfront.inside.actions.power import enter_sense, enter_supply, store_ladder
from rainfront.inside.actions.sheets import enter_sheet, keep_good, start_lift, start_sheet, store_point, type_point

__all__ = [
    "add_mark",
    "add_photo",
    "begin_hunt",
    "end_hunt",
    "enter_sense",
    "enter_sheet",
    "enter_supply",
    "keep_good",
    "one_back",
    "remove_mark",
    "remove_photo",
    "start_lift",
    "start_sheet",
    "store_ladder",
    "store_point",
    "type_point",
    "unplug",
]
