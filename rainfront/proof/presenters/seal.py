"""A job's seal tests: drawn, compared, in words."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from chargepath.base.quantities import figure
from chargepath.proving.sealing import Decay, judge_seal, leak_rate
from rainfront.jobs.models import Job
from rainfront.proof.models import Chamber, SealTest
from rainfront.proof.words import seal_words
from rainfront.web.scenes import seal_chart
from rainfront.workshop.adapters import Shop

PROMISE = "It is no promise of any rating: a device that was opened is never as tight for sure as it was when new."
VERDICTS = {
    True: "Holds as it did",
    False: "Leaks more than it should",
    None: "Nothing to compare it with yet",
}


@dataclass(frozen=True)
class SealPage:
    """Everything on the page of the seal test; `due` is which test comes next."""

    tests: Sequence[SealTest]
    scene: seal_chart.SealChart | None
    verdict: str
    holds: bool | None
    reasons: Sequence[str]
    rate: str
    chamber: Chamber | None
    due: str
    others: int
    promise: str


def decay_of(test: SealTest) -> Decay:
    """A row as the core's test."""
    return Decay(test.start_kpa, test.end_kpa, test.seconds)


def seal_page(job: Job, shop: Shop) -> SealPage:
    """What is known of a job's seal."""
    before = SealTest.objects.newest(job.pk, SealTest.When.BEFORE)
    after = SealTest.objects.newest(job.pk, SealTest.When.AFTER)
    others = SealTest.objects.of_model(job.model_name, job.pk)
    chamber = Chamber.objects.first()
    verdict = None
    if after is not None:
        good = [decay_of(row) for row in others]
        verdict = judge_seal(shop.known, decay_of(after), decay_of(before) if before else None, good)
    shown = [row for row in (before, after) if row is not None]
    rows = [(row.when, row.when, row.start_kpa, row.end_kpa, row.seconds) for row in shown]
    most = verdict.most_kpa if verdict else None
    return SealPage(
        tests=shown,
        scene=seal_chart.draw(rows, most, "How much of the vacuum was lost") if rows else None,
        verdict=VERDICTS[verdict.holds] if verdict else "",
        holds=verdict.holds if verdict else None,
        reasons=seal_words(verdict, shop.known) if verdict else (),
        rate=f"{figure(leak_rate(decay_of(after), chamber.volume_ml), 2)} ml of air a minute"
        if after and chamber
        else "",
        chamber=chamber,
        due=SealTest.When.AFTER if before else SealTest.When.BEFORE,
        others=len(others),
        promise=PROMISE,
    )
