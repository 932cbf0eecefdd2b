"""Each rule of the procedures and traits, broken once: the problem names file, place and what would be right."""

import re
import shutil
import tempfile
from pathlib import Path

from django.test import SimpleTestCase

from chargepath.base.errors import KnowledgeError
from chargepath.knowledge.loader import DATA, FILES, load, shipped
from chargepath.knowledge.procedures import OWN_WORDS, literals
from chargepath.knowledge.traits import built

ROWS = (
    (
        "plan",
        '[recipe]\nadvise_source = ["other_source"]',
        "[recipe]",
        "[recipe] advise_source: this route has no blocks",
    ),
    ("plan", 'clean_port = ["clean_port"]', 'clean_port = ["clean_the_port"]', "'clean_the_port' is not known"),
    (
        "plan",
        'act = "pry"\nholds = "cell_on"',
        'act = "pry"\nholds = "cell_in"',
        "[[never]] pry_live: 'cell_in' is not known",
    ),
    ("plan", "closed = true", "shut = true", "plan.toml [goal]: 'shut' is not known"),
    ("plan", 'opened = ["powered"', 'open = ["powered"', "[level.opened]: this level has no blocks or no start"),
    ("plan", '"@opening"', '"@door"', "'door' is not known"),
    ("plan", 'seal = ["part_glue"]', 'seal = ["part_tape"]', "[told]: 'part_tape' is not known"),
    ("plan", 'heat = ["hot_air"]', 'warmth = ["hot_air"]', "[told]: 'warmth' is not known"),
    (
        "plan",
        'sim_in = ["the SIM tray is in", "the SIM tray is out"]',
        'sim_in = ["the SIM tray is in"]',
        "must be two texts",
    ),
    ("procedures", 'makes = ["photo"]', 'makes = ["foto"]', "procedures.toml photo: 'foto' is not known"),
    ("procedures", 'acts = ["probe"]', 'acts = ["prod"]', ".acts: 'prod' is not known"),
    ("procedures", "plate_c = 70", "plate_k = 343", ".set: 'plate_k' is not known"),
    ("procedures", 'when = ["phone"]', 'when = ["telephone"]', "procedures.toml sim_out: 'telephone' is not known"),
    (
        "procedures",
        'back = ["wick", "level"]',
        'back = ["wack", "level"]',
        "procedures.toml dry_fit.back: 'wack' is not known",
    ),
    ("procedures", 'screws = "in"', 'screws = "home"', "plates_first.screws: 'home' is not known; allowed are in, out"),
    ("procedures", 'id = "sim_out"', 'id = "photo"', "procedures.toml photo: two steps have this id"),
    ("procedures", 'record = "line_power"', 'record = "line_pwr"', ".record: 'line_pwr' is not known"),
    ("procedures", "harm = 0.012", "harm = 7", "procedures.toml [option.opening.plate_fast].harm: must be a number"),
    ("procedures", "comeback = 0.015", "comeback = 0.9", "comeback: must be a number from -0.05 to 0.5"),
    ("procedures", 'do = "Take the SIM tray out', 'duo = "Take the SIM tray out', "key 'duo' is not known here"),
    (
        "procedures",
        'when = ["hidden_pins", "plastic_near_port"]',
        'when = ["hidden_pins", "sealed"]',
        "[option.seating]: none of these suits a device with hidden_pins, plastic_near_port: add one that does",
    ),
    (
        "procedures",
        'when = ["shields_clipped"]',
        'when = ["sealed"]',
        "[option.shield_off]: none of these suits a device with none of what they name",
    ),
    ("traits", 'usual = ["tablet"]', 'usual = ["slate"]', "traits.toml [display_first].usual: 'slate' is not known"),
    ("traits", 'label = "Clip-on back"', 'lable = "Clip-on back"', "key 'lable' is not known here"),
)


class EachRule(SimpleTestCase):
    def test_each_is_named(self):
        for stem, found, put, says in ROWS:
            with self.subTest(stem=stem, put=put), tempfile.TemporaryDirectory() as folder:
                for name in FILES:
                    shutil.copy(DATA / f"{name}.toml", folder)
                path = Path(folder) / f"{stem}.toml"
                text = path.read_text(encoding="utf-8")
                self.assertIn(found, text)
                path.write_text(text.replace(found, put, 1), encoding="utf-8")
                with self.assertRaises(KnowledgeError) as raised:
                    load(Path(folder))
                self.assertIn(says, "\n".join(raised.exception.problems))


