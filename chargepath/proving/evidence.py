"""What a decided proof tells the belief: each item as the check that it is."""

from __future__ import annotations

from chargepath.case.entries import CheckEvent, Device, HazardEvent
from chargepath.knowledge import Knowledge
from chargepath.proving.verdict import ItemMark, ProofResult, Readings

# Items that a proof's verdict on the repair stands for; the others are evidence of their own.
CORE = ("current", "flip", "wiggle", "rise")


def proof_events(
    known: Knowledge, device: Device, result: ProofResult, readings: Readings
) -> tuple[CheckEvent | HazardEvent, ...]:
    """What a decided proof has shown, as the checks that it is.

    After one that passed, only what its verdict does not stand for already; an item that was left out says nothing.
    Percentages that did not rise are only told where they lie as far apart as `charge_wait` asks for.
    """
    found: list[CheckEvent | HazardEvent] = []
    for mark in result.items:
        if mark.shown in mark.item.hazards:
            found.append(HazardEvent(mark.item.hazards[mark.shown]))
        if not mark.shown or not mark.item.check or (result.works and mark.item.id in CORE):
            continue
        event = _event(known, device, mark, readings)
        if event is not None and not any(isinstance(one, CheckEvent) and _same(one, event) for one in found):
            found.append(event)
    return tuple(found)


def _same(one: CheckEvent, other: CheckEvent) -> bool:
    return (one.check, one.variant) == (other.check, other.variant)


def _event(known: Knowledge, device: Device, mark: ItemMark, readings: Readings) -> CheckEvent | None:
    item, numbers = mark.item, readings.numbers
    if item.signs:
        return CheckEvent(
            item.check, item.variant, signs=tuple(sign for sign in item.signs if sign in mark.shown.split("+"))
        )
    if item.answers:
        grade = item.grades.get(mark.shown, "")
        return CheckEvent(item.check, item.variant, grade) if grade else None
    if item.judged == "own" and mark.met:
        # Held against the shop's charger, not against what is expected: one verdict on one reading.
        return CheckEvent("charger_current", item.variant, "normal")
    if item.judged in ("current", "own"):
        name = "amps" if item.judged == "current" else "amps_own"
        values = {"amps": numbers[name], "volts": numbers.get("volts", known.connectors[device.connector].source_volts)}
        if "percent_first" in numbers:
            values["battery_percent"] = numbers["percent_first"]
        return CheckEvent("charger_current", item.variant, values=values)
    if item.judged == "idle":
        return CheckEvent(item.check, values={"amps": numbers["idle_amps"]})
    if item.judged == "off":
        return CheckEvent(item.check, grade="higher" if mark.shown == "higher" else "same")
    if item.judged == "cell":
        return CheckEvent(item.check, grade="erratic" if mark.shown == "odd" else "plausible")
    if item.judged == "rise":
        if mark.shown == "odd":
            return CheckEvent("battery_report", grade="erratic")
        late = numbers["minutes_between"] >= known.checks["charge_wait"].wait_minutes
        rises = mark.shown == "rises"
        return CheckEvent(item.check, grade="rises" if rises else "no_rise") if rises or late else None
    return CheckEvent(item.check, grade=mark.shown)
