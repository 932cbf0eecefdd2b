"""Every write to a job: check, atomic, log."""

from rainfront.jobs.actions.close import close_job, refer_job, reopen_job
from rainfront.jobs.actions.learn import count_examples
from rainfront.jobs.actions.log import (
    add_note,
    move_stage,
    overrule_danger,
    record_at_step,
    record_event,
    record_line,
    restore_entry,
    strike_entry,
)
from rainfront.jobs.actions.prove import fail_proof, go_back, read_again, record_proof, watch_from
from rainfront.jobs.actions.quotes import answer_quote, make_quote, set_school
from rainfront.jobs.actions.redact import redact
from rainfront.jobs.actions.repair import choose_route, drop_repair, finish_repair
from rainfront.jobs.actions.seal import calibrate_chamber, record_seal
from rainfront.jobs.actions.take_in import DETAILS, change_details, import_case, take_in
from rainfront.jobs.actions.work import (
    AtWork,
    NoRepairError,
    do_rest,
    do_step,
    fail_check,
    keep_used,
    pick_option,
    start_timer,
    stop_timer,
    undo_step,
)
from rainfront.jobs.writing import JobError

__all__ = [
    "DETAILS",
    "AtWork",
    "JobError",
    "NoRepairError",
    "add_note",
    "answer_quote",
    "calibrate_chamber",
    "change_details",
    "choose_route",
    "close_job",
    "count_examples",
    "do_rest",
    "do_step",
    "drop_repair",
    "fail_check",
    "fail_proof",
    "finish_repair",
    "go_back",
    "import_case",
    "keep_used",
    "make_quote",
    "move_stage",
    "overrule_danger",
    "pick_option",
    "read_again",
    "record_at_step",
    "record_event",
    "record_line",
    "record_proof",
    "record_seal",
    "redact",
    "refer_job",
    "reopen_job",
    "restore_entry",
    "set_school",
    "start_timer",
    "stop_timer",
    "strike_entry",
    "take_in",
    "undo_step",
    "watch_from",
]
