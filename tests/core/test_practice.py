"""The table of practice names ways and steps that there are."""

import re
from pathlib import Path

from django.test import SimpleTestCase

from chargepath.knowledge.loader import shipped

TABLE = Path(__file__).parents[2] / "docs" / "practice.md"
# Choices whose ways the table lists; the others are older and stand in the program alone.
LISTED = ("alloy", "reflow", "last_pass", "contacts", "board_glue", "glue_off", "chip_pads", "lost_pad", "small_part")


class Practice(SimpleTestCase):
    def test_every_name_in_the_table_is_in_the_data_and_every_way_of_its_choices_in_the_table(self):
        work, text = shipped().procedures, TABLE.read_text(encoding="utf-8")
        ways = {f"{slot}.{way}" for slot, options in work.options.items() for way in options}
        names = {name for name in re.findall(r"`([a-z_]+(?:\.[a-z_]+)?)`", text) if not name.endswith((".toml", ".md"))}
        known = ways | {step.id for step in work.steps()} | {"code", "slot.way"}
        self.assertEqual(names - known, set())
        free = {"board_glue.free"}
        self.assertEqual({way for way in ways if way.split(".")[0] in LISTED} - names - free, set())
