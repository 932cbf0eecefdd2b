"""What the program knows about the trade: data files, one module for each kind of table, and the loader.

Each module holds a table's frozen dataclasses, reads them (`read_...`) and checks what they name in others
(`cross_check`). Every problem is collected with file, table and key; the program does not start on knowledge that
does not hold together. A shop's own numbers (`changes`) pass through the same checks. `loader.shipped` is what comes
with the program; the web application only asks for it through its `Shop`, which puts the shop's changes and what was
learned on top.
"""

from chargepath.knowledge.book import Knowledge
from chargepath.knowledge.checks import Check
from chargepath.knowledge.faults import Fault
from chargepath.knowledge.routes import Route

__all__ = ["Check", "Fault", "Knowledge", "Route"]
