"""The posterior against a general-purpose Bayesian-network library (pyAgrum, exact inference)."""

from dataclasses import replace
from itertools import product
from random import Random

import numpy as np
import pyagrum as gum
from django.test import SimpleTestCase

from bench.problems import PLAIN_CHECK
from chargepath.case.entries import Case, CheckEvent, Device, RepairEvent, TryEvent
from chargepath.diagnosis.belief import assess
from chargepath.diagnosis.model import Model
from chargepath.knowledge.book import Knowledge
from chargepath.knowledge.checks import Check
from chargepath.knowledge.costs import ModelNumbers
from chargepath.knowledge.faults import Fault
from chargepath.knowledge.loader import shipped
from chargepath.knowledge.routes import Route
from chargepath.knowledge.stations import Station
from tests.sizes import sized

DEVICE = Device("phone", "usb_c", "sub_board", False, 100.0)
GRADES = ("fine", "open", "low", "short")
SIGNS = ("seen_a", "seen_b")


def spread(rng: Random, size: int) -> list[float]:
    weights = [rng.random() ** 2 + 0.02 for _ in range(size)]
    return [weight / sum(weights) for weight in weights]


def random_knowledge(rng: Random) -> Knowledge:
    """Three faults on as many stations, a graded check with cuts, one without, a look, two routes."""
    ship = shipped()
    names = [f"f{i}" for i in range(3)]
    stations = {f"s{i}": Station(f"s{i}", "", "", i) for i in range(3)}
    usual = {**PLAIN_CHECK, "station": "s0", "access": "outside", "minutes": 2.0}
    cut_by = tuple(name for name in names if rng.random() < 0.7)
    graded = {
        name: Check(
            id=name,
            word=name,
            label=name,
            grades=GRADES,
            signs=(),
            leak=dict(zip(GRADES, spread(rng, 4), strict=True)),
            open_grade="open" if cuts else "",
            cut_by=cuts,
            **usual,
        )
        for name, cuts in (("line", cut_by), ("plain", ()))
    }
    look = Check(
        id="look",
        word="look",
        label="look",
        grades=(),
        signs=SIGNS,
        open_grade="",
        cut_by=(),
        leak={sign: rng.random() * 0.3 for sign in SIGNS},
        **usual,
    )
    empty: dict[str, dict[str, float]] = {kind: {} for kind in ("history", "carrier", "connector", "kind", "wireless")}
    faults = {
        name: Fault(
            id=name,
            station=f"s{rng.randrange(3)}",
            label=name,
            about="",
            weight=rng.random() + 0.05,
            factors=empty,
            passes=rng.random() * 0.5,
            grades={check: dict(zip(GRADES[1:], spread(rng, 4)[1:], strict=True)) for check in graded},
            signs={"look": {sign: rng.random() for sign in SIGNS}},
            basis="practice",
        )
        for name in names
    }
    routes = {
        f"r{i}": Route(
            id=f"r{i}",
            label="",
            access="outside",
            access_on={},
            minutes=5.0,
            part=1.0,
            carriers=(),
            cures={n: rng.random() for n in rng.sample(names, 2)},
            plan_cures={},
            try_minutes=3.0,
            try_cures={},
            basis=(),
            harm="practice",
        )
        for i in range(2)
    }
    numbers = ModelNumbers(
        slip=0.01,
        sharpness=1.0,
        nothing_wrong=0.05,
        pairs=0.2,
        triples=0.02,
        history_low=0.2,
        history_high=12.0,
        explained_below=0.0,
        works_when_clean=0.95,
        holds=0.9,
        returned_new=0.15,
        basis="practice",
    )
    return replace(
        ship,
        stations=stations,
        cautions={},
        history={},
        checks={**graded, "look": look},
        faults=faults,
        routes=routes,
        hazards={},
        model=numbers,
        schools={},
    )


