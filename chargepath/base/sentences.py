"""Labels as they stand inside a sentence, and the first letter of one; abbreviations keep their capitals."""

from __future__ import annotations

import re

CLAUSE = re.compile(r"[.:;](?:\s|$)")


def inside(label: str) -> str:
    """A label as it stands inside a sentence: its first letter small, unless its first word is an abbreviation.

    Examples
    --------
    >>> inside("Replace the port IC"), inside("USB meter"), inside("A joint"), inside("CC1 open"), inside("")
    ('replace the port IC', 'USB meter', 'a joint', 'CC1 open', '')

    """
    abbreviated = (len(label) > 1 and label[1].isupper()) or label[1:2].isdigit()
    return label if abbreviated else label[:1].lower() + label[1:]


def begin(text: str) -> str:
    """A text with its first letter large and the others as they are.

    Examples
    --------
    >>> begin("port IC pulls its lines down")
    'Port IC pulls its lines down'

    """
    return text[:1].upper() + text[1:]


def clause(text: str) -> str:
    """The first clause of a text, up to its first full stop, colon or semicolon. Lists show it in place of a long step.

    Examples
    --------
    >>> clause("Lay it flat at 1.5 mm: then wait.")
    'Lay it flat at 1.5 mm'

    """
    return CLAUSE.split(text, maxsplit=1)[0]
