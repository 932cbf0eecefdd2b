"""What every part of a job's pages is made from: the job, its one judgement, and what the shop goes by."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from chargepath.decision.advice import Advice
from chargepath.decision.questions import Option
from chargepath.diagnosis.belief import Belief
from chargepath.knowledge import Check, Knowledge
from rainfront.jobs.judging import JobJudgement
from rainfront.jobs.models import Job
from rainfront.web.words import money
from rainfront.workshop.adapters import Shop

if TYPE_CHECKING:
    from chargepath.decision.judgement import Judgement


@dataclass(frozen=True)
class Basis:
    """A job with its judgement; `station` narrows what is shown to one place of the charge line."""

    job: Job
    judged: JobJudgement
    shop: Shop
    station: str = ""

    @property
    def core(self) -> Judgement:
        """The judgement itself."""
        return self.judged.core

    @property
    def belief(self) -> Belief:
        """Where the faults may be."""
        return self.core.belief

    @property
    def advice(self) -> Advice:
        """What to do next."""
        return self.core.advice

    @property
    def known(self) -> Knowledge:
        """The knowledge that the job was judged by, in the words for its device."""
        return self.core.known.worded(self.job.carrier)

    @property
    def danger_ids(self) -> tuple[str, ...]:
        """Ids of the dangers that stand: a plan of work is made for them."""
        return tuple(danger.hazard.id for danger in self.core.dangers)

    def money(self, amount: float) -> str:
        """An amount as it is spoken."""
        return money(amount, self.shop.region)

    @property
    def earlier(self) -> str:
        """What was done on the job so far, as money; '' for nothing."""
        return self.money(self.core.spent) if self.core.spent >= 0.5 else ""

    def label(self, option: Option) -> str:
        """What a check, try or repair is called."""
        return self.known.label_of(option.kind, option.id)

    def opens(self, access: str) -> str:
        """How far the device has to be opened for an access level, '' where it is open already."""
        levels = self.known.access
        return levels[access].label if levels[access].level > levels[self.belief.access].level else ""

    @staticmethod
    def station_of(check: Check, variant: str) -> str:
        """Where a check's mark is drawn."""
        return check.station_on.get(variant, check.station)
