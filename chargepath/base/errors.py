"""One tree of typed errors.

Each carries what was wrong, where, and what would be right, so that every interface can say so.
"""

from __future__ import annotations


class ChargepathError(Exception):
    """Root of everything this package raises on purpose.

    Parameters
    ----------
    what : str
        What was wrong, as a sentence without a full stop.
    where : str, optional
        Where: a JSON path, a file and key, a field.
    right : str, optional
        What would be right instead.

    """

    def __init__(self, what: str, where: str = "", right: str = "") -> None:
        self.what = what
        self.where = where
        self.right = right
        super().__init__(str(self))

    def __str__(self) -> str:
        text = f"{self.where}: {self.what}" if self.where else self.what
        return f"{text}; {self.right}" if self.right else text


class ReadingError(ChargepathError):
    """A typed or imported reading cannot be what it says."""


class AmbiguousReadingError(ReadingError):
    """A reading can be read in two ways; the person has to say which.

    Attributes
    ----------
    choices : tuple of str
        Unambiguous spellings, each of which would be accepted.

    """

    def __init__(self, what: str, where: str = "", right: str = "", choices: tuple[str, ...] = ()) -> None:
        self.choices = choices
        super().__init__(what, where, right)


class DangerError(ChargepathError):
    """Something dangerous was asked for: which hazard forbids it, why, and the way out.

    Parameters
    ----------
    hazard : str
        Its label.
    why : str
        What not to do, and why.
    right : str
        The way out.

    """

    def __init__(self, hazard: str, why: str, right: str) -> None:
        self.hazard = hazard
        super().__init__(why.rstrip("."), hazard, right)


class QuickLineError(ChargepathError):
    """A quick line cannot be read."""


class CaseFileError(ChargepathError):
    """A case file is not one; `problems` lists every fault with its JSON path."""

    def __init__(self, problems: list[ChargepathError]) -> None:
        self.problems = problems
        first = problems[0]
        super().__init__(first.what, first.where, first.right)

    def __str__(self) -> str:
        return " | ".join(str(problem) for problem in getattr(self, "problems", []))


class KnowledgeError(ChargepathError):
    """The knowledge files do not hold together; `problems` lists every fault with file, table and key."""

    def __init__(self, problems: list[str]) -> None:
        self.problems = problems
        super().__init__(f"{len(problems)} problem(s) in the knowledge files:\n" + "\n".join(problems))
