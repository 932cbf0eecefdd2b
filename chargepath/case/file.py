"""The case file: one JSON object a device, its events in the order in which they happened.

`schema` builds the JSON Schema that ships in ``docs/case-file.schema.json`` from the knowledge, and `parse` checks
against that same schema. Unknown extra keys are kept out but reported, never silently lost.
"""

from __future__ import annotations

import json
import math
from collections.abc import Iterator, Mapping
from functools import cache
from typing import Any
from uuid import UUID, uuid5

from chargepath.base.errors import CaseFileError, ChargepathError
from chargepath.base.quantities import OVERRANGE
from chargepath.case.entries import (
    Case,
    CheckEvent,
    Device,
    Event,
    HazardEvent,
    MishapEvent,
    Outcome,
    PathEvent,
    RepairEvent,
    TryEvent,
)
from chargepath.knowledge import Check, Knowledge

FORMAT, VERSION, READS = "rainfront-case", 3, (1, 2, 3)
KINDS = ("check", "try", "repair", "hazard", "path", "mishap")
MAX_BYTES = 2_000_000
MAX_EVENTS = 500  # as many as a log holds
MOST_WET_HOURS = 100_000
MOST_WORDS = 1000
CASE_ID = "^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$"
# Names the ids of cases that bring none: two files that say the same are copies.
UNNAMED = UUID("5a5e0000-0000-5000-8000-000000000000")


def _one_of(ids: Mapping[str, Any] | tuple[str, ...] | list[str]) -> dict[str, Any]:
    return {"type": "string", "enum": list(ids)}


def _many_of(ids: Mapping[str, Any] | tuple[str, ...] | list[str]) -> dict[str, Any]:
    return {"type": "array", "items": _one_of(ids), "uniqueItems": True}


def _check_schema(check: Check) -> dict[str, Any]:
    """What an event of one check may hold."""
    properties: dict[str, Any] = {}
    if check.variants:
        properties[check.variant_field] = _one_of(check.variants)
    if check.is_look:
        properties["signs"] = _many_of(check.signs)
        return {"properties": properties, "required": ["signs"]}
    properties["grade"] = _one_of(check.grades)
    for name, value in check.values.items():
        number = {"type": "number", "minimum": value.min, "maximum": value.max}
        properties[name] = {"anyOf": [number, {"type": "string", "enum": ["OL"]}]} if value.overrange else number
    required = list(check.asked)
    rule: dict[str, Any] = {"properties": properties}
    if required:
        rule["if"] = {"not": {"required": ["grade"]}}
        rule["then"] = {"required": required}
    else:
        rule["required"] = ["grade"]
    return rule


