"""All controls by the type of parameter that they are for. A new type of parameter has its row here."""

from dustpan.core.params import Choice, Control, Number, Places, Strokes, Switch, Text, Triples
from dustpan.ui.controls.choice import ChoiceRow
from dustpan.ui.controls.number import NumberRow
from dustpan.ui.controls.places import PlacesRow
from dustpan.ui.controls.row import Row
from dustpan.ui.controls.switch import SwitchRow
from dustpan.ui.controls.text import TextRow

CONTROLS: dict[type[Control], type[Row]] = {
    Number: NumberRow, Choice: ChoiceRow, Switch: SwitchRow, Text: TextRow,
    Places: PlacesRow, Triples: PlacesRow, Strokes: PlacesRow,
}  # fmt: skip
