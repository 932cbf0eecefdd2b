"""The list of what a technician lays out before a plan is begun: tools with settings and minutes, and materials."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from chargepath.knowledge.procedures import Procedures, WorkStep
from chargepath.repair.workplan import Plan


@dataclass(frozen=True)
class ToolNeed:
    """A tool of a plan.

    Attributes
    ----------
    label : str
    minutes : float
        How long it is in use or keeps the device: hands-on minutes and waits of the steps that need it [min].
    settings : tuple of (setting, float)
        What it is set to, each once in the order of the work.

    """

    label: str
    minutes: float
    settings: tuple[tuple[str, float], ...]


@dataclass(frozen=True)
class BenchLayout:
    """What the technician lays out for a plan: tools, materials that are used up, hands-on minutes and waits [min]."""

    tools: tuple[ToolNeed, ...]
    materials: tuple[str, ...]
    minutes: float
    wait: float


def tools_of(work: Procedures, step: WorkStep) -> dict[str, tuple[tuple[str, float], ...]]:
    """The tools that a step needs: label of each tool to the settings that the step makes on it.

    A tool is needed where the step names it, sets something on it, or has a word for it in what is done or looked at.

    Examples
    --------
    >>> from chargepath.knowledge.loader import shipped
    >>> work = shipped().procedures
    >>> warm = next(step for step in work.steps() if step.id == "plate_warm")
    >>> tools_of(work, warm)
    {'hot plate': (('plate_c', 70.0),), 'suction cup': ()}

    """
    found: dict[str, tuple[tuple[str, float], ...]] = dict.fromkeys(step.tools, ())
    text = f"{step.do} {step.check}".casefold()
    for tool in work.tools.values():
        settings = tuple((name, float(step.settings[name])) for name in tool.settings if name in step.settings)
        if settings or any(word in text for word in tool.words):
            found[tool.label] = settings
    return found


def layout_of(work: Procedures, plan: Plan, settled: Iterable[str] = ()) -> BenchLayout:
    """What the rest of a plan needs; `settled` are the ids of steps that are done or left out already."""
    done = set(settled)
    steps = [row.step for row in plan.steps if row.step.id not in done]
    minutes: dict[str, float] = {}
    settings: dict[str, dict[tuple[str, float], None]] = {}
    for step in steps:
        for label, made in tools_of(work, step).items():
            minutes[label] = minutes.get(label, 0.0) + step.minutes + step.wait
            settings.setdefault(label, {}).update(dict.fromkeys(made))
    return BenchLayout(
        tools=tuple(ToolNeed(label, minutes[label], tuple(settings[label])) for label in minutes),
        materials=tuple(dict.fromkeys(name for step in steps for name in step.materials)),
        minutes=sum(step.minutes for step in steps),
        wait=sum(step.wait for step in steps),
    )
