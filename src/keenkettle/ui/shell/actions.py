"""The table of everything that can be done in the window."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from keenkettle.ui.athlete.place import PARTS
from keenkettle.ui.film.handing_out import KINDS
from keenkettle.ui.film.presenter import JUMP
from keenkettle.ui.film.tools import DISC, DRAW, TIME
from keenkettle.ui.shell.commands import Action

if TYPE_CHECKING:
    from keenkettle.ui.shell.window import MainWindow

PLACES = ("Today", "Athlete", "Ladder", "Film", "Session")


def actions_of(window: MainWindow) -> list[Action]:
    """All that can be done, with its menu, name, key and the place where the key counts."""
    return [
        *_everywhere(window),
        *_clip(window),
        *_film(window),
        *_drawing(window),
        *_findings(window),
        Action("Session", "Print card", "Ctrl+P", window.print_card),
    ]


def _everywhere(window: MainWindow) -> list[Action]:
    return [
        Action("Club", "Change athlete", "/", window.pick_athlete),
        Action("Club", "Find a command", "Ctrl+K", window.find_command),
        Action("Club", "Chalk or Rubber theme", "Ctrl+T", window.change_theme),
        Action("Club", "Show the shelf to a group", "Ctrl+L", window.show_shelf),
        Action("Club", "Name of the club", "", window.ask_club),
        Action("Club", "Quit", "Ctrl+Q", window.close),
        Action("Edit", "Undo", "Ctrl+Z", window.undo),
        Action("Edit", "Redo", "Ctrl+Shift+Z", window.redo),
        *(
            Action("Go", name, f"Ctrl+{i + 1}", partial(window.visit, name))
            for i, name in enumerate(PLACES)
        ),
        Action("Athlete", "Someone new", "Ctrl+N", window.new_athlete),
        Action("Athlete", "Take athletes in from a file", "", window.ask_people),
        Action("Athlete", "Hand out the whole record", "", window.whole.ask_out),
        Action("Athlete", "Take a record in", "", window.whole.ask_in),
        Action("Athlete", "Erase this athlete", "", window.whole.ask_erase),
        Action("Athlete", "Keep the meeting", "Ctrl+S", window.facts.meeting.keep, "Athlete"),
        *(
            Action("Athlete", part, f"Alt+{i + 1}", partial(window.show_part, i))
            for i, part in enumerate(PARTS)
        ),
        Action("Ladder", "This athlete or the whole squad", "Ctrl+G", window.change_squad),
        Action(
            "Ladder",
            "Show the movement, or stop",
            "Space",
            window.ladder.show_me.toggle,
            "Ladder",
        ),
        Action("Ladder", "Do what is proposed", "Ctrl+Return", window.do_proposed),
    ]


def _clip(window: MainWindow) -> list[Action]:
    f = window.film
    return [
        Action("Clip", "Open a film", "Ctrl+O", window.films.ask_film),
        Action("Clip", "Open a folder of films", "", window.films.ask_folder),
        Action("Clip", "All films", "Ctrl+Shift+O", window.films.show_list),
        Action("Clip", "Film with a camera", "Ctrl+F", window.films.ask_camera),
        Action("Clip", "Take in from a card or phone", "", window.films.ask_card),
        Action("Clip", "Stop analysing in the background", "", f.queue.stop),
        Action("Clip", "Find moved file", "", window.films.ask_moved),
        Action("Clip", "How it was filmed", "H", f.ask_filmed, "Film"),
        Action("Clip", "Show which disc, and how large", "R", lambda: f.tools.take(DISC), "Film"),
        Action("Clip", "Analyse again", "Ctrl+R", f.analyse, "Film"),
        Action("Clip", "Put the tool down, or stop the analysis", "Esc", f.put_down, "Film"),
        Action("Clip", "Mark joints, or done", "J", lambda: f.tools.take("joints"), "Film"),
        Action("Clip", "Mark the middle of the back, or done", "", lambda: f.tools.take("back")),
        Action("Clip", "Mark the rear leg, or done", "", lambda: f.tools.take("rear leg")),
        Action("Clip", "Take in marks or tracks from a file", "", window.films.ask_marks),
        Action("Clip", "Compare, or end it", "K", f.comparing.toggle, "Film"),
        Action("Clip", "Lay the two films over each other", "V", f.comparing.toggle_over, "Film"),
        *(
            Action("Clip", f"Hand out: {word.lower()}", "", partial(f.hand_out, kind))
            for kind, (word, _, _) in KINDS.items()
        ),
    ]


def _film(window: MainWindow) -> list[Action]:
    f, p = window.film, window.film.presenter
    return [
        Action("Film", "Step forward", "Right", lambda: p.step(1), "Film"),
        Action("Film", "Step back", "Left", lambda: p.step(-1), "Film"),
        Action("Film", "Jump forward", "Shift+Right", lambda: p.step(JUMP), "Film"),
        Action("Film", "Jump back", "Shift+Left", lambda: p.step(-JUMP), "Film"),
        Action("Film", "First frame", "Home", lambda: p.go(0), "Film"),
        Action("Film", "Last frame", "End", lambda: p.go(p.state.frames - 1), "Film"),
        Action("Film", "Play or pause", "Space", f.player.toggle, "Film"),
        Action("Film", "Play slower", "-", lambda: f.player.change_speed(-1), "Film"),
        Action("Film", "Play faster", "+", lambda: f.player.change_speed(1), "Film"),
        Action("Film", "Loop the phase, the rep, or not", "O", f.player.change_loop, "Film"),
        Action("Film", "Next curve, or the key frames", "C", f.shelf.show_next, "Film"),
        Action("Film", "Next page at the side", "G", f.sides.show_next, "Film"),
        Action("Film", "Put this frame on the shelf", "S", f.shelve, "Film"),
        Action("Film", "Nearest event to this frame", "M", f.move_nearest_event, "Film"),
        Action("Film", "Next event", "E", lambda: p.next_event(1), "Film"),
        Action("Film", "Event before", "Shift+E", lambda: p.next_event(-1), "Film"),
        Action("Film", "Go to a time or frame", "U", lambda: f.tools.take(TIME), "Film"),
        Action("Film", "Whole picture or the lift", "W", lambda: f.toggle("whole"), "Film"),
        Action("Film", "True or elastic time", "T", lambda: f.toggle("true_time"), "Film"),
    ]


def _drawing(window: MainWindow) -> list[Action]:
    f = window.film
    return [
        Action("Draw", "Measure a distance", "D", lambda: f.tools.take("distance"), "Film"),
        Action("Draw", "Measure an angle", "A", lambda: f.tools.take("angle"), "Film"),
        Action("Draw", "Write on this frame", "N", lambda: f.tools.take("text"), "Film"),
        Action("Draw", "Draw on this frame", "Shift+N", lambda: f.tools.take(DRAW), "Film"),
        Action("Draw", "Note for the frame, its phase, the lift", "Y", f.change_stay, "Film"),
        Action("Draw", "Plumb line on or off", "P", lambda: f.toggle("plumb"), "Film"),
        Action("Draw", "Squares of 10 cm on or off", "X", lambda: f.toggle("grid"), "Film"),
        Action("Draw", "Line from hip to bar on or off", "I", lambda: f.toggle("gap"), "Film"),
    ]


def _findings(window: MainWindow) -> list[Action]:
    p, a = window.film.presenter, window.film.answering
    answers = (
        ("Mend this finding", "Return", "confirmed"),
        ("Finding is not so", "Backspace", "dismissed"),
        ("Leave finding for later", "L", "later"),
    )
    return [
        Action("Finding", "Next finding", "F", lambda: p.next_finding(1), "Film"),
        Action("Finding", "Finding before", "Shift+F", lambda: p.next_finding(-1), "Film"),
        *(Action("Finding", name, key, partial(a.answer, word), "Film")
          for name, key, word in answers),
        Action("Finding", "Add what you see on this frame", "Q", a.add, "Film"),
        *(Action("Finding", f"{nth} drill into the session", f"{i + 1}", partial(a.prescribe, i),
                 "Film")
          for i, nth in enumerate(("First", "Second", "Third"))),
    ]  # fmt: skip
