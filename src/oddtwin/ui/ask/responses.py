"""What to measure or grade, and how large a difference would matter."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import Final, Protocol, TypeVar, Unpack

from PySide6.QtGui import QActionGroup
from PySide6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QMenu,
    QRadioButton,
)

from oddtwin import operations
from oddtwin.core import customs
from oddtwin.core.language import shown, tr
from oddtwin.core.quantities import QuantityError, capitalized
from oddtwin.core.readings import GRADES, ONSET_GRADE, Better, Combine, ResponseKind, Subject
from oddtwin.core.study import Piece, Response, Role, Study
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    Card,
    IconButton,
    LineField,
    QuantityField,
    button,
    choose,
    column_label,
    explained,
    heading,
    label,
    row,
    set_quietly,
)
from oddtwin.ui.widgets.place import typed_quantity
from oddtwin.ui.widgets.rows import FieldRow, Rows
from oddtwin.ui.workbench import Workbench

T = TypeVar("T")

_DIRECTIONS: Final = (
    (tr("lower"), "lower"),
    (tr("higher"), "higher"),
    (tr("on target"), "target"),
    (tr("neither"), ""),
)
_KINDS: Final = (
    (tr("a number"), ResponseKind.QUANTITY),
    (tr("a fault, graded 0 to 4"), ResponseKind.GRADE),
    (tr("degrees, or a signed error"), ResponseKind.DEVIATION),
    (tr("a size beside its nominal"), ResponseKind.SIZE),
    (tr("yes or no, k of n"), ResponseKind.YES_NO),
    (tr("how many"), ResponseKind.COUNT),
    (tr("a word from a list"), ResponseKind.WORD),
    (tr("where a fault begins"), ResponseKind.ONSET),
)
_UNITLESS: Final = {
    ResponseKind.GRADE: tr("graded"),
    ResponseKind.YES_NO: tr("yes or no"),
    ResponseKind.COUNT: tr("counted"),
    ResponseKind.WORD: tr("words"),
}
_UNITS: Final = {
    ResponseKind.WORD: tr("Words, apart by commas"),
    ResponseKind.ONSET: tr("Unit of the zones, such as °"),
}
_SUBJECTS: Final = (
    (tr("Read of each print"), Subject.PIECE),
    (tr("Read once for a plate"), Subject.PLATE),
    (tr("Read of the machine"), Subject.MACHINE),
)
_WAYS: Final = ((tr("Mean of its zones"), Combine.MEAN), (tr("Worst of its zones"), Combine.WORST))
_HEAD: Final = (
    tr("Decides"),
    tr("Response"),
    tr("Unit"),
    tr("Better is"),
    tr("Target"),
    tr("Margin"),
    tr("Instrument’s step"),
    "",
    "",
)
_STRETCH: Final = (0, 3, 0, 0, 1, 1, 1, 0, 0)


class ResponsesCard(Card):
    """A row for each response; margins are best set before anything is printed."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._theme = theme
        self._deciding = QButtonGroup(self)
        self._shown: tuple[Response, ...] = ()
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        for column, (text, stretch) in enumerate(zip(_HEAD, _STRETCH, strict=True)):
            grid.addWidget(column_label(text), 0, column)
            grid.setColumnStretch(column, stretch)
        self._rows: Rows[Response] = Rows(grid, self._make_row)
        self.add(heading(tr("What to measure")))
        margin = label(
            tr(
                "The margin is the smallest difference that would matter to you. Set it now: "
                "once the verdict has been seen, a changed margin is shown as changed."
            ),
            "quiet",
        )
        words = row(explained(theme, "margin"), margin)
        words.setStretch(1, 1)
        self.add(words)
        self.add(self._standing_row())
        self.add(grid)
        self.add(self._new_row())

    def refresh(self, study: Study) -> None:
        """Show the responses of a study."""
        self._shown = study.responses
        roles = {response.role for response in study.responses}
        for role, box in self._standing.items():
            set_quietly(box, box.setChecked, role in roles)
        self._rows.refresh(study.responses)

    def _standing_row(self) -> QHBoxLayout:
        """What every study begins with, each taken out or put back by one tick."""
        self._standing = {role: QCheckBox(shown(name)) for role, name in operations.STANDING_NAMES.items()}
        for role, box in self._standing.items():
            box.setObjectName(f"standing-{role}")
            box.toggled.connect(partial(self._on_standing_ticked, role))
        return row(column_label(tr("Usual")), *self._standing.values(), None)

    def _on_standing_ticked(self, role: str, wanted: bool) -> None:
        study = self._workbench.study
        there = next((one for one in self._shown if one.role == role), None)
        if study is not None and wanted and there is None:
            name = shown(operations.STANDING_NAMES[role])
            self._workbench.do(operations.add_standing_response, study_id=study.id, name=name)
        elif there is not None and not wanted:
            self._workbench.do(operations.remove_response, response_id=there.id, name=there.name)

    def _new_row(self) -> QGridLayout:
        self._name = LineField("newResponseName", tr("Something to measure or grade, such as Stringing"))
        self._type = QComboBox()
        self._type.setObjectName("newResponseKind")
        self._type.setAccessibleName(tr("Kind of the new response"))
        choose(self._type, _KINDS, ResponseKind.QUANTITY)
        self._unit = LineField("newResponseUnit", tr("Unit, such as mm"), 140)
        self._fault = QComboBox()
        self._fault.setObjectName("newResponseFault")
        self._fault.addItems([tr("a usual fault…"), *map(shown, customs.FAULTS)])
        self._fault.setVisible(False)
        self._fault.currentIndexChanged.connect(self._on_fault_chosen)
        self._type.currentIndexChanged.connect(self._on_type_changed)
        self._margin = LineField("newResponseMargin", tr("Margin, if you know it"), 170)
        # Enter goes from field to field, and adds it at the last one.
        self._name.entered.connect(self._on_name_entered)
        self._unit.entered.connect(self._margin.setFocus)
        self._margin.entered.connect(self._on_add_clicked)
        grid = QGridLayout()
        grid.setColumnStretch(0, 1)
        add = button(tr("Add"), self._on_add_clicked, name="addResponse")
        for column, widget in enumerate((self._name, self._type, self._unit, self._margin, self._fault, add)):
            grid.addWidget(widget, 0, column)
        return grid

    def _make_row(self, response: Response) -> FieldRow[Response]:
        def remove() -> None:
            self._workbench.do(
                operations.remove_response, response_id=response.id, name=self._stored_name(response.id)
            )

        fields = ResponseRow(response, self._theme, partial(self._edit, response.id), remove, self._pieces)
        self._deciding.addButton(fields.decides)
        return fields

    def _pieces(self) -> list[Piece]:
        """The pieces that a response can be for: those of the plan, else of the workshop."""
        study = self._workbench.study
        if study is None:
            return []
        planned = study.plan.piece_ids if study.plan and study.plan.piece_ids else tuple(study.pieces)
        return [study.pieces[key] for key in planned if key in study.pieces]

    def _edit(self, response_id: int, **values: Unpack[operations.ResponseParts]) -> None:
        done = self._workbench.do(
            operations.edit_response, response_id=response_id, name=self._stored_name(response_id), **values
        )
        if done is None and self._workbench.study is not None:
            self.refresh(self._workbench.study)

    def _stored_name(self, response_id: int) -> str:
        """Return the name in the lab book, while another one may be being typed."""
        return next(item.name for item in self._shown if item.id == response_id)

    def _on_type_changed(self) -> None:
        kind = self._chosen_type()
        self._unit.setVisible(kind.has_unit or kind is ResponseKind.WORD)
        self._unit.edit.setPlaceholderText(_UNITS.get(kind, tr("Unit, such as mm")))
        self._fault.setVisible(kind.graded)

    def _on_name_entered(self) -> None:
        (self._margin if self._unit.isHidden() else self._unit).setFocus()

    def _on_fault_chosen(self) -> None:
        if self._fault.currentIndex() > 0:
            self._name.edit.setText(self._fault.currentText())
            self._name.setFocus()

    def _chosen_type(self) -> ResponseKind:
        # Qt hands an enumeration that is a text back as plain text.
        return ResponseKind(self._type.currentData())

    def _on_add_clicked(self) -> None:
        study = self._workbench.study
        if study is None:
            return
        if not self._name.text().strip():
            self._name.show_error(tr("Please type what to measure."))
            return
        kind = self._chosen_type()
        unit = self._unit.text() if kind.has_unit else ""
        try:
            typed = self._margin.text().strip()
            margin = typed_quantity(typed, unit) if typed else None
        except QuantityError as error:
            self._margin.show_error(f"{capitalized(str(error))}.")
            return
        done = self._workbench.do(
            operations.add_response,
            study_id=study.id,
            name=self._name.text(),
            unit=unit,
            kind=kind,
            margin=margin,
            words=self._unit.text().split(",") if kind is ResponseKind.WORD else (),
        )
        if done:
            for field in (self._name, self._unit, self._margin):
                field.clear()
            self._fault.setCurrentIndex(0)
            self._name.setFocus()


