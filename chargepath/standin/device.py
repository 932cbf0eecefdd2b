"""One simulated device: source, contacts, path, chips, cell and firmware as a small circuit, with faults put into its
parts. Every stand-in instrument reads from it, and so do the evaluation and the demo's history.

It answers by what its parts do, and a repair by what is mended. Frequencies, spreads and skill are its own, invented
apart from the knowledge: a second source of truth, to hold the program's judgement against.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from collections.abc import Set as AbstractSet
from dataclasses import dataclass, field, replace

import numpy as np

from chargepath.case.entries import Device
from chargepath.electrical.junction import Junction, reading_with_leak
from chargepath.standin.cell import StandinCell
from chargepath.standin.faults import GOOD, OPEN, fault_of, settled
from chargepath.standin.feed import FOLDS_EVERY_S, SOURCE_V, TEST_A, ChargerFeed
from chargepath.standin.mending import HARM, HARM_ELSE, MENDS, SKILL
from chargepath.standin.parts import (
    BRIDGE_OHM,
    CARRIER_LEAK_OHM,
    COMES_IN,
    NOTHING,
    SECOND,
    SHOWS,
    TOLD,
    WATER_OHM,
    Parts,
    beside,
    draw_lines,
)

# Under the first a reading is a short; over the second, with a kilohm in the way, the line is as good as open.
SHORT_MV, HIGH_MV = 50.0, 1300.0
# How far current, looseness or percentage have to be off before a device is brought in; how often parts are drawn for
# that.
SLOW_A, SHAKY, DRAWS = 0.9, 0.1, 200
# What a sound one takes from the charger by kind, what it takes of that for itself while on, what a deeply discharged
# cell is begun with [A]; what its cell holds [Ah].
TAKES_A, RUNS_A, BEGINS_A, CELL_AH = {"phone": 1.35, "tablet": 1.7}, 0.066, 0.06, {"phone": 3.4, "tablet": 7.2}
# Less and less current goes into the cell from here on, by a factor e every so many percent.
TAPERS_FROM, TAPERS_BY = 78.0, 7.0
# A cell that gives up is tried again and again: peak [A] and period [s].
TRIED_A, TRIED_S, ASKS_S = 0.45, 4.0, 0.6
# What a supply in the battery's place gives [V], what can be unplugged from the board, and what a sound part takes [A].
SUPPLIED_V, BOARD, UNPLUGGED, SMALL_A = 3.8, "board", ("display", "camera", "sub_board", "other"), 0.0015
DIRECTIONS = ("rest", "up", "down", "left", "right")
# How often a second the charge of the loosest plug drops out while it is leant, and how long [s].
LEANT, DROPS_S = {"rest": 0.0, "up": 1.0, "down": 0.16, "left": 0.48, "right": 0.12}, (0.3, 1.1)


@dataclass
class StandinDevice:
    """One device on the bench; its parts are drawn from the seed, its faults are put into them.

    Attributes
    ----------
    device : Device
        What it is, as a case file has it.
    history : tuple of str
    faults : set of str
        Ids of the knowledge's faults; a repair takes them away.
    seed : int
    parts : Parts
    cell : StandinCell
    plugged, powered, flipped : bool
        What the person has done with it.
    lean : str
        Which way the plug is being leant, one of `DIRECTIONS`.
    charger : str
        'own', with which it came, or 'shop'.

    """

    device: Device
    history: tuple[str, ...]
    faults: set[str]
    seed: int
    parts: Parts
    cell: StandinCell
    rng: np.random.Generator
    plugged: bool = True
    powered: bool = True
    flipped: bool = False
    lean: str = "rest"
    charger: str = "own"
    _since: float = 0.0
    _open_for: float = 0.0
    _feeds: dict[tuple[frozenset[str], bool], ChargerFeed] = field(default_factory=dict)

    @classmethod
    def arrive(cls, seed: int) -> StandinDevice:
        """A device as it comes in over the counter."""
        rng = np.random.default_rng([seed, 3])
        kind = "phone" if rng.random() < 0.7 else "tablet"
        connector = str(rng.choice(["usb_c", "micro_b", "eight_pad"], p=[0.6, 0.2, 0.2]))
        carrier = str(rng.choice(["sub_board", "flex", "none"], p=[0.5, 0.25, 0.25]))
        device = Device(kind, connector, carrier, bool(kind == "phone" and rng.random() < 0.35), 0.0)
        history = tuple(flag for flag, (chance, _) in TOLD.items() if rng.random() < chance)
        weights = {name: float(weight) for name, weight in COMES_IN.items()}
        for flag in history:
            for name, factor in TOLD[flag][1].items():
                weights[name] *= factor
        if carrier == "none":
            weights |= {"carrier_fault": 0.0, "link_loose": 0.5, "link_damaged": 0.3, "spring_contacts": 0.3}
        if device.wireless:
            weights["aux_absent"] *= 3
        if not device.wireless:
            weights["pad_receiver"] = 0.0
        total = sum(weights.values())
        names, shares = list(weights), [weight / total for weight in weights.values()]
        count = 0 if rng.random() < NOTHING else 2 if rng.random() < SECOND else 1
        faults = {str(name) for name in rng.choice(names, count, replace=False, p=shares)}
        shown = np.random.default_rng([seed, 17])
        for flag, (else_, by_fault) in SHOWS.items():
            if shown.random() < max((by_fault.get(name, 0.0) for name in faults), default=0.0) + else_:
                history = (*history, flag)
        return cls.felt_with(device, faults, seed, history)

    @classmethod
    def felt_with(
        cls, device: Device, faults: AbstractSet[str], seed: int, history: tuple[str, ...] = (), percent: float = -1.0
    ) -> StandinDevice:
        """A device whose parts are drawn until each fault alone would have somebody bring it in.

        `percent` is the state of its cell [%], drawn too where it is negative.
        """
        rng = np.random.default_rng([seed, 7])
        for _ in range(DRAWS):
            parts = Parts.draw(rng, faults, history)
            made = cls._of(device, history, faults, seed, parts, rng)
            if all(made.felt(fault) for fault in faults):
                break
        made.parts = replace(parts, **draw_lines(np.random.default_rng([seed, 11])))
        if percent >= 0:
            made.cell = StandinCell.at(percent, CELL_AH[device.kind])
        return made

    @classmethod
    def broken(cls, name: str = GOOD, seed: int = 1, percent: float = 40.0, kind: str = "phone") -> StandinDevice:
        """A device with a fault put into it by name (see `faults`); what the name leaves open is drawn."""
        faults = {fault_of(name)} - {""}
        rng = np.random.default_rng([seed, 7])
        drawn = replace(Parts.draw(rng, faults, ()), **draw_lines(np.random.default_rng([seed, 11])))
        parts = replace(drawn, **{"percent": 0.0 if name == "battery_flat" else percent, **settled(name)})
        return cls._of(Device(kind, "usb_c", "sub_board"), (), faults, seed, parts, rng)

    @classmethod
    def _of(
        cls,
        device: Device,
        history: tuple[str, ...],
        faults: AbstractSet[str],
        seed: int,
        parts: Parts,
        rng: np.random.Generator,
    ) -> StandinDevice:
        cell = StandinCell.at(parts.percent, CELL_AH[device.kind])
        return cls(device, history, set(faults), seed, parts, cell, rng)

    def __post_init__(self) -> None:
        self._hand = np.random.default_rng([self.seed, 13])

    @property
    def percent(self) -> float:
        """State of the cell [%]."""
        return self.cell.percent

    def felt(self, fault: str) -> bool:
        """Whether this fault alone would make somebody bring the device in because it does not charge as it should."""
        others = self.faults - {fault}
        slow = self.amps(others, shop=False) < SLOW_A or self.one_way(others)
        odd = (fault == "battery_worn" and self.parts.report_odd) or fault in ("gauge_wrong", "pad_receiver")
        return slow or odd or self.dark(others) or not self.starts(others) or self.shaky(others) > SHAKY

    def shaky(self, taken: AbstractSet[str] = frozenset()) -> float:
        """Chance that the charge drops out when the plug is moved."""
        parts = self.parts
        looseness = {
            "port_joint": parts.joint_loose,
            "port_worn": parts.worn_loose,
            "link_loose": parts.link_loose,
            "port_screws": parts.screws_loose,
            "port_fouled": 0.25 * parts.lint,
        }
        return max([loose for name, loose in looseness.items() if self._in(name, taken)], default=0.0)

    def one_way(self, taken: AbstractSet[str] = frozenset()) -> bool:
        """Whether it charges one way round only."""
        return self._in("port_worn", taken) and self.parts.one_side and self.device.connector != "micro_b"

    def dark(self, taken: AbstractSet[str] = frozenset()) -> bool:
        """Whether somebody who presses its power key sees nothing although it could run."""
        return self._in("dark_screen", taken) or self._in("power_key", taken)

    @property
    def flat(self) -> bool:
        """Whether the cell is too low to start anything."""
        return bool({"battery_flat", "cell_cut_off"} & self.faults) or (
            "battery_worn" in self.faults and self.parts.cell_dead
        )

    def _in(self, name: str, taken: AbstractSet[str]) -> bool:
        return name in self.faults and name not in taken

    def feed(self, taken: AbstractSet[str] = frozenset(), shop: bool = True) -> ChargerFeed:
        """The charge path as a circuit, with the shop's charger or the customer's."""
        there = frozenset(self.faults - taken)
        if (there, shop) not in self._feeds:
            p, weak = self.parts, "source_weak" in there and not shop

            def only(name: str, ohms: float, shows: bool = True) -> float:
                return ohms if name in there and shows else 0.0

            def leak(name: str, ohms: float, shows: bool = True) -> float:
                return ohms if name in there and shows else OPEN

            self._feeds[there, shop] = ChargerFeed(
                source_ohm=p.source_ohm if weak else 0.14,
                source_amps=p.source_limit if weak else 2.4,
                port=0.05 + only("port_fouled", p.contact_ohm) + self.joints(there),
                carrier=max(only("carrier_fault", p.carrier_ohm, p.carrier_power and not p.carrier_leaks), 0.03),
                link=0.05
                + only("link_loose", p.link_ohm)
                + only("link_damaged", p.damaged_ohm)
                + only("spring_contacts", p.spring_ohm),
                guard=OPEN if "guard_open" in there else 0.08,
                carrier_leak=beside(
                    leak("carrier_fault", CARRIER_LEAK_OHM, p.carrier_leaks),
                    leak("solder_bridge", BRIDGE_OHM, p.bridge_power),
                ),
                input_leak=beside(
                    leak("input_short", p.input_leak), leak("charge_ic_leak", p.ic_leak, p.leak_on_input)
                ),
            )
        return self._feeds[there, shop]

    @property
    def opened(self) -> frozenset[str]:
        """Faults that keep a data line open now."""
        there = self.parts.opens & self.faults
        return there - {"torn_pad"} if self.parts.pad_power else there

    def joints(self, there: AbstractSet[str]) -> float:
        """What worn contacts, joints and pads put into the power line, wherever the probe is held behind them [ohm]."""
        p = self.parts
        return (
            (p.worn_ohm if "port_worn" in there else 0.0)
            + (p.joint_ohm if "port_joint" in there else 0.0)
            + (p.pad_ohm if "torn_pad" in there and p.pad_power else 0.0)
        )

    def standing(self) -> dict[str, float]:
        """What each part, and the board itself, takes from a supply in the battery's place while it is off [A]."""
        p, takes = self.parts, dict.fromkeys((BOARD, *UNPLUGGED), SMALL_A)
        if "rail_short" in self.faults:
            takes[p.rail_part or BOARD] += SUPPLIED_V / p.rail_ohm
        if "charge_ic_leak" in self.faults and not p.leak_on_input:
            takes[BOARD] += SUPPLIED_V / p.ic_leak
        if "liquid_damage" in self.faults and p.water_hits == "rail":
            takes[BOARD] += SUPPLIED_V / WATER_OHM
        return takes

    def starts(self, taken: AbstractSet[str] = frozenset()) -> bool:
        """Whether the device starts."""
        p = self.parts
        if any(self._in(name, taken) for name in ("rail_short", "battery_flat", "cell_cut_off", "power_manager")):
            return False
        if self._in("socket_damaged", taken) and p.socket_open:
            return False
        if self._in("battery_worn", taken) and p.cell_dead:
            return False
        if self._in("charge_ic_leak", taken) and not p.leak_on_input and p.ic_leak < 30:
            return False
        return not (self._in("liquid_damage", taken) and p.water_hits == "rail") and not (
            self._in("software_state", taken) and p.hung_dead
        )

    def amps(self, taken: AbstractSet[str] = frozenset(), shop: bool = True) -> float:
        """Current that flows from the charger into a cell that is not nearly full [A]."""
        feed = self.feed(taken, shop)
        return min(feed.able, self._asks(taken)) if feed.able > 0 else feed.wasted

    def _asks(self, taken: AbstractSet[str]) -> float:
        """What firmware and charging IC ask for [A]."""
        p = self.parts
        if self._in("carrier_fault", taken) and p.carrier_leaks:
            return 0.09 if p.stops_flow else 0.45
        if self._in("charge_ic_fault", taken) or self._in("charge_part", taken):
            return 0.03 if p.stops_flow else 0.22
        water = p.water_hits if self._in("liquid_damage", taken) else ""
        if water == "charge":
            return 0.05
        if self._in("rail_short", taken) or self._in("charge_ic_leak", taken) or water == "rail":
            return 0.12
        if self._in("moisture_held", taken):
            return 0.012
        if self._in("socket_damaged", taken):
            return 0.06 if p.socket_open else 0.4
        if any(self._in(name, taken) for name in ("battery_sense", "aux_absent", "battery_refused")):
            return 0.08 if p.stops_flow else 0.3
        if self._in("charging_held", taken):
            return RUNS_A if p.held_by == "limit" else 0.3
        if water == "sense":
            return 0.1
        handshake = ("port_ic_fault", "ic_unpaired", "torn_pad", "solder_bridge")
        if any(self._in(name, taken) for name in handshake) or (
            self._in("carrier_fault", taken) and not p.carrier_power
        ):
            return 0.09 if p.stops_flow else 0.45
        if self._in("battery_flat", taken):
            return 0.07
        if self._in("cell_cut_off", taken):
            return 0.03
        if self._in("power_manager", taken):
            return 0.12 if p.stops_flow else 0.5
        if self._in("battery_worn", taken):
            return 0.1 if p.cell_dead else 0.55 / p.cell_ohm
        if self._in("software_state", taken):
            return 0.25
        return TAKES_A[self.device.kind]

    def drops(self, taken: AbstractSet[str] = frozenset()) -> bool:
        """Whether the charge drops out when the plug is moved now."""
        return bool(self.rng.random() < self.shaky(taken))

    def charges(self, taken: AbstractSet[str] = frozenset()) -> bool:
        """Whether it would pass a proof: enough current, both ways round, steady, and the percentage rises."""
        if self.amps(taken) < 0.6 or self.one_way(taken) or self.dark(taken):
            return False
        if self._in("pad_receiver", taken) and self.rng.random() < 0.75:
            return False
        if self._in("gauge_wrong", taken) and self.rng.random() < 0.8:
            return False
        if self._in("battery_worn", taken) and self.parts.report_odd and self.rng.random() < 0.5:
            return False
        return not self.drops(taken) or self.rng.random() < 0.15

    def works(self, tried: str = "") -> bool:
        """Whether it charges, with a known-good part standing in where one is tried."""
        return self.charges(self._mended(tried)) if tried else self.charges()

    def _mended(self, route: str) -> set[str]:
        mends = set(MENDS.get(route, ()))
        if route == "swap_carrier" and self.device.carrier == "flex":
            mends |= {"link_loose", "link_damaged"}
        return mends

    def repair(self, route: str) -> bool:
        """Do a repair; what it mends goes with this shop's skill. Returns whether it did harm."""
        for fault in self.faults & self._mended(route):
            if self.rng.random() < SKILL[route]:
                self.faults.discard(fault)
        return bool(self.rng.random() < HARM.get(route, HARM_ELSE))

    def line(self, usual_mv: float, leak: float, opened: bool) -> str:
        """Grade of a diode reading of a line that is not on the charge path.

        Parameters
        ----------
        usual_mv : float
            What a good line reads [mV].
        leak : float
            To ground [ohm]; ``inf`` for none.
        opened : bool

        """
        usual = usual_mv * self.spread_of_boards()
        shown = reading_with_leak(Junction.through(usual / 1000, TEST_A), leak, TEST_A)
        return "open" if opened else self.read_off(shown * 1000, usual_mv)

    def power_line(self, at: str, usual_mv: float) -> str:
        """Grade of a diode reading of the input line, at a node of the path."""
        shown = self.feed().diode(at, usual_mv * self.spread_of_boards() / 1000)
        return "open" if math.isinf(shown) else self.read_off(shown * 1000, usual_mv)

    def spread_of_boards(self) -> float:
        """Draw this board's junction over the usual one."""
        return float(self.rng.normal(1, 0.02))

    def read_off(self, shown_mv: float, usual_mv: float) -> str:
        """Grade as a technician reads it off against a reference with the usual spread."""
        shown = shown_mv * float(self.rng.normal(1, 0.006))
        if shown > HIGH_MV:
            return "open"
        return "short" if shown < SHORT_MV else "low" if shown < 0.9 * usual_mv else "in_band"

    def step(self, seconds: float) -> tuple[float, float]:
        """Let time pass [s] and return volts and amps at a meter between charger and device."""
        self._since = self._since + seconds if self.plugged else 0.0
        feed = self.feed(shop=self.charger == "shop")
        if not self.plugged or self._no_contact(seconds):
            return SOURCE_V, 0.0
        if feed.folds:
            on = self._since % FOLDS_EVERY_S < FOLDS_EVERY_S * feed.wasted / feed.source_amps
            amps = feed.source_amps if on else 0.0
            return amps * feed.load, amps
        drawn = min(self._wants(), feed.able)
        self._charge(drawn, seconds)
        amps = feed.flows(drawn)
        return SOURCE_V - amps * feed.source_ohm, amps

    def _no_contact(self, seconds: float) -> bool:
        """Whether the plug makes no contact now."""
        if self.flipped and self.one_way():
            return True
        self._open_for = max(self._open_for - seconds, 0.0)
        if self._open_for == 0 and self._hand.random() < LEANT[self.lean] * self.shaky() * seconds:
            self._open_for = float(self._hand.uniform(*DROPS_S))
        return self._open_for > 0

    def _wants(self) -> float:
        """What is asked for at this moment [A]: less at first, with a nearly full cell, or one that is begun."""
        asked = self._asks(frozenset() if self.powered else {"software_state"})
        own = RUNS_A if self.powered else 0.0
        if "battery_worn" in self.faults and self.parts.cell_dead:
            return TRIED_A if self._since % TRIED_S < TRIED_S * asked / TRIED_A else 0.0
        if self.percent < 1.0:
            return min(asked, BEGINS_A + 0.05 * self.percent)
        if self._since < ASKS_S:
            return min(asked, 5 * RUNS_A)
        into_cell = max(asked - RUNS_A, 0.0)
        if self.percent > TAPERS_FROM:
            into_cell = min(
                into_cell, TAKES_A[self.device.kind] * max(0.03, math.exp((TAPERS_FROM - self.percent) / TAPERS_BY))
            )
        return min(into_cell + own, asked)

    def _charge(self, amps: float, seconds: float) -> None:
        runs = RUNS_A if self.powered and self.starts() else 0.0
        self.cell.step(max(amps - runs, 0.0), seconds)
        if self.percent >= 1.0:
            self.faults.discard("battery_flat")


def play(
    device: StandinDevice, rate: float, actions: list[tuple[float, dict[str, object]]], seconds: float
) -> Iterator[tuple[float, float, float]]:
    """Play a device through timed changes of its attributes; yields time, volts, amps at `rate` samples a second.

    Parameters
    ----------
    device : StandinDevice
    rate : float
        Samples a second [1/s].
    actions : list of (seconds, changes)
        When [s] which attributes change.
    seconds : float
        How long [s].

    """
    todo = sorted(actions, key=lambda item: item[0])
    for index in range(int(seconds * rate)):
        now = index / rate
        while todo and todo[0][0] <= now:
            for name, value in todo.pop(0)[1].items():
                setattr(device, name, value)
        volts, amps = device.step(1 / rate)
        yield now, volts, amps
