"""Unlock codes: recognised in what is typed, refused, and hidden in what goes back to the page.

No code is ever stored. A word that speaks of a lock beside something that could be the code is enough, in any order; a
contact of a plug ("pin 3"), a reading with its unit and an error's number are not meant.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from chargepath.base.errors import ChargepathError


def _words(text: str) -> frozenset[str]:
    return frozenset(text.split())


HIDDEN = "•••"
LONGEST, MOST_CODES = 5000, 12  # characters of a text; codes after which all of it is hidden
REACH = 4  # words between the word and the code
TOKEN = re.compile(r"\d+[.,]\d+(?!\d)|\d+|[a-z]+(?:'[a-z]+)?|[:=%]", re.IGNORECASE)
STRONG = {"passcode", "passcodes", "password", "passwords", "passphrase", "pwd", "pw", "keycode"}
LOCKS = {"unlock", "unlocks", "unlocking", "unlocked", "lock", "lockscreen", "swipe", "swipes"}
GIVES = {"is", "was", "=", ":", "are"}
# What "code" is of, where it is no unlock code.
OTHER_CODES = _words(
    "area bar batch blink blinking colour color country date error fault flash hazard message model part post product"
    " qr reset source status stop supplier zip"
)
# What is said of a code without saying it.
ORDINARY = _words(
    "a an the not no none unknown known forgotten forgot lost off on removed set unset asked needed required given"
    " wrong changed disabled missing there still ok okay fine with by to for of and or but it he she they works working"
    " broken cleared gone entered kept written stored here never customer only"
)
UNITS = _words("ma mah a v mv w mw ohm ohms percent % min minutes h hours days times c degc k s seconds tries")
DIGIT_WORDS = _words("zero oh nought one two three four five six seven eight nine double")
WAYS = _words("up down left right top bottom middle centre center corner across diagonal upper lower")
DRAWN = {"pattern", "swipe", "swipes", "draw", "draws", "drawn"}
FILLERS = {"like", "a", "an", "the", "letter", "shape", "in", "with", "from", "goes", "starts", *GIVES}


class UnlockCodeError(ChargepathError):
    """A text seems to hold an unlock code."""


class TooLongError(ChargepathError):
    """A text is too long."""


@dataclass(frozen=True)
class _Token:
    text: str
    start: int
    stop: int

    @property
    def is_number(self) -> bool:
        return self.text.isdecimal()


def _tokens(text: str) -> list[_Token]:
    found = [_Token(hit.group().lower(), hit.start(), hit.end()) for hit in TOKEN.finditer(text)]
    joined: list[_Token] = []
    for token in found:  # "pass code", "pass word", "un lock"
        last = joined[-1] if joined else None
        if last and last.text in ("pass", "key") and token.text in ("code", "word", "phrase"):
            joined[-1] = _Token(last.text + token.text, last.start, token.stop)
        else:
            joined.append(token)
    return joined


def _numbers(tokens: list[_Token]) -> Iterator[tuple[int, int, int]]:
    """Runs of digits or digit words: first token, one past the last, and how many digits; readings are left out."""
    at = 0
    while at < len(tokens):
        stop, digits = at, 0
        while stop < len(tokens) and (tokens[stop].is_number or tokens[stop].text in DIGIT_WORDS):
            digits += len(tokens[stop].text) if tokens[stop].is_number else 1
            stop += 1
        if digits and not (stop < len(tokens) and tokens[stop].text in UNITS) and tokens[at].text != "double":
            yield at, stop, digits
        at = max(stop, at + 1)


def _least(tokens: list[_Token], at: int) -> int | None:
    """How many digits beside this word make a code; None where the word speaks of no lock."""
    word = tokens[at].text
    before = tokens[at - 1].text if at else ""
    after = tokens[at + 1] if at + 1 < len(tokens) else None
    if word in STRONG or (word == "code" and before in {*LOCKS, "screen", "phone", "security"}):
        return 1
    if word == "pin":
        if after is not None and after.text in GIVES:
            return 1
        return None if after is not None and _names_contact(tokens, at + 1) else 3
    if word == "code":
        return None if before in OTHER_CODES else 1 if after is not None and after.text in GIVES else 3
    if word in LOCKS or (word in ("opens", "open") and after is not None and after.text == "with"):
        return 3
    return 3 if word == "pattern" else None


def _names_contact(tokens: list[_Token], at: int) -> bool:
    """Whether what follows "pin" is a contact of a plug: 3, A5, g; not the first of 1 2 3 4."""
    token, run = tokens[at], tokens[at : at + 3]
    if len(run) == 3 and all(found.is_number and len(found.text) == 1 for found in run):
        return False
    return len(token.text) < 3 if token.is_number else len(token.text) == 1


class _Runs:
    """Runs of digits by where they begin and end, so that a word looks only at those beside it."""

    def __init__(self, tokens: list[_Token]) -> None:
        runs = list(_numbers(tokens))
        self._from = {start: (start, stop, digits) for start, stop, digits in runs}
        self._to = {stop: (start, stop, digits) for start, stop, digits in runs}

    def beside(self, at: int, least: int) -> tuple[int, int] | None:
        """The first run of so many digits at most `REACH` words away from a word."""
        before = (self._to.get(stop) for stop in range(at - REACH, at + 1))
        behind = (self._from.get(start) for start in range(at + 1, at + REACH + 2))
        for run in (*before, *behind):
            if run is not None and run[2] >= least:
                return run[0], run[1]
        return None


def _word_given(tokens: list[_Token], at: int) -> tuple[int, int] | None:
    """A password in letters: what stands behind "is" and is no ordinary word."""
    if at + 2 < len(tokens) and tokens[at + 1].text in GIVES and tokens[at + 2].text not in ORDINARY:
        return at + 2, len(tokens) if tokens[at].text == "passphrase" else at + 3
    return None


def _drawing(tokens: list[_Token], at: int) -> tuple[int, int] | None:
    """A pattern in words: a letter that is drawn, or two directions and more."""
    start = at + 1
    while start < len(tokens) and tokens[start].text in FILLERS:
        start += 1
    if start >= len(tokens):
        return None
    if len(tokens[start].text) == 1 and tokens[start].text.isalpha():
        return start, start + 1
    ways = [index for index in range(start, min(start + 8, len(tokens))) if tokens[index].text in WAYS]
    return (start, ways[-1] + 1) if len(ways) > 1 and ways[0] == start else None


def find_code(text: str) -> tuple[int, int] | None:
    """Where a text seems to hold an unlock code: first character, one past the last; None where it does not."""
    tokens = _tokens(text)
    runs = _Runs(tokens)
    for at, token in enumerate(tokens):
        least = _least(tokens, at)
        found = runs.beside(at, least) if least else None
        if found is None and token.text in STRONG:
            found = _word_given(tokens, at)
        if found is None and token.text in DRAWN:
            found = _drawing(tokens, at)
        if found is not None:
            return tokens[found[0]].start, tokens[found[1] - 1].stop
    return None


def hide_code(text: str) -> str:
    """The text with what seems to be a code hidden, for the page that asks for it again; no more of it than is read."""
    text = text[:LONGEST]
    for _ in range(MOST_CODES):
        found = find_code(text)
        if found is None:
            return text
        text = text[: found[0]] + HIDDEN + text[found[1] :]
    return HIDDEN


def texts_in(value: Any) -> Iterator[str]:
    """Every text in a value: the value itself, or what a list or a dict holds."""
    if isinstance(value, str):
        yield value
    elif isinstance(value, dict):
        for name, one in value.items():
            yield from texts_in(name)
            yield from texts_in(one)
    elif isinstance(value, list | tuple | set | frozenset):
        for one in value:
            yield from texts_in(one)


def refuse_code(value: Any, where: str) -> None:
    """Refuse a text, or a structure of texts, that seems to hold an unlock code.

    Raises
    ------
    UnlockCodeError
        With what to do instead; the text is not in it.

    """
    if any(find_code(text) is not None for text in texts_in(value)):
        raise UnlockCodeError(
            "this looks like an unlock code",
            where,
            "no code is ever stored: have the customer unlock the device; for a contact of the plug write 'contact'",
        )


def refuse_unlock_code(text: str, where: str) -> None:
    """Refuse a text that seems to hold an unlock code.

    Raises
    ------
    UnlockCodeError
        With what to do instead; the text is not in it.
    TooLongError
        It is longer than any text that people write here.

    """
    if len(text) > LONGEST:
        raise TooLongError(f"{len(text):,} characters are too many", where, f"up to {LONGEST:,}")
    refuse_code(text, where)
