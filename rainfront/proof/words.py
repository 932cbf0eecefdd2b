"""What an item of a proof has to show, what it showed, and what a seal test was held against, in words."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import Any

from chargepath.base.quantities import figure, show
from chargepath.knowledge import Knowledge
from chargepath.proving.sealing import SealVerdict
from chargepath.proving.verdict import ItemMark

REMARKS = {
    "held_back": "what runs holds it back",
    "plain": "it stays at plain 5 V",
    "full": "full",
    "too_far": "that charge cannot move it so far",
    "early": "too early to say",
    "too_fast": "no charger moves it so fast",
    "flat": "a flat cell begins with little; read again once it starts",
}
Figures = Mapping[str, Any]


def need_words(mark: ItemMark) -> str:
    """What the item has to show on this device."""
    if mark.compared is None:
        return next(iter(mark.item.answers.values()))
    return WORDS[mark.item.judged][0](mark.compared.figures)


def shown_words(mark: ItemMark) -> str:
    """What was read, compared with what it was held against; '' where nothing was read, or where it was left out."""
    if mark.left_out:
        return ""
    if mark.compared is None:
        return mark.item.words(mark.shown)
    if mark.shown and not mark.compared.shown:
        return mark.item.words(mark.shown)
    text = WORDS[mark.item.judged][1](mark.compared.figures)
    remark = REMARKS.get(mark.compared.remark)
    join = "; " if mark.compared.remark == "plain" else ": "
    if mark.compared.remark == "held_back":
        text, join = f"{text}, {show(float(mark.compared.figures['amps'] or 0), 'A')} running", ": "
    return f"{text}{join}{remark}" if remark else text


def _always(text: str) -> Callable[[Figures], str]:
    return lambda _: text


def _amps(value: float) -> str:
    return show(value, "A")


def _volts(value: float) -> str:
    return show(value, "V")


def _at(by: Figures) -> str:
    return f" at {by['percent']:.0f} %" if by["percent"] is not None else ""


def _current_need(by: Figures) -> str:
    band = f"{_amps(by['least_a'])} or more, not over {_amps(by['most_a'])}"
    return f"{band}, at {_volts(by['volts'])}{_at(by)}: {by['basis']}"


def _current(by: Figures) -> str:
    return "" if by["amps"] is None else f"{_amps(by['amps'])} of about {_amps(by['expected_a'])} expected{_at(by)}"


def _drop(by: Figures) -> str:
    first, last = by["plug_v"], by["input_v"]
    if first is None or last is None:
        return ""
    return f"{_volts(first)} at the plug, {_volts(last)} at the charging IC: {_volts(max(first - last, 0.0))} lost"


def _flip(by: Figures) -> str:
    if by["flipped_a"] is None:
        return ""
    if by["amps"] is None:
        return f"{_amps(by['flipped_a'])}; the first way round is still to be read"
    return f"{_amps(by['amps'])} and {_amps(by['flipped_a'])}: {by['part']:.0%}"


def _own(by: Figures) -> str:
    if by["own_a"] is None:
        return ""
    if by["shop_a"] is None:
        return f"{_amps(by['own_a'])}; the shop's charger is still to be read"
    return f"{_amps(by['own_a'])} of {_amps(by['shop_a'])}: {by['part']:.0%}"


def _fast(by: Figures) -> str:
    if by["amps"] is None or by["volts"] is None:
        return ""
    return f"{_volts(by['volts'])} and {_amps(by['amps'])}: {figure(by['amps'] * by['volts'], 1)} W"


def _cell_need(by: Figures) -> str:
    if by["percent"] is None:
        return "volts that fit the percent"
    return f"{_volts(by['low_v'])} to {_volts(by['high_v'])}{_at(by)}"


def _rise_need(by: Figures) -> str:
    if by["least"] is None:
        return f"up {by['rise_percent']:g} % or more over {by['rise_minutes']:g} minutes or more"
    least, most = max(math.ceil(by["least"]), 1), math.floor(by["most"])
    return f"up {least} to {most} % for {show(by['charge_mah'], 'mAh')} from the meter"


def _rise(by: Figures) -> str:
    if by["first"] is None or by["second"] is None or by["minutes"] is None:
        return ""
    charge = f" with {show(by['charge_mah'], 'mAh')}" if by["charge_mah"] is not None else ""
    return f"{by['first']:.0f} % to {by['second']:.0f} % in {by['minutes']:.0f} min{charge}"


def _off_need(by: Figures) -> str:
    return "all but full: it need not draw" if by["least_a"] is None else f"more than {_amps(by['least_a'])}"


# By how an item is judged: what it has to show, what it showed.
WORDS: Mapping[str, tuple[Callable[[Figures], str], Callable[[Figures], str]]] = {
    "noted": (_always("what it shows"), lambda by: "" if by["percent"] is None else f"{by['percent']:.0f} %"),
    "current": (_current_need, _current),
    "drop": (lambda by: f"no more than {_volts(by['most_v'])} lost", _drop),
    "flip": (lambda by: f"within {by['share']:.0%} of the other way round", _flip),
    "own": (lambda by: f"{by['share']:.0%} or more of the shop's charger", _own),
    "off": (_off_need, lambda by: "" if by["off_a"] is None else f"{_amps(by['off_a'])} switched off"),
    "fast": (lambda by: f"more than {_volts(by['from_v'])} and {figure(by['least_w'], 1)} W", _fast),
    "idle": (
        _always("no leakage current when off"),
        lambda by: "" if by["amps"] is None else f"{_amps(by['amps'])} when off",
    ),
    "cell": (_cell_need, lambda by: "" if by["volts"] is None else f"{_volts(by['volts'])}{_at(by)}"),
    "rise": (_rise_need, _rise),
}


def seal_words(found: SealVerdict, known: Knowledge) -> list[str]:
    """What a test was held against."""
    lost, limits = show(found.lost_kpa, "kPa"), known.proof
    if not found.compared:
        return [f"{lost} lost at {limits.seal_depth_kpa:g} kPa in {limits.seal_seconds:g} s"]
    out = []
    for row in found.compared:
        words = f"{row.others} others of this model" if row.others else "before it was opened"
        more = "" if row.fits else f", up to {show(row.most_kpa, 'kPa')} would do"
        out.append(
            f"{'as' if row.fits else 'worse than'} {words}: {lost} lost, {show(row.usual_kpa, 'kPa')} then{more}"
        )
    return out
