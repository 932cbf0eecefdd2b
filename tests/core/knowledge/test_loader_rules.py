"""Each rule of the knowledge files, broken once."""

import shutil
import tempfile
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated

from django.test import SimpleTestCase

from chargepath.base.errors import KnowledgeError
from chargepath.knowledge.loader import DATA, FILES, load, shipped
from chargepath.knowledge.reader import InFile, Reader
from chargepath.repair.figures import standard_device
from chargepath.repair.workplan import make_plan

PROMISED = Path(__file__).parents[2] / "data" / "promised_ids.toml"


@dataclass(frozen=True)
class Shelf:
    """A row for `Reader.row` with each kind of field."""

    id: str
    label: str
    deep: Annotated[float, InFile(key="depth", low=1, high=5)]
    boards: Annotated[int, InFile(absent=2)]
    odds: Annotated[Mapping[str, float], InFile(chances=True)]
    names: Mapping[str, str]
    wide: float | None = None
    note: str = "none"
    loose: bool = False
    holds: tuple[str, ...] = ()


class Rows(SimpleTestCase):
    def made(self, **table):
        read = Reader(DATA)
        return read.row(Shelf, table, "shelf.toml [a]", ("kept",), id="a"), read.problems

    def test_each_field_is_read_by_its_type_its_key_and_its_limits(self):
        found, problems = self.made(label="L", depth=3, odds={"a": 0.5}, names={"b": "c"}, holds=["d"], kept=1)
        self.assertEqual(problems, [])
        self.assertEqual(found, Shelf("a", "L", 3.0, 2, {"a": 0.5}, {"b": "c"}, holds=("d",)))

    def test_everything_that_is_wrong_is_named_with_its_place_at_once(self):
        _, problems = self.made(depth=9, odds={"a": 2}, names={"b": 1}, wide="x", loose="yes", hold=["d"])
        parts = ("[a]: key 'hold'", "[a].label", "[a].depth: must be a number from 1 to 5", "[a].odds.a", "[a].names.b")
        for part in (*parts, "[a].wide", "[a].loose"):
            self.assertTrue(any(part in problem for problem in problems), (part, problems))
        self.assertEqual(len(problems), 7)