class EditsResponse(Protocol):
    """What stores the edit of a response."""

    def __call__(self, **values: Unpack[operations.ResponseParts]) -> None:
        """Store what was changed."""


class ResponseRow(FieldRow[Response]):
    """The fields of one response, from what decides to the button that removes it."""

    def __init__(
        self,
        response: Response,
        theme: Theme,
        edit: EditsResponse,
        remove: Callable[[], None],
        pieces: Callable[[], list[Piece]],
    ) -> None:
        self._edit = edit
        self._pieces = pieces
        self._value = response
        self._kind = response.kind
        self.decides = QRadioButton()
        self.decides.setObjectName(f"decides-{response.name}")
        self.decides.setAccessibleName(tr("{response} decides", response=response.name))
        self.decides.clicked.connect(lambda: edit(primary=True))
        self._name = LineField(f"name-{response.name}")
        self._name.committed.connect(lambda text: edit(rename=text))
        self._unit = LineField(f"unit-{response.name}", _UNITLESS.get(self._kind, tr("none")), 84)
        self._unit.setEnabled(self._kind.has_unit)
        self._unit.committed.connect(lambda text: edit(unit=text.strip()))
        self._better = QComboBox()
        self._better.setObjectName(f"better-{response.name}")
        choose(self._better, self._directions(), "")
        self._better.currentIndexChanged.connect(self._on_better_changed)
        self._numbers = {
            "target": self._number("target", lambda figure: edit(target=figure)),
            "margin": self._number("margin", lambda figure: edit(margin=figure)),
            "resolution": self._number("resolution", lambda figure: edit(resolution=figure)),
        }
        self._numbers["margin"].edit.setPlaceholderText(tr("not set"))
        more = IconButton(
            theme, "menu", tr("More of {response}", response=response.name), self._on_more_clicked
        )
        more.setObjectName(f"more-{response.name}")
        self._more = more
        removing = IconButton(
            theme, "remove", tr("Stop measuring {response}", response=response.name), remove
        )
        widgets = [
            self.decides,
            self._name,
            self._unit,
            self._better,
            *self._numbers.values(),
            more,
            removing,
        ]
        super().__init__(widgets, self._show)

    def _directions(self) -> tuple[tuple[str, str], ...]:
        if self._kind is ResponseKind.WORD:
            return _DIRECTIONS[3:]
        return _DIRECTIONS if self._kind.measured else _DIRECTIONS[:2]

    def _on_more_clicked(self) -> None:
        """Offer what is seldom changed: of what it is read, on which pieces, and how a print is told."""
        value = self._value
        menu = QMenu(self._more)
        menu.setObjectName(f"menu-{value.name}")
        # A new one is made each time, for what holds then.
        menu.aboutToHide.connect(menu.deleteLater)
        subjects = _SUBJECTS if value.role is not Role.PART else _SUBJECTS[:1]
        _offer(menu, subjects, value.subject, lambda chosen: self._edit(subject=chosen.value))
        if self._kind is ResponseKind.GRADE:
            menu.addSeparator()
            _offer(menu, _WAYS, value.combine, lambda chosen: self._edit(combine=chosen.value))
        if self._kind is ResponseKind.ONSET:
            menu.addSeparator()
            limits = [
                (tr("Begins at {grade} {GRADES}", grade=grade, GRADES=GRADES[grade]), float(grade))
                for grade in range(1, 5)
            ]
            _offer(menu, limits, value.onset or ONSET_GRADE, lambda chosen: self._edit(onset=chosen))
        if value.better not in (None, Better.TARGET):
            menu.addSeparator()
            guard = menu.addAction(tr("Only must not get worse"))
            guard.setCheckable(True)
            guard.setChecked(value.guard)
            guard.setToolTip(tr("One side is asked, at 5 %: not worse by the margin or more"))
            guard.triggered.connect(lambda ticked: self._edit(guard=ticked))
        if self._kind.has_percent and value.better is not Better.TARGET:
            percent = menu.addAction(tr("Margin in percent"))
            percent.setCheckable(True)
            percent.setChecked(value.percent)
            percent.triggered.connect(lambda ticked: self._edit(percent=ticked))
        if self._kind.measured and value.role in (None, Role.COVARIATE):
            along = menu.addAction(tr("Goes along: read, not judged"))
            along.setCheckable(True)
            along.setChecked(value.role is Role.COVARIATE)
            along.setToolTip(
                tr("What measured figures follow it by, such as the warmth of the room, is taken out")
            )
            along.triggered.connect(lambda ticked: self._edit(covariate=ticked))
        pieces = self._pieces()
        if len(pieces) > 1:
            menu.addSeparator()
            for piece in pieces:
                action = menu.addAction(tr("On {piece}", piece=piece.name))
                action.setCheckable(True)
                action.setChecked(not value.piece_ids or piece.id in value.piece_ids)
                action.triggered.connect(partial(self._on_piece_ticked, piece.id))
        menu.popup(self._more.mapToGlobal(self._more.rect().bottomLeft()))

    def _on_piece_ticked(self, piece_id: int, ticked: bool) -> None:
        everything = [piece.id for piece in self._pieces()]
        kept = [
            key
            for key in everything
            if (ticked if key == piece_id else not self._value.piece_ids or key in self._value.piece_ids)
        ]
        # All of them is what no choice means, and some piece has to show it.
        self._edit(piece_ids=[] if len(kept) in (0, len(everything)) else kept)

    def _number(self, field: str, store: Callable[[float | None], None]) -> QuantityField:
        made = QuantityField(f"{field}-{self._value.name}", self._value.unit)
        made.quantity_committed.connect(lambda values: store(values[0] if values else None))
        return made

    def _show(self, value: Response) -> None:
        self._value = value
        self._name.show_text(value.name)
        self._unit.show_text(value.unit)
        set_quietly(self.decides, self.decides.setChecked, value.primary)
        set_quietly(self._better, self._better.setCurrentIndex, self._better.findData(value.better or ""))
        for field, widget in self._numbers.items():
            stored = getattr(value, field)
            widget.set_unit(value.margin_unit if field == "margin" else value.unit)
            widget.show_values([] if stored is None else [stored])
        judged = value.role is not Role.COVARIATE
        self.decides.setEnabled(judged)
        self._better.setEnabled(judged)
        self._numbers["target"].setEnabled(judged and value.better == "target")
        self._numbers["margin"].setEnabled(judged and self._kind is not ResponseKind.WORD)
        self._numbers["margin"].edit.setPlaceholderText(tr("not set") if judged else tr("goes along"))
        self._numbers["resolution"].setEnabled(self._kind.has_unit)

    def _on_better_changed(self) -> None:
        chosen = self._better.currentData()
        if chosen == "target":
            self._edit(better=chosen, target=0.0)
        else:
            self._edit(better=chosen)


def _offer(menu: QMenu, choices: Sequence[tuple[str, T]], now: T, choose: Callable[[T], None]) -> None:
    """Add choices of which one holds."""
    group = QActionGroup(menu)
    for caption, value in choices:
        action = menu.addAction(caption)
        action.setCheckable(True)
        action.setChecked(value == now)
        action.triggered.connect(lambda _, value=value: choose(value))
        group.addAction(action)
