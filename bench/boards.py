"""Simulated boards with one fault each: does a whole sheet find the station, and does it say so when it cannot?"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from multiprocessing import Pool

from chargepath.grading.locate import locate
from chargepath.knowledge.loader import shipped
from chargepath.standin.board import ON_LINES, Board, BoardModel, StandinDiodeMeter
from chargepath.standin.boards import halves, probes, references_of, whole_sheet
from chargepath.standin.device import StandinDevice
from chargepath.standin.faults import fault_of

BOARDS, MODELS = 1000, 10
# Seeds that were not used while the suspicions were written.
FIRST_BOARD, FIRST_MODEL = 40_000, 700


def of_model(which: int) -> Counter[tuple[str, str]]:
    """Count right, untold and wrong by fault over one invented model's boards, six good ones behind them."""
    known, meter = shipped(), StandinDiodeMeter()
    pins = known.connectors["usb_c"].map
    rows = probes(known, pins) + halves(pins)
    made = BoardModel.invent(FIRST_MODEL + which, pins)
    references = references_of(made, meter, rows)
    faults, out = list(ON_LINES), Counter[tuple[str, str]]()
    for k in range(BOARDS):
        if (k // len(faults)) % MODELS != which:
            continue
        fault = faults[k % len(faults)]
        station = known.faults[fault_of(fault)].station
        board = Board(made, StandinDevice.broken(fault, FIRST_BOARD + k))
        found = locate(known, whole_sheet(known, board, meter, references))
        what = "untold" if not found.told else "right" if found.station == station else "wrong"
        out[fault, what] += 1
    return out


def run() -> Iterator[str]:
    """Yield the lines of the table."""
    found, total = Counter[tuple[str, str]](), Counter[str]()
    with Pool(2) as pool:
        for part in pool.map(of_model, range(MODELS)):
            found += part
    for (_, what), n in found.items():
        total[what] += n
    yield f"boards with one fault each: {BOARDS}, of {MODELS} models (target: right station at least 95 %)"
    shares = [
        f"{words} {total[what] / BOARDS:.1%}"
        for what, words in (("right", "right station"), ("untold", "not enough to tell"), ("wrong", "wrong"))
    ]
    yield f"  {', '.join(shares)}"
    for fault in ON_LINES:
        counts = (f"{what} {found[fault, what]:3}" for what in ("right", "untold", "wrong"))
        yield f"  {fault:20} {' '.join(counts)}"
