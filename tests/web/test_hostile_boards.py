"""What no board is, made to hold or fill whoever reads it: an answer in words, within ten seconds and 100 MB."""

import subprocess
import sys
from pathlib import Path
from tempfile import TemporaryDirectory

from django.test import SimpleTestCase

from rainfront.board.reading import BOARD_FILE
from tests.runner import ROOT
from tests.sizes import sized

MOST_MB, M = 100, 1_000_000
TABLE, LISTS = b"part,pin,net,side,x_mm,y_mm\n", b"(kicad_pcb "
HOSTILE = {
    "quotes": LISTS + b'"' * 4 * M,
    "quotes of a table": TABLE + b'"' * 4 * M,
    "escapes": LISTS + b'"\\' * 2 * M,
    "points": LISTS + b"(zone (pts " + b"(xy 1 2) " * 2 * M,
    "depth": LISTS + b"(pts " * 4 * M,
    "lists": LISTS + b'(net 1 "a") ' * 1_600_000,
    "a long line": b"P  UNITS CUST 0\n327" + b" " * 19 * M,
    "empty lines": b"P  UNITS CUST 0\n" + b"\n" * 19 * M,
    "rows": TABLE + b"a,1,n,top,x,1\n" * 1_300_000,
    "columns": TABLE[:-1] + b"," * 19 * M,
    "depth of JSON": b'{"a":' + b"[" * 19 * M,
    "text of JSON": b'{"format":"rainfront-board-map","version":1,"x":"' + b"a" * 19 * M + b'"}',
    "numbers of JSON": b'{"a":[' + b"1," * 9 * M + b"1]}",
    "objects of JSON": b'{"a":[' + b'{"a":[]},' * 1_900_000 + b"1]}",
}
# Reads the file that is named, as the web process has it read, and says how much memory that took [kB].
MEASURED = """
import resource, subprocess, sys
with open(sys.argv[1], "rb") as sent:
    made = subprocess.run([sys.executable, "-m", sys.argv[2]], stdin=sent, capture_output=True)
print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss, made.stdout.partition(b"\\n")[0].decode())
"""


class HostileBoards(SimpleTestCase):
    def test_it_is_refused_in_words_and_takes_little(self):
        with TemporaryDirectory() as folder:
            path = Path(folder) / "sent"
            for name in sized(("rows", "numbers of JSON", "quotes of a table"), tuple(HOSTILE)):
                path.write_bytes(HOSTILE[name])
                words = [sys.executable, "-c", MEASURED, str(path), BOARD_FILE.module]
                said = subprocess.run(words, cwd=ROOT, capture_output=True, text=True, check=True).stdout.split()
                with self.subTest(name):
                    # Refused in words, or ended for its ten seconds, of which the page says so.
                    self.assertIn(said[1:], (["no"], []))
                    self.assertLess(int(said[0]) / 1000, MOST_MB)
