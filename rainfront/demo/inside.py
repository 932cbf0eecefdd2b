"""What the demo's devices show inside: good boards, probe sheets, a ladder, photos, all from simulated boards."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

from chargepath.standin.board import RING, Board, BoardModel, StandinDiodeMeter
from chargepath.standin.device import StandinDevice
from chargepath.standin.faults import GOOD
from rainfront.demo.picture import draw_board
from rainfront.inside import actions
from rainfront.inside.models import Sheet
from rainfront.jobs.models import Job
from rainfront.people.models import User
from rainfront.reference import models as reference
from rainfront.reference.actions import keep_readings, store_connector
from rainfront.reference.adapters import find_map
from rainfront.workshop.adapters import Shop

# The demo is played by what ships.
KNOWN = Shop.as_shipped().known


def load_references(scenario: dict[str, Any], user: User, now: datetime) -> None:
    """Meters, a board connector, and known-good readings from simulated good boards."""
    meters = {raw["name"]: reference.DiodeMeter.objects.create(**raw) for raw in scenario.get("meter", ())}
    for raw in scenario.get("connector", ()):
        store_connector(KNOWN, **{**raw, "pins": dict(raw["pins"])}, user=user, now=now)
    for raw in scenario.get("good", ()):
        meter = meters[raw["meter"]]
        for k in range(raw["boards"]):
            board = _board(raw, StandinDevice.broken(GOOD, 200 + k))
            taken = (now - timedelta(days=30 * k + 3)).date()
            for map_id, place in raw["sheets"]:
                details = {
                    "model_name": raw["model_name"],
                    "revision": raw["revision"],
                    "map_id": map_id,
                    "place": place,
                    "meter": meter,
                }
                keep_readings(details, _readings(board, map_id, place, meter), user=user, now=now, taken=taken)


def _board(raw: dict[str, Any], device: StandinDevice) -> Board:
    port = find_map(raw.get("port", "usb_c"), KNOWN)
    assert port is not None
    return Board(BoardModel.invent(raw["board"], port), device)


def _readings(
    board: Board, map_id: str, place: str, meter: reference.DiodeMeter, upto: int = 999
) -> list[tuple[str, float]]:
    pins = find_map(map_id, KNOWN)
    assert pins is not None
    used = StandinDiodeMeter(test_ma=meter.test_ma or 1.0)
    asked = [pin for pin in pins.walk() if place != "inside" or map_id != "charge_ring" or pin in RING]
    return [(pin, board.diode(place, pin, pins.pin[pin], used)) for pin in asked[:upto]]


def play_inside(job: Job, raw: dict[str, Any], user: User, at: datetime, device: StandinDevice | None = None) -> None:
    """Sheets, a ladder and photos of one job; the sheets of `device` where the job's is at hand."""
    for step, sheet in enumerate(raw.get("sheets", ())):
        lies = device or StandinDevice.broken(sheet["fault"], sheet["seed"])
        _sheet(job, sheet, lies, user, at + timedelta(minutes=6 * step))
    if "ladder" in raw:
        volts = dict(raw["ladder"])
        amps = volts.pop("amps")
        actions.store_ladder(job, volts, amps, user=user, now=at + timedelta(minutes=20))
    for photo in raw.get("photos", ()):
        made = actions.add_photo(job, draw_board(photo["seed"]), photo["caption"], user=user, now=at)
        for x, y, text, part, how in photo.get("marks", ()):
            actions.add_mark(made, x, y, text, part, how, user=user, now=at + timedelta(minutes=25))


def _sheet(job: Job, raw: dict[str, Any], device: StandinDevice, user: User, at: datetime) -> None:
    meter = reference.DiodeMeter.objects.get(name=raw["meter"])
    details = {
        "map_id": raw["map"],
        "place": raw["place"],
        "mode": Sheet.Mode.DIODE,
        "revision": raw["revision"],
        "meter": meter,
        "good": False,
    }
    sheet = actions.start_sheet(job, details, user=user, now=at)
    board = _board(raw, device)
    for k, (pin, mv) in enumerate(_readings(board, raw["map"], raw["place"], meter, raw.get("upto", 999))):
        actions.store_point(sheet, pin, mv, user=user, now=at + timedelta(seconds=4 * k))
    if raw.get("enter"):
        actions.enter_sheet(Sheet.objects.whole().get(pk=sheet.pk), user=user, now=at + timedelta(minutes=3))
