"""From rows to the computation."""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache

from chargepath.knowledge import Knowledge
from chargepath.repair.heat import Setting
from chargepath.repair.station import Fit, Melt, fit
from rainfront.heat.models import HotAir, Melted

# A station is fitted to its newest melts: older ones were another nozzle, another heater.
NEWEST = 24


def melt_of(row: Melted, known: Knowledge) -> Melt | None:
    """A melt as the fit takes it; None where what was melted is not in the tables any more."""
    target = known.heat.targets.get(row.target)
    if target is None or row.alloy not in known.heat.alloys:
        return None
    setting = Setting(
        tool="below" if row.below else "above",
        set_c=row.set_c,
        flow_l_min=row.flow_l_min,
        nozzle_mm=row.nozzle_mm,
        distance_mm=row.distance_mm,
        plate_c=row.plate_c,
        room_c=row.room_c,
    )
    return Melt(target, row.alloy, setting, row.seconds)


@lru_cache(maxsize=16)
def _fitted(melts: tuple[Melt, ...], known: Knowledge) -> Fit:
    return fit(melts, known.heat)


def fit_of(rows: Iterable[Melted], known: Knowledge) -> Fit:
    """A station's fit; reckoned once for the same melts."""
    found = [melt for row in rows if (melt := melt_of(row, known)) is not None]
    return _fitted(tuple(found[-NEWEST:]), known)


def fit_for(station: HotAir | None, known: Knowledge) -> Fit | None:
    """The fit of a station, None without one or before its first melt."""
    rows = list(Melted.objects.of(station.pk)) if station else []
    return fit_of(rows, known) if rows else None
