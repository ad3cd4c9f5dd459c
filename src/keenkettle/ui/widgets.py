"""Small pieces that all places share."""

from __future__ import annotations

from datetime import date

from PyQt6.QtCore import QDate, Qt
from PyQt6.QtGui import QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QDateEdit,
    QFrame,
    QLabel,
    QLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QStyle,
    QStyleOptionComboBox,
    QStylePainter,
    QVBoxLayout,
    QWidget,
)  # fmt: skip


def label(text: str, role: str = "", wrap: bool = False) -> QLabel:
    """A text in one of the style sheet's roles."""
    made = QLabel(text)
    if role:
        made.setProperty("role", role)
    made.setWordWrap(wrap)
    made.setTextFormat(Qt.TextFormat.PlainText)
    return made


def sentence(text: str) -> str:
    """A clause of the core as a sentence of its own."""
    return text[:1].upper() + text[1:] + ("" if text.endswith(".") else ".")


def button(text: str, role: str = "", tip: str = "", height: int = 32) -> QPushButton:
    """A push button with a large enough target."""
    made = QPushButton(text)
    if role:
        made.setProperty("role", role)
    if tip:
        made.setToolTip(tip)
    made.setMinimumHeight(height)
    made.setAutoDefault(False)
    return made


class ShortButton(QPushButton):
    """A link that never asks for more room than there is; ``whole`` is all of its text."""

    def __init__(self) -> None:
        super().__init__()
        self.whole = ""
        self.setProperty("role", "link")
        self.setMinimumHeight(32)
        self.setAutoDefault(False)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)

    def say(self, text: str) -> None:
        """Show a text, cut at its end where there is no room."""
        self.whole = text
        self.setAccessibleName(text)
        self._cut()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._cut()

    def _cut(self) -> None:
        room = self.width() - 12
        end = Qt.TextElideMode.ElideRight
        self.setText(self.fontMetrics().elidedText(self.whole, end, room))


class DayField(QDateEdit):
    """A day, typed or taken from a calendar."""

    def __init__(self) -> None:
        super().__init__()
        self.setDisplayFormat("d MMM yyyy")
        self.setCalendarPopup(True)
        self.setMinimumHeight(34)

    def show_day(self, day: date) -> None:
        """Put a day there."""
        self.setDate(QDate(day.year, day.month, day.day))

    def day(self) -> date:
        """The day that stands there."""
        return date(self.date().year(), self.date().month(), self.date().day())


class ShortCombo(QComboBox):
    """A box whose text ends in dots where there is no room; the tip tells all of it.

    An item's ``BRIEF`` data is shown instead of its text while the box is closed.
    """

    BRIEF = Qt.ItemDataRole.UserRole + 1

    def __init__(self) -> None:
        super().__init__()
        self.currentTextChanged.connect(self.setToolTip)

    def showPopup(self) -> None:
        """The list is as wide as its longest line, however narrow the box."""
        listed = self.view()
        assert listed is not None
        bar = self.style().pixelMetric(QStyle.PixelMetric.PM_ScrollBarExtent)  # type: ignore[union-attr]
        listed.setMinimumWidth(listed.sizeHintForColumn(0) + bar + 8)
        super().showPopup()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        option = QStyleOptionComboBox()
        self.initStyleOption(option)
        style, p = self.style(), QStylePainter(self)
        assert style is not None
        field = QStyle.SubControl.SC_ComboBoxEditField
        place = style.subControlRect(QStyle.ComplexControl.CC_ComboBox, option, field, self)
        room, end = place.width() - 6, Qt.TextElideMode.ElideRight
        option.currentText = self.currentData(self.BRIEF) or option.currentText
        option.currentText = self.fontMetrics().elidedText(option.currentText, end, room)
        p.drawComplexControl(QStyle.ComplexControl.CC_ComboBox, option)
        p.drawControl(QStyle.ControlElement.CE_ComboBoxLabel, option)


class Page(QScrollArea):
    """A page that scrolls up and down only; its ``column`` is to be filled."""

    def __init__(self) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.body = QWidget()
        self.column = QVBoxLayout(self.body)
        self.column.setContentsMargins(0, 0, 8, 8)
        self.column.setSpacing(8)
        self.setWidget(self.body)


def card(layout: QLayout, chosen: bool = False) -> QFrame:
    """A framed card around a layout."""
    frame = QFrame()
    frame.setObjectName("card")
    frame.setProperty("chosen", chosen)
    layout.setContentsMargins(12, 8, 12, 8)
    layout.setSpacing(4)
    frame.setLayout(layout)
    return frame


def drop(widget: QWidget, layout: QLayout) -> None:
    """Take one widget out of a layout, and away."""
    layout.removeWidget(widget)
    widget.hide()
    widget.setParent(None)
    widget.deleteLater()


def clear(layout: QLayout) -> None:
    """Take everything out of a layout."""
    while layout.count():
        item = layout.takeAt(0)
        widget: QWidget | None = item.widget() if item is not None else None
        if widget is not None:
            drop(widget, layout)
        elif item is not None and (inner := item.layout()) is not None:
            clear(inner)
