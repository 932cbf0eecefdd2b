"""Every write at the counter: check, atomic, log."""

from rainfront.counter.actions.dropoff import note_drop_off
from rainfront.counter.actions.erase import erase_customer, find_customer, jobs_of_customer
from rainfront.counter.actions.extras import add_extra, set_extra
from rainfront.counter.actions.orders import (
    LATER,
    collect,
    hand_over,
    join_visit,
    order_for,
    pay,
    set_bill,
    set_contact,
    tell_ready,
)
from rainfront.counter.actions.redact import redact

__all__ = [
    "LATER",
    "add_extra",
    "collect",
    "erase_customer",
    "find_customer",
    "hand_over",
    "jobs_of_customer",
    "join_visit",
    "note_drop_off",
    "order_for",
    "pay",
    "redact",
    "set_bill",
    "set_contact",
    "set_extra",
    "tell_ready",
]
