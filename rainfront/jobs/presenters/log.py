"""The log as it is shown, newest first."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from rainfront.jobs.extensions import Attachment, Link, attachments_of, entry_links_of
from rainfront.jobs.models import Entry
from rainfront.jobs.presenters.basis import Basis
from rainfront.jobs.presenters.words import Said, entry_words

# So many lines stand on a page; the record has them all.
MOST_LINES = 300


@dataclass(frozen=True)
class LogRow:
    """One line of the log, with what hangs on it and what can be added to it."""

    entry: Entry
    said: Said
    struck: bool
    attached: Sequence[Attachment]
    links: Sequence[Link]

    @property
    def key(self) -> str:
        """Names the line in a form that comes back."""
        return str(self.entry.pk)


@dataclass(frozen=True)
class LogPart:
    """Lines of the log, the newest first, and how many older ones there are."""

    rows: list[LogRow]
    older: int


def log_of(basis: Basis, *, most: int = MOST_LINES, evidence: bool = False) -> LogPart:
    """The newest lines, those of the chosen station where one is chosen; `evidence`: only evidence that stands.

    Words are made for the lines that are shown alone: a job may have ten thousand.
    """
    standing, found = iter(basis.belief.entries), []
    for entry in basis.job.log:
        judged = next(standing) if entry.is_evidence and not entry.struck_at else None
        if (basis.station and not _touches(basis, entry)) or (evidence and judged is None):
            continue
        found.append((entry, judged))
    attached, out = attachments_of(basis.job), []
    for entry, judged in reversed(found[-most:]):
        links = entry_links_of(basis.job, entry) if judged else []
        said = entry_words(entry, judged, basis.known)
        out.append(LogRow(entry, said, entry.struck_at is not None, attached.get(entry.pk, ()), links))
    return LogPart(out, len(found) - len(out))


def _touches(basis: Basis, entry: Entry) -> bool:
    """Whether a line belongs to the chosen station."""
    if entry.kind == Entry.EntryKind.CHECK:
        return basis.station_of(basis.known.checks[entry.name], entry.variant) == basis.station
    if entry.kind in (Entry.EntryKind.HAZARD, Entry.EntryKind.PATH):
        return True
    if entry.kind == Entry.EntryKind.MISHAP:
        leaves = basis.known.mishaps[entry.name].leaves
        return basis.station in {basis.known.faults[name].station for name in leaves} or not leaves
    if entry.is_evidence:
        cures = basis.known.routes[entry.name].cures
        return basis.station in {basis.known.faults[name].station for name in cures}
    return False
