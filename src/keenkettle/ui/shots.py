"""Pictures of every main view, from the demo club, without a display.

python -m keenkettle.ui.shots FOLDER
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from datetime import date
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtWidgets import QApplication

from keenkettle.club.demo_people import CLUB
from keenkettle.ui import theme
from keenkettle.ui.shell.welcome import Welcome
from keenkettle.ui.shell.window import MainWindow
from keenkettle.ui.start import make_app, make_window

TODAY = date(2026, 11, 23)
MOST_WAIT_S = 20.0


def settle(app: QApplication, window: MainWindow) -> None:
    """Let the window finish: pictures of the cards, the frame on the stage."""
    end = time.monotonic() + MOST_WAIT_S
    film = window.film
    while time.monotonic() < end:
        app.processEvents()
        if window.place != "Film":
            shown = [
                s
                for s in (window.ladder.show_me, window.facts.choose.show_me)
                if s.isVisible() and s.lift is not None and s.shown is None
            ]
            if not shown and not window.jobs.busy:
                break
            continue
        waiting = [c for c in film.side.cards if c.picture.pixmap().isNull()]
        if film.job is None and not waiting and not film.stage.image.isNull():
            break
    for _ in range(20):
        app.processEvents()


def wait_for(app: QApplication, ready: Callable[[], bool]) -> None:
    """Let the window work until something is there."""
    end = time.monotonic() + MOST_WAIT_S
    while not ready() and time.monotonic() < end:
        app.processEvents()


def take(folder: Path) -> list[Path]:
    """Write the pictures; returns their paths."""
    app = make_app()
    made = []
    folder.mkdir(parents=True, exist_ok=True)
    theme.apply_theme(app, theme.CHALK)
    welcome = Welcome(CLUB)
    welcome.show()
    app.processEvents()
    made.append(folder / "first-start.png")
    welcome.grab().save(str(made[-1]))
    welcome.close()
    with tempfile.TemporaryDirectory() as data:
        window = make_window(Path(data), demo=True, today=TODAY)
        assert window is not None
        window.resize(1280, 800)
        window.show()
        people = {a.name: a.id for a in window_athletes(window)}

        def shot(name: str) -> None:
            settle(app, window)
            path = folder / f"{name}.png"
            window.grab().save(str(path))
            made.append(path)

        window.hold(people["Sunniva Dale"])
        window.go("Today")
        shot("today")
        for i, part in enumerate(("meeting", "clearances", "fit", "bests", "choose")):
            window.go("Athlete")
            window.facts.view(i)
            if part != "bests":
                shot(f"athlete-{part}")
        window.go("Ladder")
        shot("ladder")
        window.ladder.view(1)
        window.ladder.squad.propose_groups()
        shot("squad")
        window.ladder.view(0)
        window.go("Film")
        shot("film")
        settle(app, window)
        window.film.answering.answer("confirmed")
        place = window.film.side.verticalScrollBar()
        settle(app, window)
        assert place is not None
        place.setValue(place.maximum() // 2)
        shot("film-drills")
        window.film.answering.prescribe(0)
        window.film.sides.show_one("Words")
        window.film.words.draft()
        window.film.shelf.show_one("key frames")
        wait_for(app, lambda: window.film.shelf.keys.complete)
        shot("film-words")
        window.film.sides.show_one("Over time")
        window.film.shelf.show_one("angles")
        shot("film-over-time")
        window.film.comparing.begin()
        wait_for(app, lambda: window.film.comparing.pictured)
        shot("film-compare")
        window.film.comparing.end()
        window.film.sides.show_one("Findings")
        window.film.shelf.show_one("speed")
        window.hold(people["Jory Penhale"])
        of_set = [c for c in window.film.presenter.state.clips if c.lift.endswith("-pull")]
        window.film.presenter.open(of_set[0])
        window.film.sides.show_one("Set")
        shot("film-set")
        window.film.sides.show_one("Findings")
        window.hold(people["Sunniva Dale"])
        window.film.shelve()
        window.show_shelf()
        assert window.group is not None
        window.group.showNormal()
        window.group.resize(1280, 800)
        wait_for(app, lambda: not window.group.picture.image.isNull())
        made.append(folder / "shelf.png")
        window.group.grab().save(str(made[-1]))
        window.group.close()
        window.hold(people["Maren Holt"])
        front = [c for c in window.film.presenter.state.clips if c.path.stem == "maren-2"]
        window.film.presenter.open(front[0])
        window.film.presenter.next_finding(1)
        shot("film-front")
        window.hold(people["Sunniva Dale"])
        window.go("Session")
        shot("session")
        window.change_theme()
        window.go("Film")
        place.setValue(0)
        shot("film-rubber")
        window.films.show_list()
        shot("films")
        window.close()
    return made


def window_athletes(window: MainWindow) -> list:  # type: ignore[type-arg]
    """Everyone in the club."""
    from keenkettle.club.look_up import athletes

    return athletes(window.store)


if __name__ == "__main__":
    for picture in take(Path(sys.argv[1] if len(sys.argv) > 1 else ".")):
        print(picture)