def schema(known: Knowledge) -> dict[str, Any]:
    """Build the JSON Schema (draft 2020-12) of a case file from the knowledge's ids and limits."""
    works = {"type": "boolean"}
    tryable = [route.id for route in known.routes.values() if route.try_minutes is not None]
    check_rules = [
        {"if": {"properties": {"check": {"const": check.id}}, "required": ["check"]}, "then": _check_schema(check)}
        for check in known.checks.values()
    ]
    event = {
        "type": "object",
        "anyOf": [{"required": [kind]} for kind in KINDS],
        "properties": {
            "check": _one_of(known.checks),
            "try": _one_of(tryable),
            "repair": _one_of(known.routes),
            "hazard": _one_of(known.hazards),
            "mishap": _one_of(known.mishaps),
            "words": {"type": "string", "maxLength": MOST_WORDS},
            "path": {
                "type": "object",
                "additionalProperties": {"type": "number", "minimum": -1e6, "maximum": 1e6},
                "propertyNames": {"enum": list(known.suspicions)},
            },
            "shows": {
                "type": "object",
                "additionalProperties": {"type": "string"},
                "propertyNames": {"enum": [key for check in known.checks.values() for key in check.keys]},
            },
            "overruled": {"type": "string", "maxLength": 200},
            "by": _one_of(("own", "other")),
            "proved": {"type": "boolean"},
            "access": _one_of(known.access),
            "works": works,
        },
        "allOf": [
            {"if": {"required": ["try"]}, "then": {"required": ["works"]}},
            *check_rules,
        ],
    }
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Rainfront case file, version 3 (versions 1 and 2 still read)",
        "type": "object",
        "required": ["format", "version", "device", "events"],
        "properties": {
            "format": {"const": FORMAT},
            "version": {"enum": list(READS)},
            "device": {
                "type": "object",
                "required": ["kind", "connector", "carrier"],
                "properties": {
                    "kind": _one_of(known.kinds),
                    "connector": _one_of(known.connectors),
                    "carrier": _one_of(known.carriers),
                    "wireless": {"type": "boolean"},
                    "value": {"type": "number", "minimum": 0, "maximum": 100000},
                    "traits": _many_of(known.traits),
                },
            },
            "id": {"type": "string", "pattern": CASE_ID},
            "model": {"type": "string", "maxLength": 80},
            "complaint": {"type": "string", "maxLength": 1000},
            "limit": {"type": "number", "minimum": 0, "maximum": 100000},
            "history": _many_of(known.history),
            "wet_hours": {"type": "number", "minimum": 0, "maximum": MOST_WET_HOURS},
            "events": {"type": "array", "maxItems": MAX_EVENTS, "items": event},
            "outcome": {
                "type": "object",
                "required": ["faults", "repairs", "works"],
                "properties": {"faults": _many_of(known.faults), "repairs": _many_of(known.routes), "works": works},
            },
        },
    }


@cache
def _validator(known: Knowledge) -> Any:
    from jsonschema import Draft202012Validator  # Loaded with the first file that is read.

    return Draft202012Validator(schema(known))


TYPES = {"object": "an object", "array": "a list", "string": "a text", "number": "a number", "boolean": "true or false"}


def _say(error: Any) -> ChargepathError:
    """Turn one schema error into what was wrong, where and what is allowed."""
    where, rule = error.json_path, error.validator_value
    found = json.dumps(error.instance, ensure_ascii=False)
    found = found if len(found) <= 60 else found[:57] + "..."
    if error.validator == "required":
        missing = [name for name in rule if name not in error.instance]
        grade = " or grade" if "check" in error.instance and "grade" not in rule and "signs" not in rule else ""
        return ChargepathError(f"{', '.join(missing)} missing", where, f"needs {', '.join(rule)}{grade}")
    if error.validator == "enum":
        return ChargepathError(f"{found} is not known", where, f"allowed: {', '.join(map(str, rule))}")
    if error.validator == "const":
        return ChargepathError(f"is {found}", where, f"allowed: {json.dumps(rule)}")
    if error.validator == "type":
        return ChargepathError(f"is {found}", where, f"allowed: {TYPES.get(rule, rule)}")
    if error.validator in ("minimum", "maximum"):
        limits = error.schema
        return ChargepathError(
            f"{found} is not possible", where, f"allowed: {limits['minimum']:g} to {limits['maximum']:g}"
        )
    if error.validator == "anyOf" and "required" in rule[0]:
        return ChargepathError("is no event", where, f"allowed: an object with one of {', '.join(KINDS)}")
    if error.validator == "anyOf":
        limits = rule[0]
        return ChargepathError(
            f"{found} is not possible", where, f'allowed: {limits["minimum"]:g} to {limits["maximum"]:g}, or "OL"'
        )
    if error.validator == "pattern":
        return ChargepathError(f"is {found}", where, "allowed: an id as this program writes it (32 hexadecimal digits)")
    if error.validator == "uniqueItems":
        return ChargepathError("names something twice", where, "allowed: each once")
    return ChargepathError(str(error.message), where, "see docs/case-file.schema.json")


