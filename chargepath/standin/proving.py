"""What a whole simulated device shows when it is proved, with a fault or a slip of the hand still in it.

Frequencies are invented here, apart from the knowledge, as those of `whole` and `answers` are.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from chargepath.standin.answers import _report, answer
from chargepath.standin.device import StandinDevice

# How often a plug that is leant once shows the looseness of a device that drops out whenever it is moved; leans of one
# way round at each item.
LEANS = {"wiggle": 8, "flip": 4, "replug": 6}
# What a slip shows, and how often; 'none' is a dead thing, by the items of a proof.
SLIPS: Mapping[str, Mapping[str, tuple[tuple[str, float], ...]]] = {
    "coil_unplugged": {"pad": (("none", 1.0),)},
    "film_on": {"microphone": (("muffled", 0.9), ("none", 0.1))},
    "gasket_left": {"microphone": (("muffled", 0.6),), "speaker": (("rattles", 0.6),)},
    "connector_half": {
        "current": (("none", 0.45), ("trickle", 0.2), ("low", 0.3)),
        "computer": (("silent", 0.75),),
        "drop": (("lost", 0.6),),
        "microphone": (("none", 0.25),),
    },
    "bridge": {
        "current": (("none", 0.4), ("trickle", 0.45)),
        "computer": (("silent", 0.9),),
        "heat": (("hot_board", 0.4),),
    },
    "pin_dry": {"flip": (("one_side", 0.8),), "computer": (("silent", 0.4),), "wiggle": (("drops", 0.3),)},
    "anchor_dry": {"wiggle": (("drops", 0.9),), "clicks": (("loose", 0.6),)},
    "residue_in_port": {"clicks": (("pops_out", 0.7), ("loose", 0.25)), "wiggle": (("drops", 0.3),)},
    "cell_isolated": {"start": (("dead", 0.8), ("restarts", 0.2))},
    "cell_half": {"start": (("restarts", 0.65), ("dead", 0.3)), "cell": (("odd", 0.4),)},
    "sense_part_lost": {"cell": (("odd", 0.8),), "current": (("trickle", 0.55), ("low", 0.3))},
    "screw_wrong": {"display": (("part", 0.6), ("dead", 0.3)), "start": (("restarts", 0.15),)},
    "display_flex": {"display": (("dead", 0.8), ("part", 0.2))},
    "keys_flex": {"keys": (("dead", 1.0),)},
    "finger_flex": {"fingerprint": (("dead", 1.0),)},
    "speaker_contact": {"speaker": (("none", 1.0),)},
    "haptic_contact": {"haptics": (("none", 1.0),)},
    "camera_flex": {"camera": (("none", 1.0),)},
    "lens_dust": {"camera": (("spots", 1.0),)},
    "aerial_off": {"aerial": (("weak", 0.6), ("none", 0.4))},
    "wet_under": {"idle": (("leaks", 0.9), ("heavy", 0.1)), "heat": (("hot_board", 0.2),)},
}
# How much of a worn cell's readings give it away: stuck, jumped, or neither within the minutes of a proof.
STUCK, JUMPED = 0.45, 0.4


@dataclass
class Proved:
    """A whole device on the bench to be proved, after its repair.

    Attributes
    ----------
    whole : StandinDevice
    slip : str
        A slip that was made, '' for none.

    """

    whole: StandinDevice
    slip: str = ""
    _numbers: dict[str, float] = field(default_factory=dict)

    def show(self, item: str, values: tuple[str, ...]) -> tuple[dict[str, float], str]:
        """Read an item: its values, or its answer.

        Parameters
        ----------
        item : str
            Id of the item.
        values : tuple of str
            Names of its values, empty where it is answered.

        """
        slipped = self._slipped(item)
        if values:
            return self._read(item, slipped), ""
        return {}, slipped or _ANSWERS.get(item, _good)(self.whole)

    def _slipped(self, item: str) -> str:
        roll = float(self.whole.rng.random())
        for shown, chance in SLIPS.get(self.slip, {}).get(item, ()):
            if roll < chance:
                return shown
            roll -= chance
        return ""

    def _read(self, item: str, slipped: str) -> dict[str, float]:
        w, amps = self.whole, self.whole.amps()
        noise = float(w.rng.normal(1, 0.01))
        if item == "current":
            amps = {"none": 0.0, "trickle": 0.08, "low": 0.4}.get(slipped, amps)
            self._numbers |= {"amps": max(amps * noise, 0.0), "volts": 5.05}
            return {name: self._numbers[name] for name in ("amps", "volts")}
        if item == "percent":
            self._numbers["percent_first"] = round(max(w.percent, 1.0))
            return dict(self._numbers)
        amps = self._numbers.get("amps", amps)
        if item == "flip":
            off = slipped == "one_side" or w.one_way()
            return {"amps_flipped": 0.0 if off else amps * noise}
        if item == "own":
            return {"amps_own": min(w.amps(shop=False), amps) * noise}
        if item == "off":
            asked = w.amps({"software_state"}) if "software_state" in w.faults and w.starts() else amps
            return {"amps_off": asked * noise}
        if item == "fast":
            plain = w.faults & {"port_ic_fault", "ic_unpaired", "torn_pad", "solder_bridge"} or slipped
            boost = 1.0 if plain else 1.6 * 5 / 9
            return {"amps_fast": amps * boost * noise, "volts_fast": 5.1 if plain else 9.0}
        if item == "drop":
            drawn = min(amps, w.feed().able) if w.feed().able else 0.0
            lost = 0.7 if slipped else w.feed().volts("port", drawn) - w.feed().volts("guard", drawn)
            return {"plug_volts": 5.0, "input_volts": max(5.0 - lost - 0.03, 0.0)}
        if item == "idle":
            grade = slipped or answer(w, "supply_idle")[0]
            return {"idle_amps": {"quiet": 0.004, "leaks": 0.05, "heavy": 0.5}[grade] * noise}
        if item == "cell":
            odd = slipped == "odd" or _report(w, "") == "erratic"
            wrong = 0.45 if w.percent < 50 else -0.45
            return {"cell_volts": w.cell.rest() + (wrong if odd else 0.0), "cell_percent": w.percent}
        return self._rise(amps)

    def _rise(self, amps: float) -> dict[str, float]:
        """Ten minutes on the charger, the charge by the meter, and what the gauge makes of it."""
        w = self.whole
        charge = max(amps, 0.0) * 1000 * 10 / 60
        starved = "liquid_damage" in w.faults and w.parts.water_hits == "charge"
        gained = (0.3 if starved else 1.0) * 85 * charge / (w.cell.capacity_ah * 1000)
        if ("battery_worn" in w.faults and w.parts.report_odd) or "gauge_wrong" in w.faults:
            roll = w.rng.random()
            gained = 0.0 if roll < STUCK else gained * 4 + 8 if roll < STUCK + JUMPED else gained
        first = self._numbers.get("percent_first", 1.0)
        return {
            "percent_second": float(min(max(round(first + gained), 0), 100)),
            "minutes_between": 10.0,
            "charge_mah": charge,
        }


def _good(w: StandinDevice) -> str:
    return _FIRST


_FIRST = "good"


def _leans(w: StandinDevice, times: int) -> bool:
    """Whether one of so many leans makes the charge drop out."""
    return any(w.drops() for _ in range(times)) or bool(w.rng.random() < 0.002 * times)


def _start(w: StandinDevice) -> str:
    return "starts" if w.starts() and not w.flat and not w.dark() else "dead"


def _hot(w: StandinDevice) -> str:
    inner = w.faults & {"charge_ic_leak", "rail_short", "input_short"}
    return "hot_board" if inner and w.rng.random() < 0.6 else "cool"


_ANSWERS: Mapping[str, Callable[[StandinDevice], str]] = {
    "start": _start,
    "saved": lambda _: "saved",
    "heat": _hot,
    "warm": _hot,
    "sign": lambda w: "steady" if w.amps() >= 0.05 and w.starts() and not w.dark() and not w.drops() else "absent",
    "wiggle": lambda w: "drops" if _leans(w, LEANS["wiggle"]) else "steady",
    "replug": lambda w: "fails" if _leans(w, LEANS["replug"]) else "returns",
    "clicks": lambda w: answer(w, "plug_fit")[0],
    "computer": lambda w: answer(w, "data_link")[0],
    "pad": lambda w: answer(w, "wireless_charge")[0],
    "holds": lambda w: _report(w, ""),
}


def four_items(w: StandinDevice) -> bool:
    """Whether a device passes the proof of four items: current, turned over, shaken once, percent rising."""
    return w.amps() >= 0.62 and not w.one_way() and not w.drops()
