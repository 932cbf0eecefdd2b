"""A device in layers as it lies on the mat: what is in its place, what is lifted beside it, what lies in the tray.

The device stands in the middle, what is lifted off it to the left, the tray to the right. Every layer is a path in one
coordinate system; all numbers are formatted here.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from textwrap import wrap

from chargepath.knowledge.layers import Where
from chargepath.repair.layers import DeviceView, LayerNow
from rainfront.web.scenes.charge_line import number

Box = tuple[float, float, float, float]

WIDTH, HEIGHT = 340.0, 290.0
# Left, top, width and height of the device on the mat, by its kind.
DEVICE: Mapping[str, Box] = {"phone": (120.0, 18.0, 124.0, 254.0), "tablet": (98.0, 18.0, 166.0, 254.0)}
# What is lifted off lies so large beside the device, and what is in the tray at most.
SHRUNK, SHRUNK_TWO = 0.62, 0.46
# The row of small things in the tray with the screws and their names.
ROW_HEIGHT, LETTER = 76.0, 6.9
TRAY_WIDTH, TRAY_TOP, LABEL_HEIGHT, GAP = 66.0, 34.0, 15.0, 9.0
# About how wide a letter of a label is: a label begins no further left than its layer.
LETTER = 6.6
ROUND = {"cover": 12.0, "screen": 12.0, "battery": 6.0, "coil": 18.0}
# In shares of the device: left, top, width, height.
INSIDE: Mapping[str, Mapping[str, Box]] = {
    "phone": {
        "board": (0.08, 0.05, 0.84, 0.31),
        "shield": (0.46, 0.08, 0.38, 0.15),
        "chip": (0.58, 0.115, 0.14, 0.08),
        "plates": (0.13, 0.10, 0.24, 0.07),
        "battery_plug": (0.30, 0.31, 0.22, 0.045),
        "battery_plate": (0.26, 0.285, 0.30, 0.075),
        "battery": (0.08, 0.39, 0.66, 0.40),
        "link": (0.79, 0.32, 0.10, 0.54),
        "carrier": (0.08, 0.83, 0.84, 0.13),
        "port": (0.38, 0.91, 0.24, 0.09),
        "coil": (0.14, 0.18, 0.50, 0.42),
        "sim": (0.93, 0.42, 0.07, 0.09),
        "strip": (0.78, 0.30, 0.14, 0.66),
        "foot": (0.30, 0.84, 0.62, 0.12),
    },
    "tablet": {
        "board": (0.60, 0.05, 0.34, 0.46),
        "shield": (0.67, 0.08, 0.20, 0.15),
        "chip": (0.72, 0.12, 0.10, 0.07),
        "plates": (0.68, 0.27, 0.20, 0.06),
        "battery_plug": (0.58, 0.38, 0.10, 0.06),
        "battery_plate": (0.56, 0.365, 0.15, 0.09),
        "battery": (0.07, 0.06, 0.47, 0.86),
        "link": (0.74, 0.47, 0.08, 0.40),
        "carrier": (0.60, 0.83, 0.34, 0.13),
        "port": (0.69, 0.92, 0.16, 0.08),
        "coil": (0.36, 0.24, 0.40, 0.30),
        "sim": (0.95, 0.60, 0.05, 0.09),
        "strip": (0.60, 0.40, 0.34, 0.56),
        "foot": (0.60, 0.84, 0.34, 0.12),
    },
}
# What lies on what, and goes with it.
CARRIED = {"board_under": "board", "shield": "board", "chip": "board", "plates": "board", "battery_plate": "board"}
# How far the lower layer of a stacked board stands out under the upper one.
STACK = 4.0
# The order of painting, the lowest first.
PAINTED = (
    "battery",
    "board_under",
    "board",
    "carrier",
    "link",
    "port",
    "chip",
    "shield",
    "plates",
    "battery_plug",
    "battery_plate",
    "coil",
    "sim",
    "screen",
    "cover",
)
# What closes a device, and what is laid beside it where it is lifted.
COVERS = ("cover", "screen")
LIFTED = (*COVERS, "coil")
# Small things of the tray, which share a row.
SMALL = ("plates", "battery_plate", "sim")
# Places of the work that are no layer, in shares of the device; the others are where their layer is.
AT: Mapping[str, Mapping[str, Box]] = {
    "phone": {
        "edge": (0.0, 0.0, 1.0, 1.0),
        "device": (0.0, 0.0, 1.0, 1.0),
        "frame": (0.0, 0.0, 1.0, 1.0),
        "flexes": (0.10, 0.25, 0.80, 0.10),
        "screen_flexes": (0.10, 0.25, 0.40, 0.06),
        "board_screws": (0.06, 0.04, 0.88, 0.33),
        "guard": (0.66, 0.26, 0.20, 0.08),
        "rail": (0.46, 0.08, 0.38, 0.15),
        "sense": (0.54, 0.30, 0.16, 0.06),
        "key": (-0.02, 0.20, 0.07, 0.12),
        "modules": (0.08, 0.04, 0.40, 0.12),
    },
    "tablet": {
        "edge": (0.0, 0.0, 1.0, 1.0),
        "device": (0.0, 0.0, 1.0, 1.0),
        "frame": (0.0, 0.0, 1.0, 1.0),
        "flexes": (0.60, 0.36, 0.34, 0.14),
        "screen_flexes": (0.70, 0.42, 0.22, 0.08),
        "board_screws": (0.58, 0.04, 0.38, 0.48),
        "guard": (0.80, 0.40, 0.12, 0.08),
        "rail": (0.67, 0.08, 0.20, 0.15),
        "sense": (0.69, 0.38, 0.12, 0.06),
        "key": (0.97, 0.20, 0.05, 0.10),
        "modules": (0.60, 0.04, 0.20, 0.10),
    },
}
# How much room the arrow of the hand takes.
ARROW = 28.0
# Places that are only worked at outside the device: on the mat, in the test fixture.
AWAY = ("bench", "fixture")


@dataclass(frozen=True, kw_only=True)
class LayerShape:
    """A layer as drawn: its path, where it is, and where its name and the mark of what carries voltage stand."""

    id: str
    where: str
    path: str
    box: Box
    live: bool
    label: str = ""
    label_x: str = ""
    label_y: str = ""
    live_at: str = ""


@dataclass(frozen=True)
class Lit:
    """The place of the work: its path, its box, the arrow of the hand, and where a layer that is off goes back to.

    `arrow` is '' for what is done on the mat, `target` for what is in its place.
    """

    path: str
    box: Box
    arrow: str
    target: str


@dataclass(frozen=True, kw_only=True)
class LayersScene:
    """The whole drawing.

    Attributes
    ----------
    frame : LayerShape
        The device that everything lies in.
    shapes : tuple of LayerShape
        The lowest first.
    screws : tuple of (x, y)
        Screws that lie in the tray.
    small : tuple of (words, x, y)
        What the small things of the tray are called, a line each.
    socket : str
        Path of the connector that the battery's plug goes onto; '' for a closed device.
    lit : Lit or None
        The place of the work.
    spot : str
        The place that the shop has marked for a step of its own; '' where it has marked none.
    conditions : tuple of (id, word, x, y)
        What is hot, wet or switched on.
    title : str
        What the drawing says, in words.

    """

    kind: str
    frame: LayerShape
    shapes: tuple[LayerShape, ...]
    screws: tuple[tuple[str, str], ...]
    small: tuple[tuple[str, str, str], ...]
    socket: str
    lit: Lit | None
    spot: str
    conditions: tuple[tuple[str, str, str, str], ...]
    title: str
    view_box: str = f"0 0 {number(WIDTH)} {number(HEIGHT)}"

    @property
    def close_up(self) -> str:
        """What is seen where there is little room: a closed device alone, an open one with what lies beside it."""
        if any(shape.where != Where.IN for shape in self.shapes if shape.id != "sim"):
            return self.view_box
        x, y, wide, high = self.frame.box
        return " ".join(number(part) for part in (x - 8.0, y - 8.0, wide + 16.0, high + 16.0))

    def shape(self, layer: str) -> LayerShape | None:
        """The layer of that id as drawn; None where it is not."""
        return next((shape for shape in self.shapes if shape.id == layer), None)


def rounded(box: Box, radius: float) -> str:
    """Path of a rectangle with round corners."""
    x, y, wide, high = box
    r = min(radius, wide / 2, high / 2)
    turn = f"a{number(r)} {number(r)} 0 0 1 "
    return (
        f"M{number(x + r)} {number(y)}h{number(wide - 2 * r)}{turn}{number(r)} {number(r)}"
        f"v{number(high - 2 * r)}{turn}{number(-r)} {number(r)}h{number(2 * r - wide)}"
        f"{turn}{number(-r)} {number(-r)}v{number(2 * r - high)}{turn}{number(r)} {number(-r)}z"
    )


@dataclass(frozen=True)
class _Move:
    """How a layer is moved out of its place: made smaller around the origin, then shifted."""

    scale: float = 1.0
    dx: float = 0.0
    dy: float = 0.0

    def __call__(self, box: Box) -> Box:
        x, y, wide, high = box
        s = self.scale
        return (x * s + self.dx, y * s + self.dy, wide * s, high * s)

    @staticmethod
    def onto(box: Box, left: float, top: float, scale: float) -> _Move:
        """The move that brings the upper left corner of a box there."""
        return _Move(scale, left - box[0] * scale, top - box[1] * scale)


class _Drawing:
    """A drawing while it is laid out."""

    def __init__(self, kind: str, view: DeviceView) -> None:
        self.kind, self.view = kind, view
        self.device = DEVICE[kind]
        self.moves: dict[str, _Move] = {}
        self.left, self.right = 6.0, self.device[0] + self.device[2] + 10.0
        self.tray_y = TRAY_TOP
        self.labels: dict[str, tuple[float, float]] = {}

    def box(self, share: Box) -> Box:
        """A box that is given in shares of the device."""
        x, y, wide, high = self.device
        return (x + share[0] * wide, y + share[1] * high, share[2] * wide, share[3] * high)

    def home(self, layer: str) -> Box:
        """Where a layer belongs."""
        if layer in COVERS:
            return self.device
        if layer == "board_under":  # It shows at two edges of the layer above it.
            x, y, wide, high = self.home("board")
            return (x + STACK, y + STACK, wide, high)
        return self.box(INSIDE[self.kind][layer])

    def parent(self, layer: str) -> str:
        """The layer that this one lies on and goes with; '' for none."""
        if layer == "port":
            return "board" if "none" in self.view.words else "carrier"
        if layer == "battery_plug":
            return "battery" if self.view.where("battery") == Where.OUT else ""
        return CARRIED.get(layer, "")

    def lay_out(self) -> None:
        """Find out how each layer is moved: lifted ones to the left, those that are out into the tray."""
        lifted = [name for name in LIFTED if self.view.where(name) == Where.ASIDE]
        top = TRAY_TOP
        for name in lifted:
            home = self.home(name)
            scale = min(SHRUNK if len(lifted) == 1 else SHRUNK_TWO, (self.device[0] - 20.0) / home[2])
            self._move(name, home, self.left, top, scale)
            top += home[3] * scale + LABEL_HEIGHT + GAP
        # A plug that is off lies beside its connector, or goes with a battery that is out.
        if self.view.where("battery_plug") == Where.ASIDE and not self.parent("battery_plug"):
            self.moves["battery_plug"] = _Move(1.0, 0.0, 0.07 * self.device[3])
        out = [name for name in PAINTED if self.view.where(name) == Where.OUT]
        pair = "board_under" in out and self.whole("board")[3] > 2 * self.whole("board")[2]
        large = [name for name in out if name not in SMALL and not (pair and name == "board_under")]
        room = HEIGHT - TRAY_TOP - ROW_HEIGHT - (LABEL_HEIGHT + GAP) * len(large)
        high = sum(self.whole(name)[3] * SHRUNK for name in large)
        for name in large:
            home = self.whole(name)
            wide = 2.0 * home[2] + 8.0 if pair and name == "board" else home[2]
            scale = min(SHRUNK, TRAY_WIDTH / wide) * min(1.0, room / high)
            self._move(name, home, self.right, self.tray_y, scale)
            self.tray_y += home[3] * scale + LABEL_HEIGHT + GAP
        if pair:  # Both layers of a long board lie beside each other.
            upper = self.moves["board"]
            self.moves["board_under"] = _Move(
                upper.scale, upper.dx + (self.whole("board")[2] + 8.0) * upper.scale, upper.dy
            )
        x = self.right
        for name in filter(SMALL.__contains__, out):
            home = self.home(name)
            self.moves[name] = _Move.onto(home, x, self.tray_y, SHRUNK)
            x += home[2] * SHRUNK + 5.0
        for name in self.view.layers:
            over = self.parent(name)
            if name not in self.moves and over in self.moves:
                self.moves[name] = self.moves[over]

    def _move(self, name: str, home: Box, left: float, top: float, scale: float) -> None:
        self.moves[name] = _Move.onto(home, left, top, scale)
        half = LETTER * len(self.view.layers[name].layer.short) / 2
        middle = min(left + max(home[2] * scale / 2, half), WIDTH - half - 2.0)
        self.labels[name] = (middle, top - 4.0)

    def whole(self, layer: str) -> Box:
        """The box around a layer, with the arm of a board that reaches down to the port."""
        home = self.home(layer)
        if layer not in ("board", "board_under") or "none" not in self.view.words:
            return home
        foot = self.box(INSIDE[self.kind]["foot"])
        right, shift = max(home[0] + home[2], foot[0] + foot[2]), STACK if layer == "board_under" else 0.0
        return (home[0], home[1], right - home[0], foot[1] + foot[3] + shift - home[1])

    def socket(self) -> Box:
        """The connector that the battery's plug goes onto, on the board wherever that is."""
        return self.moves.get("board", _Move())(self.home("battery_plug"))

    def path(self, layer: str) -> str:
        """The path of a layer where it is now."""
        move = self.moves.get(layer, _Move())
        if layer in ("board", "board_under") and "none" in self.view.words:
            return self._armed(move, STACK if layer == "board_under" else 0.0)
        return rounded(move(self.home(layer)), ROUND.get(layer, 3.0) * move.scale)

    def _armed(self, move: _Move, shift: float) -> str:
        """A main board that reaches down to the port by an arm."""
        boxes = [self.box(INSIDE[self.kind][name]) for name in ("board", "strip", "foot")]
        top, strip, foot = (move((x + shift, y + shift, wide, high)) for x, y, wide, high in boxes)
        points = [
            (top[0], top[1]),
            (top[0] + top[2], top[1]),
            (foot[0] + foot[2], foot[1] + foot[3]),
            (foot[0], foot[1] + foot[3]),
            (foot[0], foot[1]),
            (strip[0], foot[1]),
            (strip[0], top[1] + top[3]),
            (top[0], top[1] + top[3]),
        ]
        return "M" + "L".join(f"{number(x)} {number(y)}" for x, y in points) + "z"

    def shapes(self) -> Iterator[LayerShape]:
        """The layers that are seen: of a closed device its cover, and the mouth of the port in it."""
        names = PAINTED if self.view.is_open else ("sim", "screen", "cover", "port")
        for name in names:
            now = self.view.layers.get(name)
            if now is not None:
                yield self._shape(name, now)

    def _shape(self, name: str, now: LayerNow) -> LayerShape:
        box = self.moves.get(name, _Move())(self.whole(name))
        label = self.labels.get(name)
        return LayerShape(
            id=name,
            where=now.where,
            path=self.path(name),
            box=box,
            live=now.live,
            label=now.layer.short if label else "",
            label_x=number(label[0]) if label else "",
            label_y=number(label[1]) if label else "",
            live_at=self._live_at(name) if now.live else "",
        )

    def _live_at(self, name: str) -> str:
        """Where the mark of what carries voltage stands: in the middle, beside a plug."""
        x, y, wide, high = self.moves.get(name, _Move())(self.home(name))
        share = 1.3 if name == "battery_plug" else 0.5
        return f"{number(x + wide * share)} {number(y + high / 2)}"

    def lit(self) -> Lit | None:
        """The place of the work, where it is now."""
        place = self.view.place
        if place is None:
            return None
        now = self.view.layers.get(place.on)
        if place.stays and now and now.where == Where.OUT:
            box = self._wider(self.came_from(place.on))
            return Lit(rounded(box, 4.0), box, _arrow(box), "")
        box, radius = self._place(place.id, place.on)
        path = self.path("board") if place.id in ("board", "board_screws") else rounded(box, radius)
        if place.id in AWAY:
            return Lit(path, box, "", "")
        # What is worked on where it lies is not put back: only a layer that is the place itself has a way home.
        lifted = place.id == place.on and now is not None and now.where != Where.IN and place.on in self.moves
        target = rounded(self._wider(self.came_from(place.on)), radius) if lifted else ""
        return Lit(path, box, _arrow(box), target)

    def came_from(self, layer: str) -> Box:
        """Where a layer that is out belongs, on what it lies on wherever that is now."""
        return self.moves.get(self.parent(layer), _Move())(self.whole(layer))

    @staticmethod
    def _wider(box: Box) -> Box:
        return (box[0] - 2.5, box[1] - 2.5, box[2] + 5.0, box[3] + 5.0)

    def _place(self, place: str, on: str) -> tuple[Box, float]:
        if place in AWAY:
            return (self.left, 204.0, self.device[0] - self.left - 12.0, 44.0), 6.0
        if place in AT[self.kind]:
            box = self.box(AT[self.kind][place])
            box = self.moves.get(on, _Move())(box) if on else box
            return box, 12.0 if place in ("edge", "device", "frame") else 4.0
        if place == "box":
            place = "battery"
        name = on if on in self.view.layers else place
        if name not in INSIDE[self.kind] and name not in COVERS:
            return self.device, 12.0
        if name not in self.view.layers:
            return self.home(name), 4.0
        return self._wider(self.moves.get(name, _Move())(self.whole(name))), ROUND.get(name, 4.0)


