"""Colours, faces, sizes and the style sheet of the two themes, Chalk and Rubber."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from importlib.resources import files

from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication

TEXT_FACE, BIG_FACE = "Open Sans", "Open Sans Condensed"
SIZES_PX = (12, 14, 18, 24, 40, 72)
SPACES_PX = (4, 8, 12, 20, 32)
HIT_PX = 32


@dataclass(frozen=True)
class Theme:
    """One theme. ``wash`` lies under what is chosen; ``accent_ink`` is text on the accent."""

    name: str
    ground: str
    card: str
    ink: str
    quiet: str
    line: str
    accent: str
    accent_ink: str
    wash: str
    other: str
    held: str
    stage: str


CHALK = Theme(
    "Chalk", "#F1EDE4", "#FBF9F4", "#24272B", "#5E6368", "#D8D1C3", "#A64E1C", "#FFFFFF",
    "#F3DCC9", "#1C6B77", "#3F6B3A", "#3A3C3E",
)  # fmt: skip
RUBBER = Theme(
    "Rubber", "#131518", "#1D2024", "#F0EBE1", "#A7A39A", "#34383E", "#EB9557", "#1A1206",
    "#3A2A1E", "#63C5D2", "#8FC48A", "#0A0B0C",
)  # fmt: skip


def load_fonts() -> None:
    """Register the shipped faces."""
    folder = files("keenkettle.ui") / "fonts"
    for name in ("OpenSans-Regular.ttf", "OpenSans-Semibold.ttf", "OpenSans-CondBold.ttf"):
        QFontDatabase.addApplicationFontFromData((folder / name).read_bytes())


def text_font(size_px: int, strong: bool = False) -> QFont:
    """The text face."""
    font = QFont(TEXT_FACE)
    font.setPixelSize(size_px)
    font.setWeight(QFont.Weight.DemiBold if strong else QFont.Weight.Normal)
    return font


def big_font(size_px: int) -> QFont:
    """The condensed face for big figures."""
    font = QFont(BIG_FACE)
    font.setPixelSize(size_px)
    font.setWeight(QFont.Weight.Bold)
    return font


def colour(value: str, alpha: int = 255) -> QColor:
    """A colour with its opacity, 0 to 255."""
    c = QColor(value)
    c.setAlpha(alpha)
    return c


def apply_theme(app: QApplication, theme: Theme) -> None:
    """Dress the whole application."""
    if not app.styleSheet():  # once: a style that is set again dresses every widget twice
        app.setStyle("Fusion")
    app.setFont(text_font(14))
    palette = QPalette()
    roles = {
        QPalette.ColorRole.Window: theme.ground, QPalette.ColorRole.Base: theme.card,
        QPalette.ColorRole.WindowText: theme.ink, QPalette.ColorRole.Text: theme.ink,
        QPalette.ColorRole.Button: theme.card, QPalette.ColorRole.ButtonText: theme.ink,
        QPalette.ColorRole.Highlight: theme.accent, QPalette.ColorRole.ToolTipBase: theme.card,
        QPalette.ColorRole.HighlightedText: theme.accent_ink,
        QPalette.ColorRole.ToolTipText: theme.ink, QPalette.ColorRole.PlaceholderText: theme.quiet,
    }  # fmt: skip
    for role, value in roles.items():
        palette.setColor(role, QColor(value))
    app.setPalette(palette)
    app.setStyleSheet(style_sheet(theme))
    app.setProperty("kettle_theme", theme.name)


@contextmanager
def on_paper() -> Iterator[None]:
    """What is painted meanwhile is painted for paper, whatever the window wears."""
    app = QApplication.instance()
    assert app is not None
    worn = app.property("kettle_theme")
    app.setProperty("kettle_theme", CHALK.name)
    try:
        yield
    finally:
        app.setProperty("kettle_theme", worn)


def current(app: QApplication | None = None) -> Theme:
    """The theme now worn."""
    owner = app or QApplication.instance()
    return RUBBER if owner is not None and owner.property("kettle_theme") == "Rubber" else CHALK


def style_sheet(t: Theme) -> str:
    """Qt style sheet of a theme."""
    return f"""
QWidget {{ color: {t.ink}; font-size: 14px; }}
QMainWindow, #place {{ background: {t.ground}; }}
#topbar {{ background: {t.card}; border-bottom: 1px solid {t.line}; }}
#card {{ background: {t.card}; border: 1px solid {t.line}; border-radius: 6px; }}
#card[chosen="true"] {{ border: 2px solid {t.accent}; }}
QLabel[role="quiet"] {{ color: {t.quiet}; font-size: 12px; }}
QLabel[role="title"] {{ font-size: 18px; font-weight: 600; }}
QLabel[role="strong"] {{ font-weight: 600; }}
QLabel[role="accent"] {{ color: {t.accent}; font-weight: 600; font-size: 12px; }}
QLabel[role="held"] {{ color: {t.held}; font-weight: 600; }}
QLabel[role="warn"] {{ color: {t.accent}; font-weight: 600; }}
QPushButton, QToolButton, QComboBox {{ background: {t.card}; border: 1px solid {t.line};
  border-radius: 5px; padding: 4px 12px; min-height: 24px; }}
