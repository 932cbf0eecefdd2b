"""Writes of the proof, the seal test, and closing."""

from rainfront.proof.actions.close import cancel_job, close_job, refer_job, reopen_job
from rainfront.proof.actions.prove import fail_proof, go_back, read_again, record_proof, watch_from
from rainfront.proof.actions.seal import calibrate_chamber, record_seal

__all__ = [
    "calibrate_chamber",
    "cancel_job",
    "close_job",
    "fail_proof",
    "go_back",
    "read_again",
    "record_proof",
    "record_seal",
    "refer_job",
    "reopen_job",
    "watch_from",
]