def draw(kind: str, view: DeviceView, said: Sequence[str], spot: tuple[float, float] | None = None) -> LayersScene:
    """Lay a device out.

    Parameters
    ----------
    kind : str
        phone or tablet.
    view : DeviceView
    said : sequence of str
        What the drawing says, part by part.
    spot : tuple of two float, optional
        Where a step of the shop's own is done, in shares of the device: lit in place of what the view says.

    """
    drawing = _Drawing(kind, view)
    drawing.lay_out()
    small = [view.layers[name].layer.short for name in PAINTED if name in SMALL and view.where(name) == Where.OUT]
    top = drawing.tray_y + (24.0 if small else 8.0)
    screws = [(drawing.right + 5.0 + 10.0 * n, top) for n in range(4)] if "screws_out" in view.facts else []
    names = dict.fromkeys([*small, *(["screws"] if screws else [])])
    words = wrap(", ".join(names), int((WIDTH - drawing.right) / LETTER))
    top += 18.0 if screws else 4.0
    device = drawing.device
    return LayersScene(
        kind=kind,
        frame=LayerShape(id="frame", where=Where.IN, path=rounded(device, 14.0), box=device, live=False),
        shapes=tuple(drawing.shapes()),
        screws=tuple((number(x), number(y)) for x, y in screws),
        small=tuple((line, number(drawing.right), number(top + 14.0 * n)) for n, line in enumerate(words)),
        socket=rounded(drawing.socket(), 3.0) if view.is_open and "battery_plate" in view.layers else "",
        lit=None if spot else drawing.lit(),
        spot=f"{number(device[0] + spot[0] * device[2])} {number(device[1] + spot[1] * device[3])}" if spot else "",
        conditions=tuple(
            (fact, word, number(8.0), number(HEIGHT - 6.0 - 18.0 * n))
            for n, (fact, word) in enumerate(reversed(list(view.conditions.items())))
        ),
        title="; ".join(said) or "the device, closed",
    )


def _arrow(box: Box) -> str:
    """An arrow that comes to a box from its side that has more room."""
    x, y, wide, high = box
    left = x > WIDTH - x - wide if min(x, WIDTH - x - wide) < ARROW else x + wide / 2 < WIDTH / 2
    tip, back = (x - 3.0, -6.0) if left else (x + wide + 3.0, 6.0)
    tail, middle = tip + (-ARROW + 4.0 if left else ARROW - 4.0), y + high / 2
    at, wing = f"L{number(tip)} {number(middle)}", number(tip + back)
    return f"M{number(tail)} {number(middle)}{at}M{wing} {number(middle - 5.0)}{at}L{wing} {number(middle + 5.0)}"
