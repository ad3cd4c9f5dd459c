"""The demo club in a real window, opened once for the tests of a class."""

import unittest
from datetime import date

from PyQt6.QtCore import QEvent, QEventLoop, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QPushButton

from keenkettle.club import look_up
from keenkettle.ui.start import make_app, make_window
from tests.shared import scratch

TODAY = date(2026, 11, 23)


def shut(window):
    """Close a window and delete it: what is left alive slows every window after it."""
    window.close()
    window.deleteLater()
    delete_left()


def delete_left():
    """Delete what is to be deleted later, as a running application does of itself."""
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)


class OpenWindow(unittest.TestCase):
    """``w`` is the window; whatever a test changes in the records is taken back after it."""

    demo = True

    @classmethod
    def setUpClass(cls):
        cls.app = make_app()
        cls.w = make_window(scratch(), demo=cls.demo, today=TODAY)
        cls.w.resize(1280, 800)
        cls.w.show()
        cls.w.activateWindow()
        cls.settle()
        cls.people = {a.name: a for a in look_up.athletes(cls.w.store)}

    @classmethod
    def tearDownClass(cls):
        shut(cls.w)
        del cls.w

    def tearDown(self):
        while self.w.history._done:
            self.w.undo()
        self.settle()

    @classmethod
    def settle(cls):
        for _ in range(8):
            cls.app.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 5)
        delete_left()

    def hold(self, name, place):
        self.w.hold(self.people[name].id)
        self.w.go(place)
        self.settle()

    def held(self):
        """The athlete in hand, fresh from the records."""
        return look_up.athlete(self.w.store, self.w.athlete.id)

    def click(self, widget, pos=None):
        if pos is None:
            QTest.mouseClick(widget, Qt.MouseButton.LeftButton)
        else:
            QTest.mouseClick(widget, Qt.MouseButton.LeftButton, pos=pos)
        self.settle()

    def press(self, key, modifier=Qt.KeyboardModifier.NoModifier):
        QTest.keyClick(QApplication.focusWidget() or self.w, key, modifier)
        self.settle()

    def button(self, within, text):
        found = [b for b in within.findChildren(QPushButton) if b.text() == text and b.isVisible()]
        self.assertTrue(found, f"no button '{text}'")
        return found[0]

    @property
    def says(self):
        """The line at the foot."""
        return self.w.status.text()
