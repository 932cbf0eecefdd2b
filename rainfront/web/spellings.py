"""Finding what somebody is called in texts, however it is spelled there.

Texts are compared folded: without marks over letters, whether composed or not, without capitals, and with letters that
have two ways (ß and ss, æ and ae) in one of them. A name is found across line ends, hyphens and a possessive s, a
telephone number however its digits are divided and with or without its country, an address of mail with (at) for @.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from typing import Any

# What folding by Unicode alone leaves in two ways.
TWO_WAYS = str.maketrans(
    {"æ": "ae", "œ": "oe", "ø": "o", "đ": "d", "ð": "d", "ł": "l", "þ": "th", "\u2019": "'", "`": "'"}
)
# Characters that are not seen, and stand between letters to hide them or to break a line.
UNSEEN = frozenset("\u00ad\u200b\u200c\u200d\u2060\ufeff")
DIVIDES, NUMBER_DIVIDES = r"[\W_]{1,4}", r"[\s().\-/]{0,3}"
# Takes everything but digits out of a folded text.
NO_DIGITS = {code: None for code in range(128) if not chr(code).isdigit()}
# A number of fewer digits stands in too many readings to be a telephone's.
LEAST_DIGITS = 5


def folded(text: str) -> tuple[str, Sequence[int]]:
    """The text as it is compared, and for each of its characters the place that it came from."""
    if text.isascii():
        return text.lower(), range(len(text))
    out: list[str] = []
    places: list[int] = []
    for place, letter in enumerate(text):
        if letter in UNSEEN:
            continue
        for one in unicodedata.normalize("NFKD", letter).casefold().translate(TWO_WAYS):
            if not unicodedata.combining(one):
                out.append(one)
                places.append(place)
    return "".join(out), places


class _Folds(dict[int, str | int | None]):
    """What folding makes of a character that Unicode has taken apart: nothing of a mark, one of two ways."""

    def __missing__(self, code: int) -> str | int | None:
        letter = chr(code)
        drops = letter in UNSEEN or unicodedata.combining(letter)
        found = self[code] = None if drops else TWO_WAYS.get(code, code)
        return found


FOLDS = _Folds()


def _flat(text: str) -> str:
    """The text as `folded` gives it, without the places, many times as fast."""
    if text.isascii():
        return text.lower()
    return unicodedata.normalize("NFKD", text).casefold().translate(FOLDS)


def _words(text: str) -> list[str]:
    return [word for word in re.split(r"[\W_]+", folded(text)[0]) if word]


def names_patterns(name: str) -> list[str]:
    """What finds a name as it is written and with its last word first, as lists have it."""
    words = _words(name)
    if any(map(str.isdigit, name)):
        # A serial number: its parts are written together as well, and in one order only.
        return [r"[\W_]{0,4}".join(map(re.escape, words))] if words else []
    turned = [words[-1], *words[:-1]] if len(words) > 1 else []
    return [DIVIDES.join(map(re.escape, order)) for order in (words, turned) if order]


def number_pattern(number: str) -> str:
    """What finds a telephone number; '' where it has too few digits to be told from a reading."""
    digits = re.sub(r"\D", "", number)
    country = re.match(r"\s*(?:\+|00)", number) is not None
    local = digits.lstrip("0")
    if len(local) < LEAST_DIGITS:
        return ""
    # Written with its country it may stand elsewhere without it: a country has one to three digits.
    cuts = [cut for cut in (0, 1, 2, 3) if not cut or (country and len(local) - cut > LEAST_DIGITS)]
    ways = "|".join(NUMBER_DIVIDES.join(local[cut:]) for cut in cuts)
    abroad = rf"(?:(?:\+|00){NUMBER_DIVIDES}(?:\d{NUMBER_DIVIDES}){{1,3}})?(?:\(0\){NUMBER_DIVIDES})?"
    return rf"{abroad}0?{NUMBER_DIVIDES}(?:{ways})(?!\d)"


def mail_pattern(mail: str) -> str:
    """What finds an address of mail."""
    name, _, host = folded(mail.strip())[0].partition("@")
    if not host:
        return ""
    dots = r"\s*(?:\.|\(dot\)|\[dot\]|\sdot\s)\s*".join(re.escape(part) for part in host.split("."))
    return rf"{re.escape(name)}\s*(?:@|\(at\)|\[at\]|\sat\s)\s*{dots}"


@dataclass(frozen=True)
class Spellings:
    """What is looked for; made by `of`.

    Attributes
    ----------
    pattern : compiled pattern or None
        Over folded text; None where nothing is looked for.
    seeds : tuple of str
        One of these stands in every folded text that holds a name or an address.
    tails : tuple of str
        One of these stands among the digits of every text that holds a number.

    """

    pattern: re.Pattern[str] | None = field(default=None)
    seeds: tuple[str, ...] = ()
    tails: tuple[str, ...] = ()

    @classmethod
    def of(
        cls,
        names: Iterable[str] = (),
        *,
        numbers: Iterable[str] = (),
        mails: Iterable[str] = (),
        possessive: bool = True,
    ) -> Spellings:
        """What finds these names, telephone numbers and addresses of mail as words of their own."""
        names, numbers, mails = list(names), list(numbers), list(mails)
        found = [pattern for name in names for pattern in names_patterns(name)]
        found += [pattern for mail in mails if (pattern := mail_pattern(mail))]
        seeds = {max(words, key=len) for name in names if (words := _words(name))}
        seeds |= {folded(mail.strip())[0].partition("@")[0] for mail in mails if mail_pattern(mail)}
        tails = {re.sub(r"\D", "", number)[-LEAST_DIGITS:] for number in numbers if number_pattern(number)}
        found.sort(key=len, reverse=True)
        owner = r"(?:'?s)?" if possessive else ""
        parts = [rf"(?<![^\W_])(?:{'|'.join(found)}){owner}(?![^\W_])"] if found else []
        calls = [pattern for number in numbers if (pattern := number_pattern(number))]
        parts += [rf"(?<!\d)(?:{'|'.join(calls)})"] if calls else []
        return cls(re.compile("|".join(parts)) if parts else None, tuple(sorted(seeds)), tuple(sorted(tails)))

    def may_stand_in(self, text: str) -> bool:
        """Whether it may stand in a text: no says surely not, in a tenth of the time of looking for it."""
        flat = _flat(text)
        if any(seed in flat for seed in self.seeds):
            return True
        if not self.tails:
            return False
        digits = flat.translate(NO_DIGITS) if flat.isascii() else re.sub(r"\D", "", flat)
        return any(tail in digits for tail in self.tails)

    def spans(self, text: str) -> list[tuple[int, int]]:
        """Where it stands in a text: first character, one past the last."""
        if self.pattern is None or not text:
            return []
        flat, places = folded(text)
        found = []
        for hit in self.pattern.finditer(flat):
            stop = places[hit.end() - 1] + 1
            # Marks that belong to the last letter go with it.
            while stop < len(text) and (unicodedata.combining(text[stop]) or text[stop] in UNSEEN):
                stop += 1
            found.append((places[hit.start()], stop))
        return found

    def take_out(self, value: Any, put: str) -> tuple[Any, int]:
        """The value with `put` in place of each: a text, or what a list or a dict holds; and how many there were."""
        if isinstance(value, str):
            spans = self.spans(value)
            for start, stop in reversed(spans):
                value = value[:start] + put + value[stop:]
            return value, len(spans)
        if isinstance(value, dict):
            pairs = [(self.take_out(name, put), self.take_out(one, put)) for name, one in value.items()]
            return {name[0]: one[0] for name, one in pairs}, sum(name[1] + one[1] for name, one in pairs)
        if isinstance(value, list | tuple):
            ones = [self.take_out(one, put) for one in value]
            return type(value)(one[0] for one in ones), sum(one[1] for one in ones)
        return value, 0