class Network:
    """The same model spelt out node by node: faults, effects, cuts, leak, slip.

    Nothing shared with the code under test.
    """

    def __init__(self, known: Knowledge, prior: dict[frozenset[str], float]) -> None:
        self.known, self.net, self.evidence, self.count = known, gum.BayesNet(), {}, 0
        self.names = list(known.faults)
        sets = list(prior)
        self.net.add(gum.LabelizedVariable("R", "", len(sets)))
        self.net.cpt("R").fillWith([prior[state] for state in sets])
        self.present, self.taken = {}, {}
        for name in self.names:
            self._node(f"F0_{name}", 2, ["R"], lambda r, name=name: [name not in sets[r], name in sets[r]])
            self.present[name] = f"F0_{name}"

    def _node(self, name: str, size: int, parents: list[str], row) -> str:
        self.net.add(gum.LabelizedVariable(name, "", size))
        for parent in parents:
            self.net.addArc(parent, name)
        sizes = [self.net.variable(parent).domainSize() for parent in parents]
        for values in product(*map(range, sizes)):
            self.net.cpt(name)[dict(zip(parents, values, strict=True))] = [float(p) for p in row(*values)]
        return name

    def _fresh(self) -> str:
        self.count += 1
        return f"o{self.count}"

    def repair(self, route: Route) -> None:
        tag = self._fresh()
        for name in self.names:
            cure = route.cures.get(name, 0.0)
            old = self.present[name]
            rows = [[1, 0], [cure, 1 - cure]]
            self.present[name] = self._node(f"F{tag}_{name}", 2, [old], lambda f, rows=rows: rows[f])
            gone = [old, self.present[name]]
            self.taken[name] = self._node(f"T{tag}_{name}", 2, gone, lambda old, new: [old <= new, old > new])

    def works(self, answer: bool, route: Route | None = None) -> None:
        tag, numbers = self._fresh(), self.known.model
        stands = route.cures if route else {}
        passing = []
        for name in self.names:
            stays = 1 - stands.get(name, 0.0)
            chance = 1 - stays + stays * self.known.faults[name].passes
            rows = [[0, 1], [1 - chance, chance]]
            passing.append(self._node(f"{tag}_{name}", 2, [self.present[name]], lambda f, rows=rows: rows[f]))
        clean = numbers.works_when_clean
        slip = numbers.slip
        truth = self._node(f"{tag}_all", 2, passing, lambda *p: [1 - clean, clean] if all(p) else [1, 0])
        self._observe(truth, tag, [[1 - slip / 2, slip / 2], [slip / 2, 1 - slip / 2]], int(answer))

    def _observe(self, truth: str, tag: str, rows, value: int) -> None:
        self._node(tag, len(rows[0]), [truth], lambda t: rows[t])
        self.evidence[tag] = value

    def graded(self, check: Check, grade: str, before: str = "") -> None:
        """A reading; `before` is what it showed before a repair: it holds where that took nothing it depends on."""
        tag, size = self._fresh(), len(GRADES)
        parents, roles = [], []
        for name in self.names:
            fault = self.known.faults[name]
            given = [fault.grades[check.id].get(g, 0.0) for g in GRADES]
            given[0] = 1 - sum(given)
            cut = given[1] if name in check.cut_by else 0.0
            if cut:
                given[1] = 0.0
                given = [p / (1 - cut) for p in given]
            rows = [[1, 0, 0, 0], given]
            parents.append(self._node(f"{tag}_e_{name}", size, [self.present[name]], lambda f, rows=rows: rows[f]))
            rows2 = [[1, 0], [1 - cut, cut]]
            parents.append(self._node(f"{tag}_c_{name}", 2, [self.present[name]], lambda f, rows=rows2: rows[f]))
            roles.append((self.known.stations[fault.station].position, self.names.index(name)))
        parents.append(self._node(f"{tag}_leak", size, [], lambda: [check.leak[g] for g in GRADES]))

        def result(*values):
            effects, cuts, worst = values[0:-1:2], values[1:-1:2], values[-1]
            opened = [index for index in sorted(range(len(roles)), key=lambda i: roles[i]) if cuts[index]]
            first = opened[0] if opened else None
            for index, effect in enumerate(effects):
                if first is None or (index != first and roles[index][0] <= roles[first][0]):
                    worst = max(worst, effect)
            worst = max(worst, 1) if first is not None else worst
            return [g == worst for g in range(size)]

        truth = self._node(f"{tag}_max", size, parents, result)
        slip = self.known.model.slip
        rows = [[(1 - slip) * (a == b) + slip / size for b in range(size)] for a in range(size)]
        if not before:
            self._observe(truth, tag, rows, GRADES.index(grade))
            return
        holds, same = self.known.model.holds, [float(g == before) for g in GRADES]
        again = [[holds * one + (1 - holds) * p for one, p in zip(same, row, strict=True)] for row in rows]
        depends = [self.taken[name] for name in self.names if self.known.faults[name].grades[check.id]]
        altered = self._node(f"{tag}_altered", 2, depends, lambda *t: [not any(t), any(t)])
        self._node(tag, size, [truth, altered], lambda t, fresh: rows[t] if fresh else again[t])
        self.evidence[tag] = GRADES.index(grade)

    def look(self, check: Check, signs: tuple[str, ...]) -> None:
        slip = self.known.model.slip
        for sign in SIGNS:
            tag, parents = self._fresh(), []
            for name in self.names:
                chance = self.known.faults[name].signs["look"][sign]
                rows = [[1, 0], [1 - chance, chance]]
                parents.append(self._node(f"{tag}_{name}", 2, [self.present[name]], lambda f, rows=rows: rows[f]))
            leak = check.leak[sign]
            parents.append(self._node(f"{tag}_leak", 2, [], lambda leak=leak: [1 - leak, leak]))
            truth = self._node(f"{tag}_or", 2, parents, lambda *p: [not any(p), any(p)])
            self._observe(truth, tag, [[1 - slip / 2, slip / 2], [slip / 2, 1 - slip / 2]], int(sign in signs))

    def posterior(self) -> list[float]:
        engine = gum.LazyPropagation(self.net)
        engine.setEvidence(self.evidence)
        engine.makeInference()
        return [float(engine.posterior(self.present[name])[1]) for name in self.names]


