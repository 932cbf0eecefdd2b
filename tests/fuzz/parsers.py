"""Every parser of the core on hostile input: a result or an error with words, soon, and nothing that is no number."""

from __future__ import annotations

import json
import math
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

from chargepath.base.errors import ChargepathError
from chargepath.base.quantities import METERS, parse_diode, parse_quantity
from chargepath.case.file import dump, parse
from chargepath.case.quickline import complete, parse_line
from chargepath.electrical.goodfile import COLUMNS, read_good
from chargepath.grading.expect import Conditions
from chargepath.instrument.profile import shipped_profiles
from chargepath.knowledge.loader import shipped
from chargepath.trace.table import decode, look, read
from chargepath.trace.verdict import judge_trace
from rainfront.people.actions import _require_name
from rainfront.reference.adapters import find_map
from rainfront.stock.actions import names_of
from rainfront.web.secrets import hide_code, refuse_unlock_code
from tests.builders import device
from tests.fuzz.words import Source

DATA = Path(__file__).parents[1] / "data"
# What takes longer hangs [s]: an expression that goes back over a megabyte takes minutes. It is no figure of speed, so
# that a busy machine fails nothing; `make bench` has the speeds.
LONGEST_S = 30.0
CASE = (DATA / "hostile.case.json").read_text(encoding="utf-8")
MEASURES = ("A", "V", "%", "mV", "ohm", "min", "mm", "")


def _record(source: Source) -> None:
    raw = source.table().encode(source.draw.choice(("utf-8", "utf-16", "latin-1")), "replace")
    text = decode(raw)
    reading = read(text, look(text, source.draw.choice((None, True, False))))
    trace = reading.trace
    if not (np.isfinite(trace.seconds).all() and np.isfinite(trace.amps).all()):
        raise AssertionError("a trace holds what is no number")
    if not math.isfinite(trace.duration) or trace.duration > 1e7:
        raise AssertionError(f"a record of {trace.duration:g} s")
    trace.pieces()
    judge_trace(shipped(), trace, Conditions("brick_5v2a", 20.0))


def _case(source: Source) -> None:
    known = shipped()
    sample = json.loads(CASE)
    text = json.dumps(source.json_of(sample))
    text = source.bent(text) if source.draw.random() < 0.5 else text
    json.dumps(dump(parse(text, known), known), allow_nan=False).encode()


def _good(source: Source) -> None:
    known = shipped()
    rows = [",".join(COLUMNS), "Tarn 4,,usb_c,contact,A4,m,380,2026-01-02", ",".join(source.word() for _ in COLUMNS)]
    meters = {"m": METERS["any"]}
    read_good(source.bent("\n".join(rows)), lambda name: find_map(name, known), ("contact", "board"), meters)


def _sample(source: Source) -> None:
    line = source.bent(json.dumps({"t": source.leaf(), "v": source.leaf(), "a": 0.5}, allow_nan=True))
    if any(map(math.isnan, shipped_profiles()["json_lines"].read(line).values())):
        raise AssertionError("a sample that is no number")


def _probe(source: Source) -> None:
    line = source.bent(json.dumps({"t": source.leaf(), "mv": source.leaf()}, allow_nan=True))
    found = shipped_profiles()["json_multimeter"].read(line).get("diode")
    if found is not None and math.isnan(found):
        raise AssertionError("a reading that is no number")


def _number(source: Source) -> None:
    text = source.line() if source.draw.random() < 0.3 else source.word()
    made = parse_quantity(text, source.draw.choice(MEASURES), "field")
    if not math.isfinite(made):
        raise AssertionError("a quantity that is no number")


PARSERS: dict[str, Callable[[Source], object]] = {
    "quick line": lambda source: parse_line(source.line(), shipped(), device()),
    "completions": lambda source: complete(source.line(), shipped(), device()),
    "number": _number,
    "diode reading": lambda source: parse_diode(source.word(), source.draw.choice(list(METERS.values())), "reading"),
    "record": _record,
    "case file": _case,
    "references": _good,
    "sample": _sample,
    "probe": _probe,
    "unlock code": lambda source: refuse_unlock_code(source.line() * source.draw.choice((1, 1, 40)), "note"),
    "hidden code": lambda source: hide_code(source.line()),
    "names of models": lambda source: names_of(source.line()),
    "name to sign in": lambda source: _require_name(source.word()),
}


def run(seed: int, count: int) -> list[str]:
    """Feed the parsers `count` inputs; what went wrong, with the seed that brings it back."""
    wrong, names = [], list(PARSERS)
    for number in range(count):
        source, name = Source(seed + number), names[number % len(names)]
        begun = time.perf_counter()
        try:
            PARSERS[name](source)
        except ChargepathError as error:
            if not str(error).strip():
                wrong.append(f"{name}, seed {seed + number}: refused without a word")
        except Exception as error:
            wrong.append(f"{name}, seed {seed + number}: {type(error).__name__}: {str(error)[:200]}")
        took = time.perf_counter() - begun
        if took > LONGEST_S:
            wrong.append(f"{name}, seed {seed + number}: took {took:.1f} s")
    return wrong
