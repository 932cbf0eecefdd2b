"""Records of simulated devices on the stand-in meter, as the demo's people keep them."""

from __future__ import annotations

from datetime import datetime
from typing import Any

import numpy as np

from chargepath.standin.device import StandinDevice, play
from chargepath.trace.table import look
from rainfront.instruments.actions import keep_draft, store_draft, use_record
from rainfront.jobs.models import Job
from rainfront.people.models import User


def keep_record(job: Job, raw: dict[str, Any], user: User, at: datetime, device: StandinDevice | None = None) -> None:
    """A record of a simulated device on the stand-in meter, handed in as a file."""
    device = device or StandinDevice.broken(raw["fault"], raw.get("seed", 1), float(raw["percent"]))
    acts = [(float(when), {str(name): value}) for when, name, value in raw.get("acts", ())]
    rng = np.random.default_rng(7)
    lines = ["seconds,volts,amps"]
    for seconds, volts, amps in play(device, 10.0, acts, raw["seconds"]):
        noisy = max(amps + rng.normal(0, 0.003), 0.0) if amps else 0.0
        lines.append(f"{seconds:.1f},{volts + rng.normal(0, 0.004):.3f},{noisy:.3f}")
    text = "\n".join(lines)
    draft = keep_draft(job, text.encode(), f"{raw['name']}.csv", "file", user=user, now=at)
    record = store_draft(draft, look(text), {"name": raw["name"], "percent": float(raw["percent"])}, user=user, now=at)
    if "check" in raw:
        use_record(record, raw["check"], user=user, now=at)
