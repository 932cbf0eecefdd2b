"""Every write to the maps of boards: check, atomic."""

from rainfront.board.actions.maps import (
    begin_on_picture,
    drop_draft,
    keep_draft,
    remove_map,
    restore_map,
    store_draft,
    store_map,
)
from rainfront.board.actions.naming import confirm_meanings, confirm_ties, take_meaning, take_ties
from rainfront.board.actions.pictures import add_pair, add_picture, lay_photo, remove_picture, take_pair
from rainfront.board.actions.points import add_cover, add_point, remove_cover, remove_point

__all__ = [
    "add_cover",
    "add_pair",
    "add_picture",
    "add_point",
    "begin_on_picture",
    "confirm_meanings",
    "confirm_ties",
    "drop_draft",
    "keep_draft",
    "lay_photo",
    "remove_cover",
    "remove_map",
    "remove_picture",
    "remove_point",
    "restore_map",
    "store_draft",
    "store_map",
    "take_meaning",
    "take_pair",
    "take_ties",
]
