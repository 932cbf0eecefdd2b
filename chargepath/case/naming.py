"""What people type in place of an id: words of a label or of a button, whole or as they begin."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

WORD = re.compile(r"[^\W_]+")
# Fewer letters of a word mean nothing yet.
LEAST_LETTERS = 3


def words_in(text: str) -> list[str]:
    """The words of a text in small letters, without what stands between them.

    Examples
    --------
    >>> words_in("Sub-board or flex: in_band")
    ['sub', 'board', 'or', 'flex', 'in', 'band']

    """
    return [found.group().lower() for found in WORD.finditer(text)]


def meant_by(text: str, labels: Mapping[str, str], *, from_start: bool = False) -> list[str]:
    """Ids whose label a text may mean.

    Those whose label says just that; else those in whose label every word of the text begins a word, in its order;
    with `from_start` the label has to begin with them.

    Examples
    --------
    >>> labels = {"dead": "stays dead", "starts": "starts", "steady": "holds steady"}
    >>> meant_by("stays", labels), meant_by("st", labels), meant_by("holds steady", labels)
    (['dead'], [], ['steady'])

    """
    typed, said = words_in(text), {name: words_in(label) for name, label in labels.items()}
    same = [name for name, words in said.items() if typed and words == typed]
    if same or not any(len(word) >= LEAST_LETTERS for word in typed) or any(map(str.isdigit, typed)):
        return same
    return [name for name, words in said.items() if _begins(typed, words, from_start)]


def _begins(typed: Sequence[str], words: Sequence[str], from_start: bool) -> bool:
    if from_start:
        whole = all(word == other for word, other in zip(typed[:-1], words, strict=False))
        return len(typed) <= len(words) and whole and words[len(typed) - 1].startswith(typed[-1])
    rest = iter(words)
    return all(any(other.startswith(word) for other in rest) for word in typed)
