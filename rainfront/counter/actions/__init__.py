"""Every write at the counter: check, atomic, log."""

from rainfront.counter.actions.orders import (
    erase_contact,
    hand_over,
    join_visit,
    order_for,
    pay,
    set_bill,
    set_contact,
    tell_ready,
)
from rainfront.counter.actions.returns import link_return

__all__ = [
    "erase_contact",
    "hand_over",
    "join_visit",
    "link_return",
    "order_for",
    "pay",
    "set_bill",
    "set_contact",
    "tell_ready",
]
