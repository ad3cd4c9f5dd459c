"""Playing: true time at any speed, both ways, round a part; frames are dropped, time is kept."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QElapsedTimer, QObject, Qt, QTimer, pyqtSignal

from keenkettle.measure.geometry import FloatArray
from keenkettle.ui.film.presenter import FilmPresenter

SPEEDS = (1 / 16, 1 / 8, 1 / 4, 1 / 2, 1.0, 2.0)
REAL = SPEEDS.index(1.0)
RUN_SPEED = 1 / 4  # while an arrow key is held
TICK_MS = 8
LOOPS = ("", "phase", "rep")


class Player(QObject):
    """Moves the presenter through the film. ``told`` carries a word when something changed."""

    told = pyqtSignal(str)

    def __init__(self, presenter: FilmPresenter, phase: Callable[[], tuple[int, int]]) -> None:
        """``phase`` gives first and last frame of the phase in view."""
        super().__init__()
        self.presenter, self._phase = presenter, phase
        self.speed = REAL
        self.loop = ""
        self._direction, self._factor = 1, 1.0
        self._running = False
        self._span = (0, 0)
        self._from_s = 0.0
        self._clock = QElapsedTimer()
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._tick)

    @property
    def playing(self) -> bool:
        """Whether the film moves."""
        return self._timer.isActive()

    def toggle(self) -> None:
        """Play or pause; at the end it begins again."""
        if self.playing:
            self.pause()
            return
        if self.presenter.state.frames < 2:
            return
        first, last = self.span()
        if not first <= self.presenter.state.frame < last:
            self.presenter.go(first)
        self._start(1, SPEEDS[self.speed])

    def run(self, direction: int) -> None:
        """Run slowly while a key is held."""
        if not self.playing and self.presenter.state.frames > 1:
            self._start(direction, RUN_SPEED)
            self._running = True

    def stop_run(self) -> None:
        """The key was let go."""
        if self._running:
            self.pause()

    def _start(self, direction: int, factor: float) -> None:
        self._direction, self._factor = direction, factor
        self._span = self.span()
        self._from_s = float(self._times()[self.presenter.state.frame])
        self._clock.start()
        self._timer.start(TICK_MS)

    def pause(self) -> None:
        """Stop where the film is."""
        self._running = False
        self._timer.stop()

    def span(self) -> tuple[int, int]:
        """First and last frame to be played."""
        rep = self.presenter.rep
        if self.loop == "phase":
            return self._phase()
        if self.loop == "rep" and rep is not None:
            return rep.span.lift_off, rep.span.end
        return 0, self.presenter.state.frames - 1

    def change_loop(self) -> None:
        """Round this phase, round the rep, or not."""
        self.loop = LOOPS[(LOOPS.index(self.loop) + 1) % len(LOOPS)]
        self._span = self.span()
        self.told.emit(f"plays round this {self.loop}" if self.loop else "plays to the end")

    def change_speed(self, by: int) -> None:
        """Play slower or faster."""
        self.speed = max(0, min(self.speed + by, len(SPEEDS) - 1))
        if self.playing:
            self._start(self._direction, SPEEDS[self.speed])
        self.told.emit(f"plays at {speed_text(self.speed)} of real speed")

    def _times(self) -> FloatArray:
        return self.presenter.times_s

    def _tick(self) -> None:
        times, state = self._times(), self.presenter.state
        passed = self._clock.elapsed() / 1000.0 * self._factor * self._direction
        moment = self._from_s + passed
        first, last = self._span
        frame = int(times.searchsorted(moment + 1e-6, side="right")) - 1
        if self._direction < 0:
            self.presenter.go(max(frame, 0))
            if frame <= 0:
                self.pause()
        elif frame < last:
            self.presenter.go(max(frame, first if self.loop else 0))
        elif self.loop and last > first:
            self.presenter.go(first)
            self._from_s = float(times[first])
            self._clock.restart()
        else:
            self.presenter.go(min(last, state.frames - 1))
            self.pause()


def speed_text(index: int) -> str:
    """A speed as coaches say it."""
    value = SPEEDS[index]
    return f"{value:g}×" if value >= 1 else f"1/{round(1 / value)}"
