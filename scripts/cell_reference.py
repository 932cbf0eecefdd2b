"""Charging by a general battery simulation library, PyBaMM, for tests/data/cell_reference.json; run once, by hand.

    python -m venv somewhere && somewhere/bin/pip install pybamm && somewhere/bin/python scripts/cell_reference.py

Cells of two parameter sets that the library ships, made larger and smaller by plates in parallel, charged from nearly
empty: constant current to the limit, then held there until a twentieth of the capacity flows. Single-particle model
with electrolyte, no heat.
"""

import json
from pathlib import Path

import pybamm

SETS = {"Ai2020": 4.2, "Chen2020": 4.2}
SIZES_AH, RATES = (1.0, 2.5, 4.5), (0.2, 0.5, 0.8)
TARGET = Path(__file__).resolve().parents[1] / "tests" / "data" / "cell_reference.json"


def charge(name: str, limit: float, size: float, rate: float) -> dict[str, float]:
    """One charge: hours to the limit and in all, and what went in [Ah] at both."""
    values = pybamm.ParameterValues(name)
    parallel = size / values["Nominal cell capacity [A.h]"]
    plates = "Number of electrodes connected in parallel to make a cell"
    values[plates] = values[plates] * parallel
    values["Nominal cell capacity [A.h]"] = size
    # PyBaMM's own C-rate is by the nominal capacity.
    steps = pybamm.Experiment(
        [(f"Charge at {rate * size} A until {limit} V", f"Hold at {limit} V until {size / 20} A")]
    )
    made = pybamm.Simulation(pybamm.lithium_ion.SPMe(), parameter_values=values, experiment=steps)
    found = made.solve(initial_soc=0.02)
    first = found.cycles[0].steps[0]
    current = -found["Discharge capacity [A.h]"].entries
    begin = -first["Discharge capacity [A.h]"].entries
    return {
        "set": name, "ah": size, "rate": rate, "limit_v": limit,
        "cc_h": float(first["Time [h]"].entries[-1]), "all_h": float(found["Time [h]"].entries[-1]),
        "cc_ah": float(begin[-1] - begin[0]), "all_ah": float(current[-1] - current[0]),
    }  # fmt: skip


def main() -> None:
    """Charge them all."""
    rows = [charge(name, limit, size, rate) for name, limit in SETS.items() for size in SIZES_AH for rate in RATES]
    about = f"PyBaMM {pybamm.__version__}, SPMe, initial state of charge 2 %; made by scripts/cell_reference.py"
    TARGET.write_text(json.dumps({"made_by": about, "rows": rows}, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