def stated_prior(known: Knowledge) -> dict[frozenset[str], float]:
    """The prior as the knowledge states it: nothing, singles by weight, pairs by product."""
    names, numbers = list(known.faults), known.model
    weight = {name: known.faults[name].weight for name in names}
    singles = {frozenset([name]): weight[name] for name in names}
    pairs = {frozenset([a, b]): weight[a] * weight[b] for i, a in enumerate(names) for b in names[i + 1 :]}
    rest = 1 - numbers.nothing_wrong - numbers.pairs
    prior = {frozenset[str](): numbers.nothing_wrong}
    prior |= {state: rest * value / sum(singles.values()) for state, value in singles.items()}
    prior |= {state: numbers.pairs * value / sum(pairs.values()) for state, value in pairs.items()}
    return prior


class PosteriorAgreesWithReference(SimpleTestCase):
    def test_on_random_models_with_checks_looks_tries_and_a_repair(self):
        for seed in range(sized(3, 8)):
            rng = Random(seed)
            known = random_knowledge(rng)
            grade, later, signs = rng.choice(GRADES), rng.choice(GRADES), tuple(s for s in SIGNS if rng.random() < 0.5)
            tried, repaired, answer = rng.random() < 0.5, rng.random() < 0.5, rng.random() < 0.3
            events = [
                CheckEvent("line", grade=grade),
                CheckEvent("look", signs=signs),
                TryEvent("r0", tried),
                RepairEvent("r1", answer if repaired else None),
                CheckEvent("line", grade=later),
                CheckEvent("plain", grade=rng.choice(GRADES)),
            ]
            net = Network(known, stated_prior(known))
            net.graded(known.checks["line"], grade)
            net.look(known.checks["look"], signs)
            net.works(tried, known.routes["r0"])
            net.repair(known.routes["r1"])
            if repaired:
                net.works(answer)
            net.graded(known.checks["line"], later, before=grade)
            net.graded(known.checks["plain"], events[-1].grade)
            belief = assess(Model(known, DEVICE), Case(DEVICE, (), tuple(events)))
            ours = belief.model.states.marginals(belief.mass)
            with self.subTest(seed=seed):
                np.testing.assert_allclose(ours, net.posterior(), rtol=0, atol=1e-9)
