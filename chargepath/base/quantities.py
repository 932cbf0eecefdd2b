"""Numbers as people type and meters show them.

Meters differ. An open line is shown as ``OL``, ``0L``, ``---`` or, on old displays, as a lone ``1``; a diode reading as
``512``, ``.512``, ``0,512`` or ``512mV``. Everything is read right or asked about, never guessed silently.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass

from chargepath.base.errors import AmbiguousReadingError, ReadingError


@dataclass(frozen=True)
class MeterStyle:
    """How one meter shows a diode reading.

    Attributes
    ----------
    id : str
        Short name.
    label : str
        What the person chooses by.
    overrange_one : bool
        True where a lone ``1`` on the display means overrange.
    shows_volts : bool or None
        True: diode readings in volts (``.512``); False: in millivolts (``512``); None: not said.

    """

    id: str
    label: str
    overrange_one: bool = False
    shows_volts: bool | None = None


METERS: Mapping[str, MeterStyle] = {
    meter.id: meter
    for meter in (
        MeterStyle("any", "Not said"),
        MeterStyle("volts", "Shows volts, OL when open", shows_volts=True),
        MeterStyle("millivolts", "Shows millivolts, OL when open", shows_volts=False),
        MeterStyle(
            "one_millivolts", "Old display: millivolts, lone 1 when open", overrange_one=True, shows_volts=False
        ),
        MeterStyle("one_volts", "Old display: volts, lone 1 when open", overrange_one=True, shows_volts=True),
    )
}

OVERRANGE = re.compile(r"(?i)[o0]\.?l\.?|-{2,}|open|inf(inity)?|∞")
LONGEST_NUMBER = 24  # characters
# Between thousands people write a point, a comma, an apostrophe or a narrow space, as their region has it.
THOUSANDS = ".,'\u2019 \u00a0\u202f"
GROUPED = re.compile(rf"\d{{1,3}}(?P<mark>[{THOUSANDS}])\d{{3}}(?:(?P=mark)\d{{3}})*(?:(?P<point>[.,])\d*)?")
DIGITS = re.compile(r"\d+(?:[.,]\d*)?|[.,]\d+")
NUMBER = re.compile(
    rf"(?P<sign>[-+]?)(?P<digits>\d(?:[{THOUSANDS}]?\d)*[.,]?|[.,]\d+)\s*"
    r"(?P<unit>(?:[a-zA-ZµΩ%°]+[3³]?)?(?:/[a-z]+)?)"
)
UNITS: Mapping[str, Mapping[str, float]] = {
    "A": {"": 1.0, "A": 1.0, "mA": 1e-3, "uA": 1e-6, "µA": 1e-6},
    "mA": {"": 1.0, "mA": 1.0, "A": 1e3, "uA": 1e-3, "µA": 1e-3},
    "V": {"": 1.0, "V": 1.0, "mV": 1e-3},
    "mV": {"mV": 1.0, "V": 1e3},
    "%": {"": 1.0, "%": 1.0},
    "% or V": {"": 1.0, "%": 1.0, "V": 1.0, "mV": 1e-3},
    "ohm": {
        "": 1.0,
        "ohm": 1.0,
        "mohm": 1e-3,
        "kohm": 1e3,
        "k": 1e3,
        "Ω": 1.0,
        "mΩ": 1e-3,
        "kΩ": 1e3,
        "M": 1e6,
        "MΩ": 1e6,
        "Mohm": 1e6,
    },
    "°C": {"": 1.0, "°C": 1.0, "C": 1.0},
    "m": {"": 1.0, "m": 1.0, "cm": 0.01},
    "mm3": {"": 1.0, "mm3": 1.0, "mm³": 1.0},
    "mm": {"": 1.0, "mm": 1.0, "cm": 10.0},
    "l/min": {"": 1.0, "l/min": 1.0, "l": 1.0},
    "s": {"": 1.0, "s": 1.0, "ms": 1e-3},
    "min": {"": 1.0, "min": 1.0, "m": 1.0, "h": 60.0},
    "mAh": {"": 1.0, "mAh": 1.0, "Ah": 1e3},
    "kPa": {"": 1.0, "kPa": 1.0, "hPa": 0.1, "mbar": 0.1, "Pa": 1e-3, "bar": 100.0},
    "ml": {"": 1.0, "ml": 1.0, "l": 1e3},
    "days": {"": 1.0, "days": 1.0, "day": 1.0, "d": 1.0},
    "": {"": 1.0},
}
DIODE_MAX_V = 3.0


def ungrouped(digits: str, *, counted: bool = False) -> str | None:
    """Digits as they were typed, with a point as decimal mark and nothing between thousands; None where they are none.

    One mark before three last digits, as in ``1.250``, is a decimal mark: meters show such numbers. Where something is
    `counted` or paid it parts thousands, unless it is the decimal mark of texts that are written now.

    Examples
    --------
    >>> ungrouped("1.250,50"), ungrouped("1'250.5"), ungrouped("1.250"), ungrouped("1,25,50")
    ('1250.50', '1250.5', '1.250', None)
    >>> with decimals_with(","):
    ...     ungrouped("1.250", counted=True), ungrouped("1,250", counted=True)
    ('1250', '1.250')

    """
    found = GROUPED.fullmatch(digits)
    if found:
        mark, point = found["mark"], found["point"]
        once = digits.count(mark) == 1
        parts = mark not in ".," or (point and point != mark) or (not point and not once)
        if parts or (counted and not point and mark != decimal_mark()):
            return digits.replace(mark, "").replace(",", ".")
    return digits.replace(",", ".") if DIGITS.fullmatch(digits) else None


def _split(text: str, field: str, counted: bool = False) -> tuple[float, str, str]:
    text = text.strip()
    if len(text) > 4 * LONGEST_NUMBER:
        raise ReadingError(f"{len(text)} characters are no number", field, f"up to {LONGEST_NUMBER} digits")
    found = NUMBER.fullmatch(text)
    digits = ungrouped(found["digits"], counted=counted) if found else None
    if not found or digits is None:
        raise ReadingError(
            f"'{text}' is not a number", field, "type digits with an optional unit, as in 0.02, 0,02 or 20mA"
        )
    value = float(found["sign"] + digits)
    if len(digits) > LONGEST_NUMBER or not math.isfinite(value):
        raise ReadingError(f"{len(digits)} digits are too many", field, f"up to {LONGEST_NUMBER}")
    return value, found["unit"], digits


def parse_quantity(text: str, unit: str, field: str = "", *, counted: bool = False) -> float:
    """Read a number in a base unit.

    Parameters
    ----------
    text : str
        What was typed; a decimal comma and a unit are allowed.
    unit : str
        The unit of the result, one of `UNITS`; '' where the number has none.
    field : str
        Name used in the message.
    counted : bool
        Whether a single mark before three last digits may part thousands, as in a count or an amount.

    Raises
    ------
    ReadingError
        Not a number, or a unit that does not fit.

    """
    value, suffix, _ = _split(text, field, counted or unit == "mAh")
    factor = _factor(suffix, unit)
    if factor is None:
        wanted = ", ".join(name for name in UNITS[unit] if name) or "a number without a unit"
        raise ReadingError(f"'{text}' has the unit {suffix}", field, f"this takes {wanted}")
    return value * factor


def _factor(suffix: str, unit: str) -> float | None:
    """What a number with that unit is multiplied by, small letters or large; None where it does not fit."""
    units = UNITS[unit]
    # 2 MΩ are two million ohms and 2 mΩ two thousandths: a unit with a large M is taken only as it is written.
    alike = {name.lower(): factor for name, factor in units.items() if not name.startswith("M")}
    return units[suffix] if suffix in units else alike.get(suffix.lower())


def parse_diode(text: str, meter: MeterStyle = METERS["any"], field: str = "reading") -> float:
    """Read a diode-mode reading.

    Parameters
    ----------
    text : str
        What the display shows.
    meter : Meter
        How the chosen meter shows things.
    field : str
        Name used in the message.

    Returns
    -------
    float
        Millivolts; ``inf`` for overrange (an open line).

    Raises
    ------
    AmbiguousReadingError
        Two readings are possible; `choices` holds spellings that are not ambiguous.
    ReadingError
        Not a reading at all, or outside what diode mode can show (0 to 3000 mV).

    """
    text = text.strip()
    if OVERRANGE.fullmatch(text):
        return math.inf
    value, suffix, digits = _split(text, field)
    factor = _factor(suffix, "mV")
    if suffix and factor is None:
        raise ReadingError(f"'{text}' has the unit {suffix}", field, "a diode reading is in mV or V, or OL")
    if value < 0:
        raise ReadingError(f"'{text}' is negative", field, "swap the probes: red on ground, black on the line")
    if factor is not None:
        millivolts = value * factor
    else:
        millivolts = _bare(text, value, digits, meter, field)
    if math.isfinite(millivolts) and millivolts > DIODE_MAX_V * 1000:
        raise ReadingError(f"'{text}' is more than diode mode can show", field, "expected 0 to 3000 mV, or OL")
    return millivolts


def _bare(text: str, value: float, digits: str, meter: MeterStyle, field: str) -> float:
    """Millivolts of a number without a unit. No meter shows whole volts without a point, except the 1 of overrange."""
    point = "." in digits
    if digits.rstrip(".") == "1":
        if meter.overrange_one:
            return math.inf
        if meter.shows_volts is None:
            raise AmbiguousReadingError(
                f"'{text}' alone can be an old display's overrange, 1 V or 1 mV",
                field,
                "type OL, 1.0V or 1mV, or choose your meter",
                ("OL", "1.0V", "1mV"),
            )
    if value == 0:
        return 0.0
    if point and value <= DIODE_MAX_V:
        if meter.shows_volts is False:
            raise AmbiguousReadingError(
                f"'{text}' looks like volts, your meter shows millivolts",
                field,
                f"type {value:g}V or {value:g}mV",
                (f"{value:g}V", f"{value:g}mV"),
            )
        return value * 1000
    if point and value < 50:
        raise AmbiguousReadingError(
            f"'{text}' can be volts or millivolts",
            field,
            f"type {value:g}mV or, if it was volts, check the point",
            (f"{value:g}mV",),
        )
    if not point and value <= DIODE_MAX_V and meter.shows_volts:
        raise AmbiguousReadingError(
            f"'{text}' can be {value:g} mV (a short) or {value:g} V",
            field,
            f"type {value:g}mV or {value:g}V",
            (f"{value:g}mV", f"{value:g}V"),
        )
    return value


_MARK: ContextVar[str] = ContextVar("decimal mark", default=".")


def typed(word: str) -> str:
    """An id as a person types and reads it, with hyphens: `swap-carrier`."""
    return word.replace("_", "-")


def decimal_mark() -> str:
    """The decimal mark of texts that are written now; a point unless `decimals_with` says otherwise."""
    return _MARK.get()


@contextmanager
def decimals_with(mark: str) -> Iterator[None]:
    """Write numbers in texts with this decimal mark inside the block; a cached text is cached by its mark."""
    token = _MARK.set(mark)
    try:
        yield
    finally:
        _MARK.reset(token)


def set_decimal_mark(mark: str) -> None:
    """Write numbers in texts with this decimal mark from here on, inside a block of `decimals_with`."""
    _MARK.set(mark)


def figure(value: float, digits: int, *, sign: bool = False) -> str:
    r"""A number with so many digits after its decimal mark.

    Examples
    --------
    >>> with decimals_with(","):
    ...     figure(1.26, 1), figure(0.5, 2, sign=True), show(1.27, "A")
    ('1,3', '+0,50', '1,27\xa0A')

    """
    return f"{value:{'+' if sign else ''}.{digits}f}".replace(".", _MARK.get())


def shortest(value: float) -> str:
    """A number with as few digits as it needs, with the decimal mark of now."""
    return f"{value:g}".replace(".", _MARK.get())


def show(value: float, unit: str) -> str:
    """Show a number with its unit; `inf` is OL (a no-break space before the unit)."""
    if math.isinf(value):
        return "OL"
    digits = {"A": 2, "V": 2, "mV": 0, "%": 0, "°C": 0, "min": 0, "mAh": 0, "ml": 0}.get(unit, 2)
    if unit == "ohm":
        size, named = next(((1 / factor, name) for factor, name in OHMS if abs(value) >= factor), (1e3, "mΩ"))
        return f"{shortest(float(f'{value * size:.3g}'))}\u00a0{named}"
    if unit == "A" and 0 < abs(value) < 0.1:
        return f"{figure(value * 1000, 1 if abs(value) < 0.01 else 0)}\u00a0mA"
    return f"{figure(value, digits)}\u00a0{unit}"


# From how many ohms on a resistance is shown in which unit.
OHMS = ((1e6, "MΩ"), (1e3, "kΩ"), (1.0, "Ω"))
MILLIVOLTS = re.compile(r"(?P<first>\d+(?:[.,]\d+)?)(?: to (?P<last>\d+(?:[.,]\d+)?))?[\u00a0 ]mV")


def as_shown_by(text: str, meter: MeterStyle) -> str:
    """Put millivolts and overrange in a text as a meter's own display shows them: .512 V, a lone 1."""

    def volts(found: re.Match[str]) -> str:
        ends = [figure(float(end.replace(",", ".")) / 1000, 3) for end in found.groups() if end]
        return " to ".join(ends) + "\u00a0V"

    if meter.shows_volts:
        text = MILLIVOLTS.sub(volts, text)
    return re.sub(r"\bOL\b", "1", text) if meter.overrange_one else text
