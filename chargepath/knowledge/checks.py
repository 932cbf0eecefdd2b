"""Checks: what can be looked at or measured (checks.toml)."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field

from chargepath.knowledge.reader import Reader, Table

# How numbers become a grade, in words of the grading room; '' where the person says the grade.
METHODS = ("", "current", "cell", "idle", "volts", "line", "sense")
# What a check is measured with, where that has a page of its own.
TOOLS = ("", "sheet", "ladder", "supply", "sense")
CHECK_KEYS = (
    "word",
    "station",
    "station_on",
    "marks",
    "access",
    "label",
    "place",
    "minutes",
    "wait_minutes",
    "grades",
    "signs",
    "labels",
    "leak",
    "leak_history",
    "variant_field",
    "variants",
    "needs_value",
    "own_effects",
    "open_grade",
    "cut_by",
    "connectors",
    "needs_wireless",
    "void_when",
    "needs_before",
    "cautions",
    "values",
    "reading",
    "graded_by",
    "tool",
    "example",
    "implies",
    "puts",
    "given",
    "unasked",
    "repeats",
    "no_proof",
    "basis",
)


@dataclass(frozen=True)
class Value:
    """A number that a check takes, with the limits of what is physically possible.

    `worked_out` marks one that the program fills in; nobody is asked for it.
    """

    name: str
    unit: str
    min: float
    max: float
    required: bool
    overrange: bool
    worked_out: bool = False


@dataclass(frozen=True)
class Implied:
    """What a value shows besides: from `least` on, `check` has shown `grade`."""

    check: str
    grade: str
    value: str
    least: float


@dataclass(frozen=True)
class Given:
    """Another reading of the same path, whose answer a check partly repeats.

    `key` of the other reading, the grades that are `shared`, and how surely one of them is seen again (`follows`). It
    holds for the first variant of the check.
    """

    key: str
    shared: tuple[str, ...]
    follows: float


@dataclass(frozen=True)
class Check:
    """Something to look at or to measure.

    `word` stands for it in the quick line. A graded check has `grades` from healthy to worst, a look has `signs`;
    never both. `leak` maps grade or sign to its probability on a device with no fault that affects the check,
    `leak_history` overrides it under a history flag. `graded_by` names the arithmetic that grades its numbers, `tool`
    what it is measured with, `example` what may follow its word in the quick line, `implies` what its numbers show
    besides, `puts` what current it puts into the device (keys of `hazards.PUTS`), `given` another reading of the
    same path that it partly repeats; one that is `unasked` is taken when somebody has it to say and never proposed,
    and what it `repeats` was read from nearer by; after a grade of `no_proof` nobody
    proves that the device charges. A grade of `needs_value` is only entered with that number.
    """

    id: str
    word: str
    station: str
    station_on: Mapping[str, str]
    marks: Mapping[str, str]
    access: str
    label: str
    place: str
    minutes: float
    wait_minutes: float
    grades: tuple[str, ...]
    signs: tuple[str, ...]
    labels: Mapping[str, str]
    leak: Mapping[str, float]
    leak_history: Mapping[str, Mapping[str, float]]
    variant_field: str
    variants: tuple[str, ...]
    own_effects: tuple[str, ...]
    open_grade: str
    cut_by: tuple[str, ...]
    connectors: tuple[str, ...]
    needs_wireless: bool
    void_when: tuple[tuple[str, str], ...]
    needs_before: tuple[tuple[str, str], ...]
    cautions: tuple[str, ...]
    values: Mapping[str, Value]
    reading: Mapping[str, float]
    basis: str
    needs_value: Mapping[str, str] = field(default_factory=dict)
    graded_by: str = ""
    tool: str = ""
    example: str = ""
    implies: tuple[Implied, ...] = ()
    puts: tuple[str, ...] = ()
    given: Given | None = None
    unasked: bool = False
    repeats: tuple[str, ...] = ()
    no_proof: tuple[str, ...] = ()

    @property
    def asked(self) -> tuple[str, ...]:
        """Values that a reading in numbers has to give: the required ones, or, where none is, all."""
        return tuple(name for name, value in self.values.items() if value.required) or tuple(self.values)

    def lacking(self, given: Collection[str]) -> list[str]:
        """Values that are still to be given where no grade is said; where none is required, one of them is enough."""
        if any(value.required for value in self.values.values()):
            return [name for name in self.asked if name not in given]
        return [] if given else list(self.asked)

    @property
    def is_look(self) -> bool:
        """Whether the check reports signs rather than one grade."""
        return bool(self.signs)

    @property
    def keys(self) -> tuple[str, ...]:
        """Evidence keys: the id, or ``id@variant`` for each further variant."""
        return (self.id, *(f"{self.id}@{variant}" for variant in self.variants[1:]))

    def fits(self, connector: str, wireless: bool) -> bool:
        """Whether the check makes sense on a device with that connector, with or without a coil."""
        return (not self.connectors or connector in self.connectors) and (wireless or not self.needs_wireless)

    def key(self, variant: str = "") -> str:
        """Evidence key of one variant; the first variant is the plain id."""
        return self.id if not variant or variant == self.variants[0] else f"{self.id}@{variant}"

    def mark_of(self, grade: str, signs: Sequence[str] = ()) -> str:
        """State mark of what it showed: good, off, open or short."""
        if self.is_look:
            return "off" if signs else "good"
        return "good" if grade == self.grades[0] else self.marks.get(grade, "off")

    def name(self, outcome: str) -> str:
        """Label of a grade, sign or variant."""
        return self.labels.get(outcome, outcome)


def _values(read: Reader, table: Table, where: str) -> dict[str, Value]:
    values = {}
    for name, raw in read.table(table, "values", where).items():
        at = f"{where}.values.{name}"
        read.only(raw, at, ("unit", "min", "max", "required", "overrange", "worked_out"))
        values[name] = Value(
            name=name,
            unit=read.text(raw, "unit", at),
            min=read.number(raw, "min", at),
            max=read.number(raw, "max", at),
            required=read.flag(raw, "required", at),
            overrange=read.flag(raw, "overrange", at),
            worked_out=read.flag(raw, "worked_out", at),
        )
    return values


def _one(read: Reader, name: str, table: Table) -> Check:
    where = f"checks.toml [{name}]"
    read.only(table, where, CHECK_KEYS)
    grades, signs = read.texts(table, "grades", where), read.texts(table, "signs", where)
    if bool(grades) == bool(signs):
        read.say(where, "needs either grades or signs")
    leak = read.chances(read.table(table, "leak", where), f"{where}.leak")
    if set(leak) != set(grades + signs):
        read.say(f"{where}.leak", f"must name each of {', '.join(grades + signs)}")
    histories = read.table(table, "leak_history", where)
    overrides = {flag: read.chances(raw, f"{where}.leak_history.{flag}") for flag, raw in histories.items()}
    for flag, chances in {"": leak, **overrides}.items():
        read.known(chances, grades + signs, f"{where}.leak {flag}")
        if grades and abs(sum(chances.values()) - 1) > 1e-9:
            read.say(f"{where}.leak {flag}", f"must add up to 1, not {sum(chances.values()):g}")
    return Check(
        id=name,
        word=read.text(table, "word", where),
        station=read.text(table, "station", where),
        station_on={key: str(name) for key, name in read.table(table, "station_on", where).items()},
        marks={key: str(mark) for key, mark in read.table(table, "marks", where).items()},
        access=read.text(table, "access", where),
        label=read.text(table, "label", where),
        place=read.text(table, "place", where),
        minutes=read.number(table, "minutes", where, high=600),
        wait_minutes=read.number(table, "wait_minutes", where, high=6000, default=0),
        grades=grades,
        signs=signs,
        labels={key: str(text) for key, text in read.table(table, "labels", where).items()},
        leak=leak,
        leak_history=overrides,
        variant_field=read.text(table, "variant_field", where, ""),
        variants=read.texts(table, "variants", where),
        own_effects=read.texts(table, "own_effects", where),
        open_grade=read.text(table, "open_grade", where, ""),
        cut_by=read.texts(table, "cut_by", where),
        connectors=read.texts(table, "connectors", where),
        needs_wireless=read.flag(table, "needs_wireless", where),
        void_when=read.pairs(table, "void_when", where),
        needs_before=read.pairs(table, "needs_before", where),
        cautions=read.texts(table, "cautions", where),
        values=_values(read, table, where),
        reading=read.numbers(read.table(table, "reading", where), f"{where}.reading"),
        needs_value={key: str(name) for key, name in read.table(table, "needs_value", where).items()},
        graded_by=read.text(table, "graded_by", where, ""),
        tool=read.text(table, "tool", where, ""),
        example=read.text(table, "example", where, ""),
        implies=_implied(read, table, where),
        puts=read.texts(table, "puts", where),
        given=_given(read, table, f"{where}.given"),
        unasked=read.flag(table, "unasked", where),
        repeats=read.texts(table, "repeats", where),
        no_proof=read.texts(table, "no_proof", where),
        basis=read.basis(table, where),
    )


def _given(read: Reader, whole: Table, where: str) -> Given | None:
    table = whole.get("given")
    if table is None:
        return None
    read.only(table, where, ("key", "shared", "follows"))
    shared = read.texts(table, "shared", where)
    return Given(read.text(table, "key", where), shared, read.number(table, "follows", where, high=1))


def _implied(read: Reader, table: Table, where: str) -> tuple[Implied, ...]:
    out = []
    for value, raw in read.table(table, "implies", where).items():
        at = f"{where}.implies.{value}"
        read.only(raw, at, ("check", "grade", "least"))
        least = read.number(raw, "least", at)
        out.append(Implied(read.text(raw, "check", at), read.text(raw, "grade", at), value, least))
    return tuple(out)


def read_checks(read: Reader) -> dict[str, Check]:
    """Every check by its id, in the order of the work."""
    return {name: _one(read, name, raw) for name, raw in read.load("checks").items()}
