"""Simulated boards with one fault each: does a whole sheet find the station, and does it say so when it cannot?"""

from __future__ import annotations

from collections import Counter

from chargepath.knowledge import shipped
from chargepath.locate import locate
from chargepath.standin.board import BOARD_FAULTS, Board, BoardModel, DiodeMeter
from chargepath.standin.boards import halves, probes, references_of, whole_sheet

BOARDS, MODELS = 1000, 10
# Seeds that were not used while the suspicions were written.
FIRST_BOARD, FIRST_MODEL = 40_000, 700


def run(count: int = BOARDS, models: int = MODELS) -> Counter[tuple[str, str]]:
    """Count right, untold and wrong by fault, over boards of several invented models with six good boards each behind them."""
    known, meter = shipped(), DiodeMeter()
    pins = known.connectors["usb_c"].map
    rows = probes(known, pins) + halves(pins)
    made = [BoardModel.invent(FIRST_MODEL + k, pins) for k in range(models)]
    references = [references_of(model, meter, rows) for model in made]
    faults, out = list(BOARD_FAULTS), Counter[tuple[str, str]]()
    for k in range(count):
        which = (k // len(faults)) % models
        board = Board(made[which], FIRST_BOARD + k, faults[k % len(faults)])
        found = locate(known, whole_sheet(known, board, meter, references[which]))
        what = "untold" if not found.told else "right" if found.station == board.station else "wrong"
        out[board.fault, what] += 1
    return out


def report() -> None:
    """Print the table."""
    found = run()
    total = Counter[str]()
    for (_, what), n in found.items():
        total[what] += n
    print(f"boards with one fault each: {BOARDS}, of {MODELS} models")
    print(f"  right station {total['right'] / BOARDS:.1%}, not enough to tell {total['untold'] / BOARDS:.1%}, "
          f"wrong {total['wrong'] / BOARDS:.1%}")  # fmt: skip
    for fault in BOARD_FAULTS:
        print(
            f"  {fault:14} right {found[fault, 'right']:3} untold {found[fault, 'untold']:3} wrong {found[fault, 'wrong']:3}"
        )


if __name__ == "__main__":
    report()
