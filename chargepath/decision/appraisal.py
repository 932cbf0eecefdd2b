"""The stable JSON that `appraise` prints for a case."""

from __future__ import annotations

from typing import Any

from chargepath.base.errors import ChargepathError
from chargepath.case.entries import Case
from chargepath.case.file import parse
from chargepath.decision.judgement import judge
from chargepath.decision.prices import Prices
from chargepath.knowledge import Knowledge


def appraise(name: str, case: Case, known: Knowledge) -> dict[str, Any]:
    """Appraise one case by its events (never by its outcome).

    Returns
    -------
    dict
        ``{"case", "faults": [{"id", "probability"}], "next": {"kind", "id", "saves", "alone", "then", "minutes"},
        "routes": [{"id", "cure", "cost"}],
        "dangers": [id]}``; see docs/appraise.md.

    """
    judged = judge(known, case, Prices.of(known, case.device.value, device=case.device))
    belief, advice, step = judged.belief, judged.advice, judged.advice.next
    return {
        "case": name,
        "faults": [{"id": fault, "probability": round(chance, 6)} for fault, chance in belief.faults],
        "next": {
            "kind": step.kind,
            "id": step.id,
            # What leads out of a danger is not weighed in money.
            "saves": None if advice.for_safety else round(step.saves, 2),
            "alone": round(step.alone, 2) if step.kind in ("check", "try") else None,
            "then": step.then or None,
            "minutes": round(step.minutes, 1),
        },
        "routes": [
            {"id": term.id, "cure": round(term.cure, 6), "cost": round(term.act.cost, 2)} for term in advice.plan
        ],
        "dangers": [danger.hazard.id for danger in judged.dangers],
    }


def appraise_text(name: str, text: bytes, known: Knowledge) -> tuple[dict[str, Any], Case | None]:
    """Appraise a case file's text; a bad one gives ``{"case", "error"}`` and None."""
    try:
        case = parse(text, known)
        return appraise(name, case, known), case
    except ChargepathError as error:
        return {"case": name, "error": str(error)}, None
