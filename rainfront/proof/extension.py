"""What the proof shows on a job: its page, closing and handing on, seal tests, and what proofs have shown."""

from __future__ import annotations

from collections.abc import Mapping

from django.urls import reverse

from chargepath.knowledge.routes import REFER
from rainfront.jobs.extensions import Extension, Link
from rainfront.jobs.models import Job, Stage
from rainfront.proof.proving import proofs_passed
from rainfront.workshop.adapters import Shop


class ProofPages(Extension):
    """Proof, seal and closing of a job."""

    def pages(self, job: Job) -> Mapping[str, Link]:
        """The proof; what leads out of the job; the seal test, which begins while the device is still closed."""
        return {
            Stage.PROVE: Link("Prove", reverse("proof:prove", args=[job.pk])),
            "close": Link("Close", reverse("proof:close", args=[job.pk]), stage=Stage.HAND_OVER),
            REFER: Link("Hand on", reverse("proof:refer", args=[job.pk]), stage=Stage.HAND_OVER),
            "cancel": Link("Cancel this job", reverse("proof:cancel", args=[job.pk])),
            "reopen": Link("Open again", reverse("proof:reopen", args=[job.pk])),
            "seal": Link("Seal test", reverse("proof:seal", args=[job.pk]), stage=Stage.OPEN),
        }

    def shown(self, job: Job, shop: Shop) -> Mapping[str, str]:
        """What the proofs that passed have shown of each station."""
        marks: dict[str, str] = {}
        for _, result in proofs_passed(job, shop):
            marks |= result.stations()
        return marks