class Shipped(SimpleTestCase):
    WORK = shipped().procedures

    def test_every_step_is_in_a_plan_that_somebody_can_have(self):
        used = {name.removeprefix("@") for names in self.WORK.recipes.values() for name in names}
        used |= {name.removeprefix("@") for names in self.WORK.after_test.values() for name in names}
        used |= {*self.WORK.first}
        for level in self.WORK.levels.values():
            used |= {n.removeprefix("@") for part in (level.open, level.again, level.test, level.close) for n in part}
        self.assertEqual(set(self.WORK.blocks) - used, set())
        self.assertEqual(set(self.WORK.options) - used, {"place", "alloy"})

    def test_heat_says_how_hot_and_how_near(self):
        for step in self.WORK.steps():
            if "hot_air" in step.acts:
                with self.subTest(step=step.id):
                    self.assertTrue({"air_c", "below_c"} & set(step.settings))
                    self.assertIn("hot_air", step.cautions)
            if "solder" in step.acts and "iron_c" in step.settings:
                with self.subTest(step=step.id):
                    self.assertTrue({"fumes", "lead"} & set(step.cautions))

    def test_a_check_that_fails_says_what_to_do(self):
        for step in self.WORK.steps():
            if step.back:
                with self.subTest(step=step.id):
                    self.assertTrue(step.check and step.fails)

    def test_settings_are_within_what_such_a_tool_can_do(self):
        """Common practice: plates to 200 °C, irons 300 to 420, hot air to 400, what is near a cell under 90."""
        limits = {
            "plate_c": (40, 200),
            "iron_c": (300, 420),
            "air_c": (60, 400),
            "below_c": (200, 400),
            "dryer_c": (50, 90),
            "clamp_c": (50, 90),
            "pad_c": (50, 90),
            "dry_c": (30, 70),
            "torque_ncm": (1, 10),
            "depth_mm": (1, 6),
            "volts": (3, 4.5),
        }
        for step in self.WORK.steps():
            for name, value in step.settings.items():
                if name in limits:
                    with self.subTest(step=step.id, setting=name):
                        low, high = limits[name]
                        self.assertTrue(low <= value <= high, value)

    def test_literals(self):
        self.assertEqual(literals(("cell_on", "!wet")), (("cell_on", True), ("wet", False)))


class Traits(SimpleTestCase):
    KNOWN = shipped()

    def test_what_is_told_of_a_group_stands_in_place_of_what_is_usual(self):
        usual, told = (set(built(self.KNOWN.traits, "phone", names)) for names in ((), ("clip_back", "sealed")))
        self.assertIn("rear_glass", usual)
        self.assertEqual(told - usual, {"clip_back", "sealed"})
        self.assertEqual(usual - told, {"rear_glass"})
        self.assertIn("display_first", built(self.KNOWN.traits, "tablet", ()))

    def test_no_trait_is_called_as_a_word_that_the_plan_uses_itself(self):
        self.assertFalse(set(self.KNOWN.traits) & {*OWN_WORDS, *self.KNOWN.kinds, *self.KNOWN.carriers})

    def test_each_group_has_one_usual_way_for_each_kind(self):
        groups = {trait.group for trait in self.KNOWN.traits.values() if trait.group}
        for kind in self.KNOWN.kinds:
            for group in groups:
                found = [t.id for t in self.KNOWN.traits.values() if t.group == group and kind in t.usual]
                with self.subTest(kind=kind, group=group):
                    self.assertEqual(len(found), 1, found)


# Words of a step, and the fact that it has to make then: off and on, in and out, up and down, wet and dry.
SAYS = (
    (r"(?<!over the )[Bb]attery connector off", "cell_on", False),
    (r"[Bb]attery connector on\b", "cell_on", True),
    (r"^Switch it off", "powered", False),
    (r"SIM tray out|and SIM out", "sim_in", False),
    (r"SIM tray and card back in", "sim_in", True),
    (r"^Take the shields up", "lids_up", True),
    (r"^Close the shields", "lids_up", False),
    (r"[Tt]ake tape and foil off", "masked", False),
    (r"mix low-melt", "low_melt", True),
    (r"[Tt]ake the flux off", "flux", False),
    (r"air off|[Bb]low it dry", "solvent", False),
    (r"cool (undisturbed|by itself)", "hot", False),
    (r"screws? (go |out )?onto the map|[Bb]oard's screws out", "screws_out|plates_off|held_off", True),
    (r"[Cc]over plates on", "plates_off", False),
    (r"[Ll]ift flexes and antenna leads off", "flexes_off", True),
    (r"pads (are )?flat|all pads the same height, holes", "pads_full", False),
    (r"note its pin one", "pin_one", True),
    (r"old adhesive off", "old_glue", False),
    (r"^Lay the (ready-cut )?seal", "seal", True),
    (r"cap off", "cap", False),
    (r"[Ss]hipping film off", "film", False),
    (r"[Bb]oard back into its frame", "board_out", False),
    (r"port's board back in", "carrier_out", False),
    (r"[Ss]creen's flexes off|plug by the metal, then lay the cover", "tied", False),
    (r"[Ss]creen's flexes on|cover's flex back on", "tied", True),
)


class WordsAndFacts(SimpleTestCase):
    def test_what_a_steps_words_do_its_facts_say(self):
        found = 0
        for step in shipped().procedures.steps():
            for words, facts, so in SAYS:
                if re.search(words, step.do):
                    found += 1
                    with self.subTest(step=step.id, words=words):
                        made = {fact for fact, value in step.makes if value == so}
                        self.assertTrue(made & set(facts.split("|")), f"{step.do} makes {step.makes}")
        self.assertGreater(found, 60)

    def test_each_words_stand_in_a_step(self):
        texts = [step.do for step in shipped().procedures.steps()]
        for words, *_ in SAYS:
            with self.subTest(words=words):
                self.assertTrue(any(re.search(words, text) for text in texts))