def _semantic(known: Knowledge, data: dict[str, Any]) -> Iterator[ChargepathError]:
    """Rules that tie an event to the device."""
    device = data["device"]
    for index, event in enumerate(data["events"]):
        kinds = [kind for kind in KINDS if kind in event]
        where = f"$.events[{index}]"
        if len(kinds) > 1:
            yield ChargepathError(
                f"is {' and '.join(kinds)} at once", where, f"allowed: exactly one of {', '.join(KINDS)}"
            )
        if "check" not in event:
            continue
        check = known.checks[event["check"]]
        if check.connectors and device["connector"] not in check.connectors:
            yield ChargepathError(
                f"{check.id} needs a reversible plug", f"{where}.check", f"allowed with {', '.join(check.connectors)}"
            )
        if check.needs_wireless and not device.get("wireless", False):
            yield ChargepathError(
                f"{check.id} needs a device with a coil", f"{where}.check", "allowed where $.device.wireless is true"
            )


def _extras(known: Knowledge, data: dict[str, Any]) -> Iterator[str]:
    """JSON paths that the format gives no meaning to."""
    top = schema(known)["properties"]
    for key in data:
        if key not in top:
            yield f"$.{key}"
    for key in data["device"]:
        if key not in top["device"]["properties"]:
            yield f"$.device.{key}"
    for index, event in enumerate(data["events"]):
        allowed = {*KINDS, "works", "by", "proved", "overruled", "shows", "access", "words"} - {"check"}
        if "check" in event:
            check = known.checks[event["check"]]
            allowed = {"check", "grade", "signs", "access", check.variant_field, *check.values}
        for key in event:
            if key not in allowed:
                yield f"$.events[{index}].{key}"


def _event(known: Knowledge, raw: dict[str, Any]) -> Event:
    if "try" in raw:
        return TryEvent(raw["try"], raw["works"])
    if "path" in raw:
        scores = {key: float(score) for key, score in raw["path"].items()}
        return PathEvent(scores, dict(raw.get("shows", {})), raw.get("access", ""))
    if "hazard" in raw:
        return HazardEvent(raw["hazard"], "overruled" in raw, raw.get("overruled", ""))
    if "mishap" in raw:
        return MishapEvent(raw["mishap"], raw.get("words", ""))
    if "repair" in raw:
        return RepairEvent(raw["repair"], raw.get("works"), raw.get("proved", False), raw.get("by") == "other")
    check = known.checks[raw["check"]]
    values = {name: math.inf if raw[name] == "OL" else float(raw[name]) for name in check.values if name in raw}
    variant = raw.get(check.variant_field, "") if check.variants else ""
    signs = tuple(sign for sign in check.signs if sign in raw.get("signs", ()))
    return CheckEvent(check.id, variant, raw.get("grade", ""), signs, values, access=raw.get("access", ""))


def _normalise(data: Any) -> Any:
    """Accept the other usual spellings of an open reading before the schema looks."""
    if isinstance(data, dict) and isinstance(data.get("events"), list):
        for event in data["events"]:
            if (
                isinstance(event, dict)
                and isinstance(event.get("reading"), str)
                and OVERRANGE.fullmatch(event["reading"])
            ):
                event["reading"] = "OL"
    return data


def _reject_constant(name: str) -> float:
    raise ValueError(f"{name} is not a number in JSON")


