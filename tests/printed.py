"""Plans of work printed as texts, as they are kept in `tests/data/plans`: a change of the data is a difference there.

`python -m tests.printed` writes them anew; whoever does reads the difference aloud, as the person at the bench would,
before it lands.
"""

from __future__ import annotations

import textwrap
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path

from chargepath.case.entries import Device
from chargepath.knowledge import Knowledge
from chargepath.knowledge.loader import shipped
from chargepath.repair.workplan import PHASES, make_plan

FOLDER = Path(__file__).parent / "data" / "plans"


@dataclass(frozen=True, kw_only=True)
class Printed:
    """One plan: the device, what is done to it, how far it is open, what was picked, which dangers stand."""

    device: Device
    route: str
    reached: str = "outside"
    picks: Mapping[str, str] = field(default_factory=dict)
    dangers: tuple[str, ...] = ()


def _of(kind: str, connector: str, carrier: str, *traits: str, route: str, **more: object) -> Printed:
    return Printed(device=Device(kind, connector, carrier, traits=traits), route=route, **more)  # type: ignore[arg-type]


PLANS: Mapping[str, Printed] = {
    "01 phone, port cleaned": _of("phone", "usb_c", "sub_board", route="clean_port"),
    "02 phone, sub-board swapped": _of("phone", "usb_c", "sub_board", "sealed", route="swap_carrier"),
    "03 phone, bare port replaced": _of("phone", "usb_c", "none", route="replace_port"),
    "04 phone, port with pins under its shell": _of(
        "phone", "usb_c", "none", "hidden_pins", "port_bracket", route="replace_port"
    ),
    "05 phone, port beside plastic, pins hidden": _of(
        "phone", "usb_c", "none", "hidden_pins", "plastic_near_port", route="replace_port"
    ),
    "06 phone, port replaced in its frame by iron": _of(
        "phone", "micro_b", "none", route="replace_port", picks={"place": "frame", "removal": "iron", "pads": "left"}
    ),
    "07 tablet, port on a flex replaced": _of("tablet", "usb_c", "flex", route="replace_port"),
    "08 phone, port resoldered": _of("phone", "usb_c", "none", route="resolder_port"),
    "09 phone, port of a sub-board resoldered": _of("phone", "usb_c", "sub_board", route="resolder_port"),
    "10 phone, lost pad bridged": _of("phone", "usb_c", "none", route="bridge_pad"),
    "11 phone, bridge on a sub-board cleared": _of("phone", "usb_c", "sub_board", route="clear_bridge"),
    "12 phone, battery swapped": _of("phone", "usb_c", "sub_board", "battery_glued", route="swap_battery"),
    "13 phone, swollen battery": _of(
        "phone", "usb_c", "sub_board", "battery_glued", route="swap_battery", dangers=("cell_swollen",)
    ),
    "14 tablet, battery swapped": _of("tablet", "usb_c", "sub_board", "battery_glued", route="swap_battery"),
    "15 phone, board cleaned in a bath": _of(
        "phone", "usb_c", "sub_board", route="clean_board", picks={"bath": "bath"}, dangers=("wet",)
    ),
    "16 phone, board brushed": _of("phone", "usb_c", "none", route="clean_board", picks={"bath": "brush"}),
    "17 phone, input protection": _of("phone", "usb_c", "none", "coil_over_board", route="replace_guard"),
    "18 phone, shorted rail": _of("phone", "usb_c", "none", "board_glued", route="repair_rail"),
    "19 phone, port IC, shield clipped": _of("phone", "usb_c", "none", "shields_clipped", route="replace_port_ic"),
    "20 phone, charging IC, stacked board": _of(
        "phone", "usb_c", "none", "stacked_board", "shields_soldered", route="replace_charge_ic"
    ),
    "21 phone, boards joined again": _of("phone", "usb_c", "none", "stacked_board", route="rejoin_board"),
    "22 tablet, battery data line": _of("tablet", "usb_c", "none", route="repair_sense"),
    "23 phone, link flex renewed": _of("phone", "usb_c", "sub_board", "flex_in_way", route="replace_link"),
    "24 phone, charger left on": _of("phone", "usb_c", "sub_board", route="leave_on_charge"),
    "25 phone, port replaced lead-free": _of(
        "phone",
        "usb_c",
        "none",
        route="replace_port",
        picks={"alloy": "lead_free", "removal": "iron", "seating": "iron"},
    ),
    "26 phone, charging IC under resin": _of("phone", "usb_c", "none", "underfill", route="replace_charge_ic"),
    "27 phone, port kept, paste and iron twice": _of(
        "phone",
        "usb_c",
        "none",
        "clip_back",
        route="resolder_port",
        picks={"reflow": "paste_iron", "last_pass": "air", "opening": "clip_lever"},
    ),
    "28 phone, port kept, hot air from below": _of(
        "phone",
        "usb_c",
        "none",
        "hidden_pins",
        route="resolder_port",
        picks={"reflow": "below_paste", "opening": "card_stop", "glue_off": "while_warm"},
    ),
    "29 phone, port kept, plate from below": _of(
        "phone", "usb_c", "none", route="resolder_port", picks={"reflow": "plate_paste", "opening": "warm_bag"}
    ),
    "30 phone, display glued, board glued in, boards brushed": _of(
        "phone",
        "usb_c",
        "none",
        "display_first",
        "display_glued",
        "board_glued",
        route="clean_board",
        picks={"opening": "screen_clamp", "board_glue": "warmed", "drying": "overnight", "seal": "layers"},
    ),
    "31 phone, charging IC between the layers, a pad lost": _of(
        "phone",
        "usb_c",
        "none",
        "stacked_board",
        "chip_between",
        route="replace_charge_ic",
        picks={"chip_pads": "low_melt", "lost_pad": "wire", "opening": "plate_solvent"},
    ),
    "32 phone, part of the charge ring in its frame": _of(
        "phone",
        "usb_c",
        "none",
        route="replace_charge_part",
        picks={"place": "frame", "small_part": "low_melt", "opening": "cups"},
    ),
    "33 phone, port replaced, contacts tinned, hot air": _of(
        "phone",
        "usb_c",
        "none",
        "display_first",
        "display_glued",
        route="replace_port",
        picks={"contacts": "tinned", "seating": "air", "opening": "screen_cup", "seal": "cut"},
    ),
    "34 phone, port IC, pads under hot air, chip balled again": _of(
        "phone",
        "usb_c",
        "none",
        "shields_clipped",
        route="replace_port_ic",
        picks={"chip_pads": "air_wick", "balls": "reball"},
    ),
    "36 phone, battery with soldered leads swapped": _of(
        "phone", "usb_c", "sub_board", "battery_glued", "cell_soldered", route="swap_battery"
    ),
    "35 phone, port kept, hot air from above": _of(
        "phone", "usb_c", "sub_board", route="resolder_port", picks={"reflow": "air_kept"}
    ),
}


