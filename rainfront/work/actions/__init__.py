"""Writes of the work on a device: steps, waits, choices; the screws have a module of their own."""

from rainfront.work.actions.steps import (
    AtWork,
    NoRepairError,
    fail_check,
    finish_repair,
    keep_used,
    pick_option,
    record_at_step,
    start_timer,
    stop_timer,
    undo_step,
)
from rainfront.work.actions.ticking import GuardError, Ticked, do_rest, do_step

__all__ = [
    "AtWork",
    "GuardError",
    "NoRepairError",
    "Ticked",
    "do_rest",
    "do_step",
    "fail_check",
    "finish_repair",
    "keep_used",
    "pick_option",
    "record_at_step",
    "start_timer",
    "stop_timer",
    "undo_step",
]
