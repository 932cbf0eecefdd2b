"""What the record's page shows, worked out."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

import numpy as np

from chargepath.base.quantities import figure, show
from chargepath.grading.expect import Band
from chargepath.knowledge import Knowledge
from chargepath.knowledge.routes import PROVE
from chargepath.proving.watching import overlay
from chargepath.trace.model import Trace
from chargepath.trace.phases import LABELS, Phase
from rainfront.instruments import adapters
from rainfront.instruments.models import Record
from rainfront.instruments.proving import TAKEN, ItemWatch
from rainfront.jobs.adapters import own_repairs
from rainfront.jobs.models import Job
from rainfront.jobs.presenters.words import entry_words
from rainfront.web.scenes import overlay as trace_overlay
from rainfront.web.scenes import trace_chart
from rainfront.web.words import counted

POINTS = 2000
# How much of two records is laid over each other [s], and with how many points each.
OVERLAY_S, OVERLAY_POINTS = 60.0, 300


HANDS = (
    ("plug", "plug in"), ("unplug", "pull out"), ("flip", "turn over"), ("off", "switch off"), ("on", "switch on"),
    ("own_charger", "customer's charger"), ("shop_charger", "shop's charger"),
)  # fmt: skip


def device_groups(known: Knowledge, devices: Mapping[str, str]) -> list[tuple[str, list[tuple[str, str]]]]:
    """Devices that can be put on a simulated bench, by the station where they are broken.

    `devices` are fault and way to what is special about that way, '' where there is one only.
    """
    groups: dict[str, list[tuple[str, str]]] = {}
    for name, way in devices.items():
        fault = known.faults.get(name.partition(".")[0])
        station = known.stations[fault.station].label if fault else "Sound"
        words = fault.label if fault else "Good device"
        groups.setdefault(station, []).append((name, f"{words}: {way}" if way else words))
    return list(groups.items())


@dataclass(frozen=True)
class Hands:
    """What a person would do with the simulated device, and which one lies on the bench."""

    record: Record
    device: str
    groups: Sequence[tuple[str, Sequence[tuple[str, str]]]]
    leans: Sequence[str]
    acts: Sequence[tuple[str, str]] = HANDS

    @classmethod
    def of(cls, record: Record, greeting: Mapping[str, Any], known: Knowledge) -> Hands | None:
        """By what a simulated meter says of itself; None for a real one."""
        if not greeting:
            return None
        devices, leans = greeting.get("devices"), greeting.get("leans")
        named = {str(name): str(way) for name, way in devices.items()} if isinstance(devices, dict) else {}
        leant = tuple(str(lean) for lean in leans) if isinstance(leans, list) else ()
        return cls(record, str(greeting.get("device", "")), device_groups(known, named), leant)


@dataclass(frozen=True)
class ProofMeter:
    """The live meter beside an item of the proof; `record` is None where it does not run."""

    record: Record | None
    item: str
    amps: str = ""
    volts: str = ""
    say: str = ""
    share: str = "0"
    takes: bool = False


def proof_meter(record: Record | None, item: str, watch: ItemWatch | None) -> ProofMeter:
    """How the meter stands beside an item."""
    amps, volts = (watch.amps, watch.volts) if watch else (None, None)
    seen = watch.seen if watch else None
    return ProofMeter(
        record=record,
        item=item,
        amps="-" if amps is None else f"{figure(amps, 2)}",
        volts="-" if volts is None else f"{figure(volts, 2)}",
        say=seen.say if seen else "",
        share=f"{(seen.share if seen else 0) * 100:.0f}",
        takes=item in TAKEN,
    )


def before_and_after(job: Job) -> trace_overlay.Overlay | None:
    """The newest record before the job was proved and the one taken then, None where one is missing."""
    repairs = [row for row in own_repairs(job) if row.name != PROVE]
    if not repairs:
        return None
    first, last = Record.objects.before_and_after(job.pk, repairs[0].at, repairs[-1].at)
    if first is None or last is None:
        return None
    rows = overlay(adapters.load(first), adapters.load(last), OVERLAY_S)
    said = [f"{word}: {_draws(record)}" for word, record in (("Before (dashed)", first), ("After", last))]
    thinned = [row[:: max(len(row) // OVERLAY_POINTS, 1)] for row in rows]
    return trace_overlay.draw(thinned[0], thinned[1], ("before", "after"), f"{said[0]}. {said[1]}.")


def _draws(record: Record) -> str:
    """What a record draws, in a few words."""
    drops = record.figures.get("dropouts") or 0
    amps = show(record.figures.get("plateau") or 0.0, "A")
    return f"{amps}, drops out {counted(drops, 'time')}" if drops else f"{amps}, steady"


def wait_of(job: Job, known: Knowledge, now: datetime) -> dict[str, Any]:
    """How long a device has been on charge, and how long it should be; empty where it is not."""
    since: datetime | None = getattr(job, "on_charge_since", None)
    if since is None:
        return {}
    minutes, whole = (now - since).total_seconds() / 60, known.checks["charge_wait"].wait_minutes
    due = since + timedelta(minutes=whole)
    return {"job": job, "since": since, "minutes": f"{minutes:.0f}", "left": max(round(whole - minutes), 0), "due": due}


def headline(record: Record, known: Knowledge) -> str:
    """What a record shows, the worst first: a draw that drops out is not what it should be."""
    draws = known.checks["charger_current"].name(record.grade)
    drops = record.figures.get("dropouts") or 0
    if not drops:
        return draws
    return f"drops out {counted(drops, 'time')}; between, it {draws}"


@dataclass(frozen=True)
class PhaseRow:
    """One line of the table of phases."""

    kind: str
    label: str
    start: str
    seconds: str
    amps: str
    volts: str
    note: str


@dataclass(frozen=True)
class RecordFact:
    """One figure with its name."""

    name: str
    value: str


def phase_rows(phases: list[Phase]) -> list[PhaseRow]:
    """The table beside the chart."""
    rows = []
    for phase in phases[:400]:
        note = f"every {figure(phase.period, 1)} s" if phase.period else ""
        volts = show(phase.volts, "V") if np.isfinite(phase.volts) else ""
        amps = "" if phase.kind == "gap" else f"{show(phase.amps, 'A')} ± {show(max(phase.spread, 0.001), 'A')}"
        rows.append(
            PhaseRow(
                kind=phase.kind,
                label=LABELS[phase.kind],
                start=f"{figure(phase.start, 1)}",
                seconds=f"{figure(phase.seconds, 1)}",
                amps=amps,
                volts=volts,
                note=note,
            )
        )
    return rows


def facts(record: Record) -> list[RecordFact]:
    """Figures in words."""
    found: dict[str, Any] = record.figures
    out = [RecordFact("Settled current", f"{show(found['plateau'], 'A')} ± {show(max(found['spread'], 0.001), 'A')}")]
    if found.get("plus") is not None and found.get("minus") is not None:
        out.append(RecordFact("Data lines", f"D+ {show(found['plus'], 'V')}, D- {show(found['minus'], 'V')}"))
    if not found["dropouts"]:
        out.append(RecordFact("Dropouts", "none"))
    else:
        often, longest = (
            f"{figure(found['dropouts_per_minute'], 1)} a minute",
            f"{figure(found['longest_dropout'], 1)} s",
        )
        text = f"{found['dropouts']}, {often}, longest {longest}"
        out.append(RecordFact("Dropouts", text))
    if found["loop_period"]:
        out.append(RecordFact("Starts over every", f"{figure(found['loop_period'], 1)} s"))
    out.append(RecordFact("Charge", f"{figure(found['charge_mah'], 1)} mAh"))
    if found["energy_wh"] is not None:
        out += [
            RecordFact("Energy", f"{figure(found['energy_wh'], 3)} Wh"),
            RecordFact("Average power", f"{figure(found['power_w'], 2)} W"),
        ]
    fit = found.get("fit")
    if fit:
        out.append(RecordFact("Source and cable", f"{figure(fit['ohms'], 3)} ± {figure(fit['ohms_error'], 3)} ohm"))
        out.append(
            RecordFact("Unloaded", f"{figure(fit['open_volts'], 2)} ± {figure(max(fit['open_error'], 0.01), 2)} V")
        )
    elif found["energy_wh"] is not None:
        out.append(RecordFact("Source and cable", "the current moved too little to tell"))
    return out


def trend_of(first: float, readings: list[list[float]], unit: str) -> str:
    """Whether a device left on charge is rising, from its readings (minutes, value)."""
    if not readings:
        return ""
    minutes, value = readings[-1]
    change = value - first
    if minutes <= 0 or abs(change) < 1e-9:
        return "not rising so far"
    words = "rising" if change > 0 else "falling"
    hourly = figure(change / minutes * 60, 2, sign=True)
    return f"{words}, {figure(change, 2, sign=True)} {unit} in {minutes:.0f} min ({hourly} {unit} an hour)"


def entered_words(record: Record, known: Knowledge) -> list[str]:
    """The observations that a record was entered as."""
    found = [entry_words(entry, None, known) for entry in record.entries.all()]
    return [f"{said.title}: {said.text}" for said in found]


def chart_of(record: Record, trace: Trace, band: Band, known: Knowledge) -> trace_chart.Chart:
    """The still drawing."""
    seconds, amps, _ = adapters.thin(trace, 0, trace.duration, 1200)
    phases = [(p.kind, LABELS[p.kind], p.start, p.stop) for p in adapters.phases_of(record)]
    limit = known.sources[record.source].amps
    return trace_chart.draw(seconds, amps, phases, (band.low, band.high), limit, f"{record.name}: {record.reason}")


def _numbers(values: Any, digits: int) -> list[float | None]:
    return [round(value, digits) if value == value else None for value in values.tolist()]


def chart_data(record: Record, trace: Trace, start: float, stop: float) -> dict[str, Any]:
    """What the interactive chart draws of a stretch: extremes are kept."""
    seconds, amps, volts = adapters.thin(trace, start, stop, POINTS)
    return {
        "t": _numbers(seconds, 4),
        "a": _numbers(amps, 5),
        "v": _numbers(volts, 4) if trace.has_volts else [],
        "samples": len(trace),
        "duration": trace.duration,
    }


def chart_marks(record: Record, band: Band, known: Knowledge) -> dict[str, Any]:
    """Phases, band and limits for the interactive chart."""
    source = known.sources[record.source]
    return {
        "phases": [
            {"kind": p.kind, "label": LABELS[p.kind], "start": p.start, "stop": p.stop}
            for p in adapters.phases_of(record)
        ],
        "band": [band.low, band.high],
        "limit": source.amps,
        "volts": [source.low_volts, source.high_volts],
    }
