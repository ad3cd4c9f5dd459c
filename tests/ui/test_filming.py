"""Filming with a camera through the real window; a test picture generator stands for one."""

from unittest.mock import patch

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox

from keenkettle.club.erase import belongings
from keenkettle.club.filmed import cut_off, filmed_name
from keenkettle.film.camera import Device, film
from tests.ui.test_film_path import WindowCase

CAMERA = Device("testsrc=size=320x180:rate=50", "Test picture", "lavfi")
LEFT = Qt.MouseButton.LeftButton


class FilmingTest(WindowCase):
    def open_dialog(self, *found):
        films = self.window.films
        with patch("keenkettle.ui.film.filming.devices", lambda: list(found)):
            films.ask_camera()
        self.addCleanup(films.filming.close)
        return films.filming

    def test_a_film_is_made_with_one_key_and_taken_in_when_stopped(self):
        before = {c.id for c in self.state.clips}
        dialog = self.open_dialog(CAMERA)
        self.until(lambda: not dialog.picture.pixmap().isNull())
        QTest.keyClick(dialog, Qt.Key.Key_Return)
        self.assertTrue(dialog.filming)
        self.assertFalse(dialog.findChild(QComboBox).isEnabled())
        self.until(lambda: dialog.seconds_shown >= 1)
        QTest.mouseClick(dialog.go, LEFT)
        self.until(lambda: len(self.state.clips) > len(before))
        (new,) = (c for c in self.state.clips if c.id not in before)
        self.assertEqual(new.path.parent, self.window.store.clips_folder)
        self.assertFalse(dialog.filming)
        QTest.keyClick(dialog, Qt.Key.Key_Escape)
        self.assertFalse(dialog.isVisible())

    def test_no_camera_and_one_that_is_gone_are_said(self):
        dialog = self.open_dialog()
        self.assertIn("No camera is connected", dialog.picture.text())
        self.assertFalse(dialog.go.isEnabled())
        dialog.close()
        dialog = self.open_dialog(Device("/dev/video99", "Webcam"))
        self.until(lambda: dialog.words.text().startswith("Webcam cannot be opened"))

    def test_one_that_was_cut_off_is_taken_in_and_erased_with_the_athlete(self):
        store, athlete = self.window.store, self.state.athlete
        path = filmed_name(store, athlete.id)
        left = iter(range(60))
        film(CAMERA, path, lambda: next(left, None) is not None, lambda _: None)
        self.assertEqual(cut_off(store, athlete.id), [path])
        self.assertIn(path, belongings(store, athlete.id).own)
        self.open_dialog()
        self.until(lambda: path in {c.path for c in self.state.clips})
        self.assertEqual(cut_off(store, athlete.id), [])
