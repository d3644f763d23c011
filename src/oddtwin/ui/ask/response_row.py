"""One response of a study, as a row of fields."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import Final, Protocol, TypeVar, Unpack

from PySide6.QtGui import QActionGroup
from PySide6.QtWidgets import (
    QComboBox,
    QMenu,
    QRadioButton,
)

from oddtwin import operations
from oddtwin.core.language import tr
from oddtwin.core.readings import GRADES, ONSET_GRADE, Better, Combine, ResponseKind, Subject
from oddtwin.core.study import Piece, Response, Role
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    IconButton,
    LineField,
    QuantityField,
    choose,
    set_quietly,
)
from oddtwin.ui.widgets.rows import FieldRow

T = TypeVar("T")


_DIRECTIONS: Final = (
    (tr("lower"), "lower"),
    (tr("higher"), "higher"),
    (tr("on target"), "target"),
    (tr("neither"), ""),
)


_UNITLESS: Final = {
    ResponseKind.GRADE: tr("graded"),
    ResponseKind.YES_NO: tr("yes or no"),
    ResponseKind.COUNT: tr("counted"),
    ResponseKind.WORD: tr("words"),
}


_SUBJECTS: Final = (
    (tr("Read of each print"), Subject.PIECE),
    (tr("Read once for a plate"), Subject.PLATE),
    (tr("Read of the machine"), Subject.MACHINE),
)


_WAYS: Final = ((tr("Mean of its zones"), Combine.MEAN), (tr("Worst of its zones"), Combine.WORST))


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
