"""The proof while it is made: one item large, the rest as a list with marks, what failed and where to go back to."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from chargepath.base.sentences import clause, inside
from chargepath.knowledge import Knowledge
from chargepath.knowledge.proofs import OPEN, ProofItem
from chargepath.knowledge.wording import Caution
from chargepath.proving.asking import proof_minutes
from chargepath.proving.verdict import ItemMark
from rainfront.jobs.presenters.plans import minutes_words
from rainfront.proof.proving import PROOF_SLOT, Proving
from rainfront.proof.words import need_words, shown_words

MARKS = {True: "good", False: "off", None: "none"}
SHOWN_GUESSES = 3


@dataclass(frozen=True)
class ItemRow:
    """One item of the list: its mark, what was read, and how."""

    id: str
    label: str
    mark: str
    text: str
    state: str
    by_meter: bool


@dataclass(frozen=True)
class ItemNow:
    """The item that fills the screen."""

    id: str
    number: int
    label: str
    do: str
    need: str
    said: str
    answers: Sequence[tuple[str, str, bool]]
    sayings: Sequence[tuple[str, str]]
    several: bool
    typed: bool
    again: str
    essential: bool
    watch: str
    wait: str
    absent: str
    cautions: Sequence[Caution]


@dataclass(frozen=True)
class GuessRow:
    """A slip that it may be: how likely, what to do, the step to go back to."""

    id: str
    label: str
    do: str
    share: str
    step: str
    step_words: str


@dataclass(frozen=True)
class ProofPage:
    """Everything on the page of a proof."""

    title: str
    about: str
    rows: Sequence[ItemRow]
    now: ItemNow | None
    done: int
    asked: int
    left: str
    failed: Sequence[ItemRow]
    guesses: Sequence[GuessRow]
    steps: Sequence[tuple[str, str]]
    to_close: int
    habit: str
    together: Sequence[str]
    offered: int


def together_of(proving: Proving) -> list[ProofItem]:
    """Functions that the work may have hurt and that are still to be looked at: they may be answered by one press."""
    marks = [mark for mark in proving.result.items if mark.item.touched and mark.item.answers and not mark.item.signs]
    return [mark.item for mark in marks if not mark.settled and not mark.doubt]


def proof_page(proving: Proving, known: Knowledge, wanted: str = "") -> ProofPage:
    """The proof of a job, `wanted` the item that a person has jumped to."""
    marks = proving.result.items
    ids = [mark.item.id for mark in marks]
    current = wanted if wanted in ids else next((mark.item.id for mark in marks if not mark.settled), "")
    rows = [_row(mark, current, proving) for mark in marks]
    left = [mark.item for mark in marks if not mark.settled]
    plan = proving.subject.plan
    words = {row.step.id: clause(row.step.do) for row in plan.steps} if plan else {}
    now = next((mark for mark in marks if mark.item.id == current), None)
    opened = proving.phase == OPEN
    together = together_of(proving) if now and now.item.touched else []
    choice = next((row for row in plan.choices if row.slot == PROOF_SLOT), None) if plan else None
    return ProofPage(
        title="Prove it before it is closed" if opened else "Prove it as it is handed over",
        about="what cannot be repaired once it is closed" if opened else "closed up, known-good charger",
        rows=rows,
        now=_now(now, ids.index(current) + 1, known, proving.proof.doubts) if now else None,
        done=sum(bool(mark.shown or mark.left_out) for mark in marks if not mark.item.extra),
        asked=sum(not mark.item.extra for mark in marks),
        left=minutes_words(*proof_minutes(left)),
        failed=[row for row in rows if row.mark == "off"],
        guesses=[
            GuessRow(
                id=guess.slip.id,
                label=guess.slip.label,
                do=guess.slip.do,
                share=f"{guess.share:.0%}",
                step=guess.back,
                step_words=words.get(guess.back, ""),
            )
            for guess in proving.guesses[:SHOWN_GUESSES]
        ],
        steps=[(row.step.id, clause(row.step.do)) for row in plan.steps if row.phase != "test"] if plan else [],
        to_close=proving.to_close,
        together=[f"{item.label}: {next(iter(item.answers.values()))}" for item in together]
        if len(together) > 1
        else [],
        offered=sum(mark.item.extra and not mark.shown for mark in marks) if proving.subject.is_small else 0,
        habit=inside(choice.picked.option.label) if choice and proving.subject.opened else "",
    )


def _row(mark: ItemMark, current: str, proving: Proving) -> ItemRow:
    text = f"left out: {mark.left_out}" if mark.left_out else shown_words(mark)
    if mark.doubt:
        shown = proving.proof.doubts[mark.item.id].split(",")[0]
        then = "waited for" if shown in mark.item.waits else "made sure of"
        text = f"{_shown(mark.item, shown)} once: {then}"
    state = "now" if mark.item.id == current else "left"
    if (mark.shown or mark.left_out) and mark.item.id != current:
        state = "skipped" if mark.left_out else "done"
    by_meter = mark.item.id in proving.proof.by_meter
    return ItemRow(
        id=mark.item.id, label=mark.item.label, mark=MARKS[mark.met], text=text, state=state, by_meter=by_meter
    )


def _shown(item: ProofItem, shown: str) -> str:
    return item.words(shown) if item.answers else shown.replace("_", " ")


def _now(mark: ItemMark, number: int, known: Knowledge, doubts: Mapping[str, str]) -> ItemNow:
    item = mark.item
    again = item.waits.get(doubts.get(item.id, "").split(",")[-1], item.again)
    return ItemNow(
        id=item.id,
        number=number,
        label=item.label,
        do=item.do,
        need=need_words(mark),
        said=shown_words(mark) or (f"left out: {mark.left_out}" if mark.left_out else ""),
        answers=[(name, text, name in mark.shown.split("+")) for name, text in item.answers.items()],
        sayings=list(item.said.items()),
        several=bool(item.signs),
        typed=bool(item.values),
        again=again if mark.doubt else "",
        essential=item.essential,
        watch=item.watch,
        wait=f"{item.wait:g} min" if item.wait else "",
        absent=item.absent,
        cautions=[known.cautions[name] for name in item.cautions],
    )