def printed(known: Knowledge, name: str) -> str:
    """The text of one plan: every step as it is read at the bench."""
    asked = PLANS[name]
    known = known.worded(asked.device.carrier)
    plan = make_plan(known, asked.device, asked.route, asked.reached, picks=asked.picks, dangers=asked.dangers)
    return "\n".join([name, *_head(known, asked), *_steps(known, plan), ""])


def _head(known: Knowledge, asked: Printed) -> Iterator[str]:
    device = asked.device
    yield f"{known.routes[asked.route].label}. {device.kind}, {device.connector}, {device.carrier}" + "".join(
        f", {known.traits[name].label.lower()}" for name in device.traits
    )
    for danger in asked.dangers:
        yield f"Danger: {known.hazards[danger].label}"


def _steps(known: Knowledge, plan: object) -> Iterator[str]:
    phase, work = "", known.procedures
    for number, row in enumerate(plan.steps, 1):  # type: ignore[attr-defined]
        step = row.step
        if row.phase != phase:
            phase = row.phase
            yield from ("", PHASES[phase].upper())
        wait = f" + wait {step.wait:g}" if step.wait else ""
        yield from textwrap.wrap(f"{number}. {step.do} [{step.minutes:g}{wait} min]", 110, subsequent_indent="   ")
        figures = [
            f"{work.settings[name].label} {value:g} {work.unit_of(step, name)}" for name, value in step.settings.items()
        ]
        rows = (
            ("set", figures),
            ("take", [*step.tools, *step.materials]),
            ("care", [known.cautions[name].label for name in step.cautions]),
            ("look", [step.check] if step.check else []),
            ("if not", [step.fails] if step.fails else []),
            ("enter", [known.checks[step.record].label] if step.record else []),
            ("screws", [step.screws] if step.screws else []),
        )
        for label, texts in rows:
            if texts:
                yield from textwrap.wrap(
                    f"{label}: {', '.join(texts)}", 110, initial_indent="   ", subsequent_indent="      "
                )


def path_of(name: str) -> Path:
    """Where a plan's text is kept."""
    return FOLDER / f"{name.replace(',', '').replace(' ', '_')}.txt"


def main() -> None:
    """Write every plan anew."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    for name in PLANS:
        path_of(name).write_text(printed(shipped(), name), encoding="utf-8")


if __name__ == "__main__":
    main()