QComboBox::drop-down {{ border: none; width: 22px; }}
QComboBox QAbstractItemView {{ background: {t.card}; selection-background-color: {t.wash};
  selection-color: {t.ink}; border: 1px solid {t.line}; }}
QPushButton:hover, QToolButton:hover, QComboBox:hover {{ border-color: {t.accent}; }}
QPushButton:focus, QToolButton:focus, QComboBox:focus, QPlainTextEdit:focus, QLineEdit:focus,
QListWidget:focus {{ border: 2px solid {t.other}; }}
QPushButton[role="main"], QPushButton:checked {{ background: {t.accent}; color: {t.accent_ink};
  border-color: {t.accent}; font-weight: 600; }}
QPushButton[role="main"]:focus, QPushButton:checked:focus {{ border: 3px solid {t.other}; }}
QCheckBox::indicator:unchecked {{ border: 1px solid {t.quiet}; border-radius: 3px;
  background: {t.card}; width: 13px; height: 13px; }}
QSlider:focus {{ border: 2px solid {t.other}; border-radius: 6px; }}
QPushButton:disabled {{ color: {t.quiet}; background: {t.ground}; border-color: {t.line}; }}
QPushButton[role="place"] {{ background: transparent; border: none; border-radius: 0;
  border-bottom: 3px solid transparent; padding: 10px 14px; }}
QPushButton[role="place"]:checked {{ color: {t.ink}; font-weight: 600;
  border-bottom: 3px solid {t.accent}; }}
QPushButton[role="place"]:focus {{ border-bottom: 3px solid {t.other}; }}
QPushButton[role="athlete"] {{ text-align: left; background: {t.ground}; padding: 4px 12px; }}
QPushButton[role="tall"] {{ text-align: left; padding: 4px 10px; font-size: 12px; }}
QPushButton[role="eyes"] {{ text-align: left; background: transparent; border-color: transparent;
  color: {t.accent}; font-size: 12px; font-weight: 600; padding: 4px 2px; }}
QPushButton[role="slim"] {{ padding: 3px 8px; font-size: 12px; }}
QPushButton[role="link"] {{ background: transparent; border: none; color: {t.other};
  text-align: left; padding: 4px 2px; }}
QPlainTextEdit, QLineEdit, QListWidget, QTextEdit {{ background: {t.card};
  border: 1px solid {t.line}; border-radius: 5px; padding: 6px;
  selection-background-color: {t.accent}; selection-color: {t.accent_ink}; }}
QTableView {{ background: {t.card}; border: 1px solid {t.line}; border-radius: 5px;
  outline: none; selection-background-color: {t.wash}; selection-color: {t.ink}; }}
QTableView:focus {{ border: 2px solid {t.other}; }}
QTableView::item {{ padding: 0 8px; }}
QHeaderView, QHeaderView::section {{ background: {t.card}; color: {t.quiet}; border: none; }}
QHeaderView::section {{ border-bottom: 1px solid {t.line}; padding: 6px 11px; font-size: 12px; }}
QDateEdit {{ background: {t.card}; border: 1px solid {t.line}; border-radius: 5px; padding: 4px; }}
QDateEdit::drop-down {{ border: none; width: 22px; }}
QDateEdit:focus {{ border: 2px solid {t.other}; }}
QListWidget::item {{ padding: 6px; }}
QListWidget::item:selected {{ background: {t.wash}; color: {t.ink}; }}
QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; border: none; }}
QScrollBar:vertical {{ background: transparent; width: 10px; }}
QScrollBar::handle:vertical {{ background: {t.line}; border-radius: 5px; min-height: 32px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; }}
QProgressBar {{ background: {t.line}; border: none; border-radius: 3px; max-height: 6px; }}
QProgressBar::chunk {{ background: {t.other}; border-radius: 3px; }}
QMenuBar {{ background: {t.card}; }}
QMenuBar::item:selected, QMenu::item:selected {{ background: {t.wash}; color: {t.ink}; }}
QMenu {{ background: {t.card}; border: 1px solid {t.line}; }}
QToolTip {{ background: {t.card}; color: {t.ink}; border: 1px solid {t.line}; }}
"""