def parse(text: str | bytes, known: Knowledge) -> Case:
    """Read a case file.

    Parameters
    ----------
    text : str or bytes
        JSON text (UTF-8 when bytes), at most `MAX_BYTES` long.
    known : Knowledge
        Supplies the ids and limits.

    Raises
    ------
    CaseFileError
        Every problem found, each with its JSON path and what is allowed there.

    """
    if len(text) > MAX_BYTES:
        size = f"{len(text) / 1e6:.1f} MB is too large for a case file"
        raise CaseFileError([ChargepathError(size, "$", f"allowed: up to {MAX_BYTES / 1e6:g} MB")])
    try:
        if isinstance(text, bytes):
            text = text.decode("utf-8-sig")
        data = _normalise(json.loads(text, parse_constant=_reject_constant))
    except (ValueError, RecursionError) as error:
        detail = "nested too deeply" if isinstance(error, RecursionError) else str(error)
        raise CaseFileError([ChargepathError(f"is not JSON ({detail})", "$", "allowed: one JSON object")]) from error
    errors = sorted(_validator(known).iter_errors(data), key=lambda error: [str(part) for part in error.absolute_path])
    found = {str(problem): problem for problem in map(_say, errors[:40])}
    problems = list(found.values()) or list(_semantic(known, data))
    if problems:
        raise CaseFileError(problems)
    device = data["device"]
    default = known.costs.default_value[device["kind"]]
    outcome = data.get("outcome")
    return Case(
        device=Device(
            kind=device["kind"],
            connector=device["connector"],
            carrier=device["carrier"],
            wireless=device.get("wireless", False),
            value=float(device.get("value", default)),
            traits=tuple(trait for trait in known.traits if trait in device.get("traits", ())),
        ),
        history=tuple(flag for flag in known.history if flag in data.get("history", ())),
        events=tuple(_event(known, raw) for raw in data["events"]),
        outcome=Outcome(tuple(outcome["faults"]), tuple(outcome["repairs"]), outcome["works"]) if outcome else None,
        ignored=tuple(_extras(known, data)),
        model=data.get("model", ""),
        complaint=data.get("complaint", ""),
        limit=data.get("limit"),
        id=data.get("id", ""),
        wet_hours=data.get("wet_hours"),
    )


def _plain(value: float) -> float | int | str:
    if math.isinf(value):
        return "OL"
    return int(value) if value == int(value) else round(value, 6)


def dump_event(known: Knowledge, event: Event) -> dict[str, Any]:
    """One event as its JSON object."""
    if isinstance(event, TryEvent):
        return {"try": event.route, "works": event.works}
    if isinstance(event, PathEvent):
        access = {"access": event.access} if event.access else {}
        return {"path": dict(event.scores), "shows": dict(event.shows), **access}
    if isinstance(event, MishapEvent):
        return {"mishap": event.mishap, **({"words": event.words} if event.words else {})}
    if isinstance(event, HazardEvent):
        return {"hazard": event.hazard, **({"overruled": event.why} if event.overruled else {})}
    if isinstance(event, RepairEvent):
        made: dict[str, Any] = {"repair": event.route}
        if event.works is not None:
            made["works"] = event.works
        return {**made, **({"proved": True} if event.proved else {}), **({"by": "other"} if event.other else {})}
    check = known.checks[event.check]
    raw: dict[str, Any] = {"check": event.check}
    if event.variant:
        raw[check.variant_field] = event.variant
    raw.update({name: _plain(value) for name, value in event.values.items()})
    if check.is_look:
        raw["signs"] = list(event.signs)
    elif event.grade:
        raw["grade"] = event.grade
    return raw | ({"access": event.access} if event.access else {})


def case_id(case: Case, known: Knowledge) -> UUID:
    """What a case and every copy of it is known by: its own id, else one made of all that it says."""
    return UUID(case.id) if case.id else uuid5(UNNAMED, json.dumps(dump(case, known), sort_keys=True))


def dump(case: Case, known: Knowledge) -> dict[str, Any]:
    """A case as the JSON object that `parse` reads back to an equal case."""
    told = {"id": case.id, "model": case.model, "complaint": case.complaint, "limit": case.limit}
    traits = {"traits": list(case.device.traits)} if case.device.traits else {}
    data: dict[str, Any] = {
        "format": FORMAT,
        "version": VERSION,
        **{name: value for name, value in told.items() if value not in ("", None)},
        "device": {
            "kind": case.device.kind,
            "connector": case.device.connector,
            "carrier": case.device.carrier,
            "wireless": case.device.wireless,
            "value": _plain(case.device.value),
            **traits,
        },
        "history": list(case.history),
        **({} if case.wet_hours is None else {"wet_hours": _plain(case.wet_hours)}),
        "events": [dump_event(known, event) for event in case.events],
    }
    if case.outcome:
        data["outcome"] = {
            "faults": list(case.outcome.faults),
            "repairs": list(case.outcome.repairs),
            "works": case.outcome.works,
        }
    return data
