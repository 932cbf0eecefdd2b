"""Taking a sheet's reading from the multimeter on the bench."""

from __future__ import annotations

from chargepath.base.errors import ReadingError
from rainfront.inside.models import Sheet
from rainfront.instruments.asking import Taken, steady_from
from rainfront.instruments.models import BenchInstrument
from rainfront.instruments.profiles import profile_called

# What a sheet in each mode measures.
QUANTITY = {"diode": "diode", "volts": "volts", "ohms": "ohms"}


def live_meter(sheet: Sheet) -> BenchInstrument | None:
    """The instrument that a sheet's meter is, if it is read and measures what the sheet asks for."""
    found = BenchInstrument.objects.of_sheet_meter(sheet.meter_id)
    measured = profile_called(found.profile).measured if found is not None else {}
    return found if QUANTITY[sheet.mode] in measured else None


def steady_reading(sheet: Sheet, touch: dict[str, str] | None = None, *, first: bool = True) -> Taken:
    """Wait for a reading of the sheet's meter that stands still, in the unit of the sheet's mode.

    `touch` is what a simulated meter is to put its probe on; `first` is False where the probe has to be lifted before.

    Raises
    ------
    ReadingError
        The meter is none that is read, is in trouble, or nothing stood still in time.

    """
    meter = live_meter(sheet)
    if meter is None:
        name = str(sheet.meter) if sheet.meter else "the sheet's meter"
        raise ReadingError(f"{name} is not read", "meter", "set it up on the page Instruments, or type the reading")
    return steady_from(meter, QUANTITY[sheet.mode], touch, first=first)
