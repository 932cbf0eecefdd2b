"""Every write to a job: check, atomic, log."""

from rainfront.jobs.actions.log import (
    add_note,
    give_job,
    move_stage,
    overrule_danger,
    record_event,
    record_line,
    restore_entry,
    strike_entry,
)
from rainfront.jobs.actions.quotes import answer_quote, make_quote, set_school
from rainfront.jobs.actions.repair import choose_route, drop_repair
from rainfront.jobs.actions.returns import link_return
from rainfront.jobs.actions.take_in import DETAILS, change_details, take_in
from rainfront.jobs.writing import JobError

__all__ = [
    "DETAILS",
    "JobError",
    "add_note",
    "answer_quote",
    "change_details",
    "choose_route",
    "drop_repair",
    "give_job",
    "link_return",
    "make_quote",
    "move_stage",
    "overrule_danger",
    "record_event",
    "record_line",
    "restore_entry",
    "set_school",
    "strike_entry",
    "take_in",
]