class EachRule(SimpleTestCase):
    ROWS = (
        (
            "faults",
            'station = "port"',
            'station = "moon"',
            "faults.toml [port_fouled].station: 'moon' is not known; allowed are source",
        ),
        ("faults", "weight = 0.06", "weight = 0", "faults.toml [source_weak].weight: must be a number from 1e-06 to 1"),
        ("faults", "passes = 0.90", "pases = 0.90", "key 'pases' is not known here"),
        (
            "faults",
            "{ cheap_accessory = 2.5, comes",
            "{ cheap_accesory = 2.5, comes",
            "'cheap_accesory' is not known; allowed are liquid",
        ),
        ("faults", "micro_b = 1.6", "mini_b = 1.6", "'mini_b' is not known; allowed are usb_c"),
        ("faults", "moves = 0.88", "shakes = 0.88", "'shakes' is not known; allowed are firm, moves"),
        ("faults", "lint = 0.95", "fluff = 0.95", "'fluff' is not known; allowed are lint"),
        ("checks", 'access = "outside"', 'access = "inside"', "'inside' is not known; allowed are outside"),
        ("checks", 'signs = ["lint",', 'signs = ["lnt",', "must name each of lnt"),
        (
            "checks",
            'open_grade = "open"\ncut_by = ["port_worn"',
            'open_grade = "open"\ncut_by = ["port_won"',
            "'port_won' is not known",
        ),
        (
            "checks",
            'station_on = { board = "guard" }',
            'station_on = { bord = "guard" }',
            "'bord' is not known; allowed are port, board",
        ),
        (
            "checks",
            'void_when = [["power_up", "dead"]]',
            'void_when = [["power_up", "ded"]]',
            "'ded' is not known; allowed are starts, dead",
        ),
        ("checks", "needs_wireless = true", 'needs_wireless = "yes"', "must be true or false"),
        ("checks", 'connectors = ["usb_c", "eight_pad"]', 'connectors = "usb_c"', "must be a list of texts"),
        ("routes", 'access = "outside"', 'access = "roof"', "routes.toml [advise_source].access: 'roof' is not known"),
        (
            "routes",
            'carriers = ["sub_board", "flex"]',
            'carriers = ["sub_board", "flax"]',
            "'flax' is not known; allowed are sub_board",
        ),
        (
            "routes",
            "cures = { rail_short = 0.72 }",
            "cures = {}",
            "faults.toml [rail_short]: no route in routes.toml cures it",
        ),
        (
            "checks",
            'cautions = ["supply", "fumes"]\nputs',
            'cautions = ["supply", "solvent"]\nputs',
            "[hot_spot].cautions: no solvent lies on what a current is put into",
        ),
        ("stations", 'cautions = ["lithium", "glass"]', 'cautions = ["lithium", "grass"]', "'grass' is not known"),
        (
            "costs",
            "rate_per_minute = 0.75",
            "rate_per_minute = -1",
            "costs.toml.rate_per_minute: must be a number from 0",
        ),
        ("scale", "usually = 0.80", "usually = 1.80", "scale.toml [words].usually: must be a number from 0 to 1"),
        ("scale", "slip = 0.01", "", "scale.toml [model].slip: must be a number"),
        ("scale", "sharpness = 1.4", "sharpness = 0", "scale.toml [model].sharpness: must be a number from 0.5 to 3"),
        (
            "costs",
            "comeback_rate = 0.05",
            "comeback_rate = 0",
            "costs.toml.comeback_rate: must be a number from 0.001 to 0.9",
        ),
        ("proof", 'basis = "practice"', 'basis = "hearsay"', "proof.toml.basis: every number needs a basis"),
        (
            "connectors",
            "reversible = true",
            'reversible = "both"',
            "connectors.toml [usb_c].reversible: must be true or false",
        ),
        ("sources", "amps = 0.1", 'amps = "few"', "sources.toml [usb2_low].amps: must be a number"),
        (
            "traces",
            'check = "plug_flip"',
            'check = "plug_flop"',
            "traces.toml [directions].check: 'plug_flop' is not known",
        ),
        (
            "traces",
            '["one", 20,',
            '["one", -20,',
            "traces.toml [directions].steps: each step is [stretch, seconds, text]",
        ),
        ("connectors", 'A5 = "cc1"', 'A5 = "cc9"', "is on the net 'cc9', which is not defined"),
        (
            "connectors",
            "pins = 24",
            "pins = 25",
            "connectors.toml [usb_c].rows: 24 pins are drawn, 25 are named in pins",
        ),
        ("connectors", '["A5", "B5"]', '["A5", "B55"]', "pin B55 is named as a twin or direction but is not drawn"),
        ("points", 'group = "across"', 'group = "along"', "'along' is no group; one of power, ground"),
        ("places", 'station = "port"', 'station = "moon"', "'moon' is not known; allowed are source"),
        ("locate", "contact = { open = 0.92 }", "contact = { open = 1.92 }", "shows.contact"),
        ("locate", "touch = [1]", "touch = [2]", "locate.toml [clean].touch: must be a list of chances from 0 to 1"),
        (
            "ladder",
            'stop = "plug"',
            'stop = "cell"',
            "each [[hop]] must lead from one [[rung]] to the next",
        ),
        ("bench", "aim_w = 1.0", "", "bench.toml [supply].aim_w: must be a number"),
        (
            "procedures",
            'materials = ["isopropanol 99 %"]\nacts = ["solvent"]\nmakes = ["solvent"]',
            'materials = ["isopropanol 99 %"]',
            "uses isopropanol 99 %: its acts name 'solvent', and it makes one of solvent, wet",
        ),
        (
            "procedures",
            'materials = ["isopropanol 99 %"]\nacts = ["solvent"]',
            'acts = ["solvent"]',
            "does the act 'solvent': its materials name one of isopropanol 99 %",
        ),
        ("hazards", 'work = ["cell_unsafe"]', 'work = ["cell_usafe"]', "'cell_usafe' is not known"),
        ("emergencies", 'never = ["Rub."]', "", "emergencies.toml [eye].never: must name at least one thing"),
        ("cautions", 'label = "Lead"', "label = 7", "cautions.toml [lead].label: must be a text"),
    )

    def test_is_reported_with_file_table_and_key_and_alone(self):
        for stem, old, new, message in self.ROWS:
            with self.subTest(message=message), tempfile.TemporaryDirectory() as folder:
                shutil.copytree(DATA, folder, dirs_exist_ok=True)
                path = Path(folder) / f"{stem}.toml"
                text = path.read_text(encoding="utf-8")
                self.assertIn(old, text)
                path.write_text(text.replace(old, new, 1), encoding="utf-8")
                with self.assertRaises(KnowledgeError) as caught:
                    load(Path(folder))
                self.assertIn(message, "\n".join(caught.exception.problems))
                self.assertLessEqual(len(caught.exception.problems), 7)

    def test_every_file_is_read_and_every_number_has_a_basis(self):
        self.assertEqual({path.stem for path in DATA.glob("*.toml")}, set(FILES))
        known = shipped()
        tables = [
            known.checks,
            known.faults,
            known.routes,
            known.connectors,
            known.sources,
            known.routines,
            known.access,
        ]
        for table in tables:
            for row in table.values():
                self.assertRegex(row.basis, r"^(practice|memory|standard: .+)$")

    def test_ids_are_those_the_case_file_promises(self):
        known = shipped()
        promised = tomllib.loads(PROMISED.read_text("utf-8"))
        for table in ("faults", "routes", "history", "mishaps"):
            ids = getattr(known, table)
            self.assertLessEqual(set(promised[table]), set(ids))
        for check, outcomes in promised["checks"].items():
            self.assertLessEqual(set(outcomes), {*known.checks[check].grades, *known.checks[check].signs})
        tryable = {name for name, route in known.routes.items() if route.try_minutes is not None}
        self.assertLessEqual({"advise_source", "swap_carrier", "swap_battery", "reseat_links"}, tryable)
        self.assertEqual(next(iter(known.stations)), "source")
        self.assertEqual(list(known.stations)[-1], "board")
        self.assertEqual(known.routes["replace_port"].access_for("none"), "board_out")
        self.assertIn("link_loose", known.routes["swap_carrier"].cures_on("flex"))
        self.assertNotIn("link_loose", known.routes["swap_carrier"].cures_on("sub_board"))

    def test_every_step_that_can_hurt_carries_its_caution(self):
        """Words in a step that ask for a caution at that step or one before it."""
        known = shipped()
        asks = {
            "hot air": {"hot_air"},
            "isopropanol": {"solvent"},
            "solder": {"fumes", "lead", "hot_air"},
            "lever": {"solvent"},
        }
        for name in known.procedures.recipes:
            seen: set[str] = set()
            for row in make_plan(known, standard_device(known, known.routes[name]), name).steps:
                seen |= set(row.step.cautions)
                for word, cautions in asks.items():
                    if word in row.step.do.lower():
                        with self.subTest(route=name, step=row.step.do):
                            self.assertTrue(seen & (cautions | {"fumes", "lithium"}))
