"""Rows and files to the core's traces and back."""

from __future__ import annotations

import io
from dataclasses import asdict
from typing import Any

import numpy as np
from django.core.files.base import ContentFile

from chargepath.base.arrays import Array
from chargepath.grading.expect import Band, Conditions, expected_band
from chargepath.knowledge import Knowledge
from chargepath.trace.model import Trace, make_trace
from chargepath.trace.phases import Phase
from chargepath.trace.table import Layout, decode, look
from chargepath.trace.verdict import TraceVerdict, judge_trace
from rainfront.instruments.models import KnownGood, Record
from rainfront.jobs.adapters import device_of


def pack(trace: Trace) -> ContentFile:
    """A trace as a file: seconds, volts, amps and, where recorded, D+ and D-, one row each."""
    rows = [trace.seconds, trace.volts, trace.amps]
    if trace.plus is not None and trace.minus is not None:
        rows += [trace.plus, trace.minus]
    buffer = io.BytesIO()
    np.save(buffer, np.stack(rows))
    return ContentFile(buffer.getvalue(), name="record.npy")


def load(record: Record) -> Trace:
    """The trace of a record: its file, or the chunks of one that is still running."""
    if record.file:
        with record.file.open("rb") as file:
            rows = np.load(file, allow_pickle=False)
        return Trace(rows[0], rows[1], rows[2], *(rows[3:5] if len(rows) > 3 else (None, None)))
    return of_chunks([bytes(chunk.data) for chunk in record.chunks.all()])


def of_chunks(chunks: list[bytes]) -> Trace:
    """The trace of a live record's chunks; empty where nothing came yet."""
    rows = np.frombuffer(b"".join(chunks), dtype=np.float64).reshape(-1, 3)
    if not len(rows):
        empty = np.zeros(0)
        return Trace(empty, empty, empty)
    return make_trace(rows[:, 0].copy(), rows[:, 2].copy(), rows[:, 1].copy())


def roles_of(layout: Layout) -> dict[str, Any]:
    """How a text's columns were read, as a record keeps it."""
    return {
        "roles": [column.role for column in layout.columns],
        "factors": [column.factor for column in layout.columns],
        "interval": layout.interval,
        "comma": layout.comma,
    }


def layout_of(record: Record) -> Layout:
    """How a record's text was read."""
    with record.raw.open("rb") as file:
        layout = look(decode(file.read()), record.layout.get("comma"))
    kept = record.layout
    if len(kept.get("roles", ())) != len(layout.columns):
        return layout
    return layout.with_roles(kept["roles"], kept["factors"], kept["interval"])


def conditions_of(record: Record) -> Conditions:
    """Conditions a record was taken under."""
    good = KnownGood.objects.filter(model_name__iexact=record.job.model_name).first()
    return Conditions(
        kind=record.job.kind,
        source=record.source,
        percent=record.percent,
        known_good=good.amps if good else None,
        screen_on=record.screen_on,
        cell_temp_c=record.cell_temp_c,
        fast=device_of(record.job).charges_fast,
    )


def band_of(record: Record, known: Knowledge) -> Band:
    """The band to expect of a record."""
    return expected_band(known, conditions_of(record))


def judge(record: Record, trace: Trace, known: Knowledge) -> TraceVerdict:
    """Judge a record's trace under its conditions."""
    return judge_trace(known, trace, conditions_of(record))


def _plain(value: Any) -> Any:
    if isinstance(value, float):
        return value if np.isfinite(value) else None
    return value


def fields_of(verdict: TraceVerdict) -> dict[str, Any]:
    """What a record keeps of its verdict."""
    figures = {name: _plain(value) for name, value in asdict(verdict.figures).items() if name != "fit"}
    fit = verdict.figures.fit
    figures["fit"] = asdict(fit) if fit else None
    return {
        "grade": verdict.current.grade,
        "reason": verdict.current.reason[:300],
        "phases": [{name: _plain(value) for name, value in asdict(phase).items()} for phase in verdict.phases[:2000]],
        "figures": figures,
    }


def phases_of(record: Record) -> list[Phase]:
    """The phases a record keeps."""
    rows: list[dict[str, Any]] = [
        {name: float("nan") if value is None else value for name, value in row.items()} for row in record.phases
    ]
    return [Phase(**{str(name): value for name, value in row.items()}) for row in rows]


def thin(trace: Trace, start: float, stop: float, points: int) -> tuple[Array, Array, Array]:
    """Seconds, amps and volts of a stretch with at most about `points` samples.

    Least and most of each bucket are kept.
    """
    part = trace.part(start, stop)
    n = len(part)
    if n <= points:
        return part.seconds, part.amps, part.volts
    size = -(-n // (points // 2))
    starts = np.arange(0, n, size)
    padded = np.full(starts.size * size, np.nan)
    padded[:n] = part.amps
    blocks = padded.reshape(-1, size)
    low = starts + np.nanargmin(blocks, axis=1)
    high = starts + np.nanargmax(blocks, axis=1)
    rows = np.unique(np.concatenate([low, high, [0, n - 1]]))
    return part.seconds[rows], part.amps[rows], part.volts[rows]
