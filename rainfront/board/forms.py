"""Forms of the boards."""

from __future__ import annotations

from typing import Any

from django import forms

from chargepath.base.errors import ReadingError
from chargepath.board.finding import pad_called
from chargepath.knowledge import Knowledge
from rainfront.board.adapters import INSIDE, PORT_PLACE, connectors_of
from rainfront.board.models import BoardMap, Cover, Tie
from rainfront.reference.models import BoardConnector
from rainfront.web.forms import QuantityField, StyledForm

SIDES = (("top", "top"), ("bottom", "bottom"))
# How much longer everything is than a file says, where its unit is wrong.
UNITS = (
    ("1", "as the file says"),
    ("25.4", "25.4 times as long: inches were read as millimetres"),
    ("0.0254", "0.0254 times: thousandths of an inch were read as millimetres"),
    ("0.001", "a thousandth: micrometres were read as millimetres"),
    ("1000", "a thousand times as long: metres were read as millimetres"),
    ("0.1", "a tenth: the unit of a netlist is ten times finer than it says"),
)


class WhichBoardForm(StyledForm):
    """Which board of which model it is."""

    model_name = forms.CharField(label="Model", max_length=80)
    name = forms.CharField(label="Which board", max_length=40, initial="main board")
    revision = forms.CharField(label="Board revision", max_length=20, required=False, help_text="as printed on it")

    def details(self) -> dict[str, str]:
        """Fields of a new map."""
        return {key: self.cleaned_data[key].strip() for key in ("model_name", "name", "revision")}


class BoardFileForm(StyledForm):
    """A board file."""

    file = forms.FileField(label="Board file")


class ConfirmBoardForm(WhichBoardForm):
    """What was read, confirmed."""

    unit = forms.ChoiceField(label="Lengths", choices=UNITS, initial="1")


class BeginForm(WhichBoardForm):
    """A map that begins on a picture."""

    file = forms.FileField(
        label="Picture (JPEG, PNG or WebP)", widget=forms.ClearableFileInput(attrs={"accept": "image/*"})
    )
    side = forms.ChoiceField(label="It shows the", choices=SIDES)
    wide_mm = QuantityField(
        "mm",
        label="The picture is so wide (mm)",
        required=False,
        least=5,
        most=400,
        help_text="what it shows from its left to its right edge; empty: lengths are not told",
    )


class BoardPictureForm(StyledForm):
    """A picture of one side."""

    file = forms.FileField(
        label="Picture (JPEG, PNG or WebP)", widget=forms.ClearableFileInput(attrs={"accept": "image/*"})
    )
    side = forms.ChoiceField(label="It shows the", choices=SIDES)
    wide_mm = QuantityField("mm", label="The picture is so wide (mm)", required=False, least=5, most=400)


class _OnBoard(StyledForm):
    """A form that names a pad of a board."""

    def __init__(self, board: BoardMap, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.board = board

    def _pads(self, text: str) -> list[int]:
        """The pads of a text as J1.A4, or of both ends as L1.1 L1.2."""
        whole = pad_called(self.board.layout, text)
        if whole is not None:
            return [whole]
        found = []
        for word in filter(None, text.replace(",", " ").replace(";", " ").split()):
            number = pad_called(self.board.layout, word)
            if number is None:
                raise forms.ValidationError(f"This board has no pad {word[:40]}: a part and a pin, as in J1.A4.")
            found.append(number)
        return found


class PairForm(_OnBoard):
    """A pad of the board and where it is in the picture."""

    pad = forms.CharField(label="Pad", max_length=60, help_text="a part and a pin, as in J1.A4")
    x = QuantityField("%", label="From the left (%)", least=0, most=100)
    y = QuantityField("%", label="From the top (%)", least=0, most=100)

    def clean_pad(self) -> int:
        """Its number."""
        found = self._pads(self.cleaned_data["pad"])
        if len(found) != 1:
            raise forms.ValidationError("One pad, as in J1.A4.")
        return found[0]


class PointForm(StyledForm):
    """A point on a picture, named."""

    x = QuantityField("%", label="From the left (%)", least=0, most=100)
    y = QuantityField("%", label="From the top (%)", least=0, most=100)
    part = forms.CharField(label="Part", max_length=40, required=False, help_text="as in C12")
    pin = forms.CharField(label="Pin", max_length=40, required=False)
    net = forms.CharField(label="Line", max_length=40, required=False, help_text="as in VBUS")


class CoverForm(StyledForm):
    """What covers a piece of the board."""

    what = forms.ChoiceField(label="What covers it", choices=Cover.What.choices)
    side = forms.ChoiceField(label="Side", choices=SIDES)
    left = QuantityField("mm", label="One corner, across (mm)", least=-400, most=400)
    top = QuantityField("mm", label="One corner, down (mm)", least=-400, most=400)
    right = QuantityField("mm", label="Opposite corner, across (mm)", least=-400, most=400)
    bottom = QuantityField("mm", label="Opposite corner, down (mm)", least=-400, most=400)

    def corners(self) -> tuple[float, float, float, float]:
        """Both corners [mm]."""
        data = self.cleaned_data
        return data["left"], data["top"], data["right"], data["bottom"]


class TieForm(_OnBoard):
    """Which pad a pin is."""

    at = forms.ChoiceField(label="Pins of")
    pin = forms.CharField(label="Pin", max_length=20, help_text="as in A4, vbat or rail")
    pads = forms.CharField(label="Pad", max_length=80, help_text="as in J1.A4; a part's two ends as in L1.1 L1.2")

    def __init__(self, board: BoardMap, known: Knowledge, *args: Any, **kwargs: Any) -> None:
        super().__init__(board, *args, **kwargs)
        self.fields["at"].choices = self._choices(known)  # type: ignore[attr-defined]

    def _choices(self, known: Knowledge) -> list[tuple[str, str]]:
        ports = [
            (f"{pins.id}@{place}", f"{pins.label}: {known.places[place].label}")
            for pins in connectors_of(self.board, known)
            for place in (PORT_PLACE, "board_in")
        ]
        inside = [(f"{pins.id}@{INSIDE}", pins.label) for pins in known.points.values()]
        own = [
            (f"{row.map_id}@{row.end}", f"{row.name}: {known.places[row.end].label}")
            for row in BoardConnector.objects.filter(model_name__in=("", self.board.model_name))
        ]
        return [*ports, *inside, *own, (f"{Tie.LADDER}@", "Ladder: test points of the voltage")]

    def clean_pads(self) -> list[int]:
        """Their numbers."""
        found = self._pads(self.cleaned_data["pads"])
        if not 1 <= len(found) <= 2:
            raise forms.ValidationError("One pad, or the two ends of a part.")
        return found

    def map_and_place(self) -> tuple[str, str]:
        """Map and place."""
        map_id, _, place = self.cleaned_data["at"].partition("@")
        return map_id, place


def percent_pair(form: forms.Form) -> tuple[float, float]:
    """The place that a form gives, as shares."""
    data = form.cleaned_data
    return data["x"] / 100, data["y"] / 100


def number_in(text: str, name: str, most: float = 1e6) -> float:
    """A number of an address.

    Raises
    ------
    ReadingError
        It is none.

    """
    try:
        found = float(text[:20])
    except ValueError as error:
        raise ReadingError("it is no number", name, "as a page of this program writes it") from error
    if not abs(found) <= most:
        raise ReadingError("it is no place on a board", name, "as a page of this program writes it")
    return found
