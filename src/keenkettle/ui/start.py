"""Start the application: fonts, theme, records, window."""

from __future__ import annotations

import gc
import os
import sys
from datetime import date
from pathlib import Path

from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QApplication, QMessageBox

from keenkettle.club.demo import fill_demo
from keenkettle.club.demo_people import CLUB
from keenkettle.club.store import (
    DATABASE,
    ClubDamagedError,
    ClubError,
    Store,
    default_folder,
    restore,
)
from keenkettle.ui import theme
from keenkettle.ui.garbage import Collector
from keenkettle.ui.shell.welcome import Welcome
from keenkettle.ui.shell.window import MainWindow

SWITCH_S = 0.001  # the window gets its turn sooner while something is worked out beside it
FRAME_PX = 40  # a title bar, about
NO_DISPLAY = (
    "keenkettle: there is no display here, so no window can open; "
    "run it on a desktop, or take pictures with './kettle shots'"
)


def has_display() -> bool:
    """Whether a window can be shown."""
    chosen = os.environ.get("QT_QPA_PLATFORM", "")
    return bool(chosen or os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))


#: Held here for as long as the process lives. Qt takes back the application with the last
#: reference to it, and then builds the next window on what the first one left behind.
_held: list[QApplication] = []


def make_app() -> QApplication:
    """The one application, with faces and theme."""
    if not _held:
        _held.append(QApplication(sys.argv[:1]))
        Collector(_held[0])
    app = _held[0]
    app.setApplicationName("keenkettle")
    sys.setswitchinterval(SWITCH_S)
    app.setApplicationDisplayName("Keen Kettle")
    theme.load_fonts()
    return app


def open_store(folder: Path) -> Store | None:
    """Open the records; damaged ones are offered their newest good copy."""
    try:
        return Store(folder)
    except ClubDamagedError as err:
        if err.backup is None:
            QMessageBox.critical(None, "Records damaged", str(err))
            return None
        answer = QMessageBox.question(
            None, "Records damaged", f"{err}. The damaged file is kept beside it. Put it back now?"
        )
        if answer != QMessageBox.StandardButton.Yes:
            return None
        restore(folder, err.backup)
        return open_store(folder)
    except ClubError as err:
        QMessageBox.critical(None, "Records cannot be opened", str(err))
        return None


def make_window(folder: Path, demo: bool, today: date | None = None) -> MainWindow | None:
    """Open the records and the window on them, or None where they cannot be opened."""
    store = open_store(folder)
    if store is None:
        return None
    if demo:
        fill_demo(store, today or date.today())
    settings = QSettings(str(folder / "window.ini"), QSettings.Format.IniFormat)
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    worn = theme.RUBBER if settings.value("theme") == "Rubber" else theme.CHALK
    theme.apply_theme(app, worn)
    return MainWindow(store, settings, (lambda: today) if today else date.today)


def run_app(demo: bool = False, data: Path | None = None) -> int:
    """Run until the window closes; returns the exit status."""
    if not has_display():
        print(NO_DISPLAY, file=sys.stderr)
        return 1
    app = make_app()
    folder, club = data or default_folder(demo), ""
    if not demo and not (folder / DATABASE).exists():
        theme.apply_theme(app, theme.CHALK)
        asked = Welcome(CLUB)
        if not asked.exec():
            return 0
        demo, club = asked.demo, asked.club
        folder = default_folder(True) if demo else folder
    window = make_window(folder, demo)
    if window is None:
        return 1
    if club:
        window.name_club(club)
    show_whole(window)
    gc.freeze()  # what is there now stays: going through all of it again would hold the window up
    return app.exec()


def show_whole(window: MainWindow) -> None:
    """Show the window; on a screen that it would not fit with its frame, it fills the screen."""
    screen = window.screen()
    room = screen.availableSize() if screen is not None else window.size()
    if window.width() > room.width() or window.height() + FRAME_PX > room.height():
        window.showMaximized()
    else:
        window.show()
