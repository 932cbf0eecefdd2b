"""What can go wrong with an instrument: one error, of one of six kinds."""

from __future__ import annotations

from enum import StrEnum

from chargepath.base.errors import ReadingError


class TroubleKind(StrEnum):
    """What is wrong."""

    GONE = "gone"
    SILENT = "silent"
    BABBLE = "babble"
    STEP = "out of step"
    REFUSED = "refused"
    OTHER = "other"


# What a person does about it.
RIGHT = {
    TroubleKind.GONE: "switch it on, look at its cable, or correct its address",
    TroubleKind.SILENT: "look whether its remote interface is on; switch it off and on",
    TroubleKind.BABBLE: "look at its baud rate and its profile; another program may speak to it too",
    TroubleKind.STEP: "nothing: what came late is dropped and the line is opened anew",
    TroubleKind.REFUSED: "read its display, and what the data sheet says of that command",
    TroubleKind.OTHER: "choose the profile of this instrument, or the address of the right one",
}


class Trouble(ReadingError):  # noqa: N818 (what a person calls it; its kind is the error)
    """An instrument cannot be read; `kind` says how, `what` in words, `right` what to do."""

    def __init__(self, kind: TroubleKind, what: str) -> None:
        super().__init__(what, "instrument", RIGHT[kind])
        self.kind = kind
