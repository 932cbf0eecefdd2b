"""Turns a proof's row into the core's readings."""

from __future__ import annotations

from chargepath.proving.verdict import Readings
from rainfront.proof.models import Proof


def readings_of(proof: Proof) -> Readings:
    """A proof row as the core's readings."""
    return Readings(proof.numbers, proof.answers, proof.doubts, proof.left_out)
