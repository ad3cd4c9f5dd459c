"""The ladder place, the squad board and Today, each by its own controls."""

import os
import unittest
from datetime import timedelta
from unittest import mock

from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QFileDialog, QInputDialog

from keenkettle.club.climbing import Decide, history_of, standings
from keenkettle.club.commands import WriteSession
from keenkettle.coach.gates import PROPOSALS, Proposal
from keenkettle.coach.ladders import all_ladders, find_ladder
from keenkettle.ui.ladder.board import WORDS
from keenkettle.ui.ladder.proposal_card import DO, HEAD
from tests.shared import scratch
from tests.ui.window import TODAY, OpenWindow


class LadderTest(OpenWindow):
    def view(self, name):
        self.hold(name, "Ladder")
        self.w.ladder.view(0)
        self.settle()
        return self.w.ladder

    def newest(self):
        return history_of(self.w.store, self.w.athlete.id)[-1]

    def propose(self, act, to="", ladder=""):
        """As if the rules proposed this."""
        self.w.ladder.proposal = Proposal(act, to, "because it is so", "a rule", ladder)
        self.w.ladder.card.set_proposal(self.w.ladder.proposal, True)
        return self.w.ladder

    def test_it_opens_on_the_athlete_s_own_ladder_and_rung(self):
        place = self.view("Sunniva Dale")
        standing = place.standing
        self.assertEqual(place.ladders.currentData(), standing.ladder.id)
        self.assertEqual(place.rungs.chosen, standing.number)
        self.assertIn(f"rung {standing.number} of", place.title.text())
        self.assertIn(standing.rung.title, place.page.toPlainText())

    def test_a_look_at_another_rung_moves_nobody(self):
        place = self.view("Sunniva Dale")
        before = history_of(self.w.store, self.w.athlete.id)
        place.rungs.setFocus()
        for key in (Qt.Key.Key_Up, Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.press(key)
        self.assertEqual(place.rungs.chosen, place.standing.number + 1)
        self.assertEqual(place.gate.buttons, {})
        self.assertTrue(place.card.other.isVisible())
        self.assertEqual(history_of(self.w.store, self.w.athlete.id), before)

    def test_each_proposal_does_what_it_says(self):
        for act, to, rung in (
            ("back", 1, 1),
            ("leave", 0, None),
        ):
            place = self.view("Sunniva Dale")
            ladder, here = place.standing.ladder, place.standing.number
            self.propose(act, ladder.rung(to).title if to else ladder.name)
            self.click(place.card.main)
            self.assertEqual(self.newest().act, act)
            self.assertEqual(self.newest().reason, "because it is so")
            self.assertEqual(self.newest().rung, rung or here)
            self.w.undo()

    def test_sideways_leads_to_the_other_ladder_s_first_rung(self):
        place = self.view("Sunniva Dale")
        other = next(x for x in all_ladders() if x != place.standing.ladder.id)
        self.propose("sideways", all_ladders()[other].name, other)
        place.card.why.setText("tried long enough")
        self.click(place.card.main)
        step = self.newest()
        self.assertEqual((step.ladder, step.rung, step.act), (other, 1, "sideways"))
        self.assertEqual(step.reason, "tried long enough")
        self.assertEqual(self.w.ladder.ladders.currentData(), other)

    def test_sideways_within_the_ladder_goes_to_the_named_rung(self):
        place = self.view("Sunniva Dale")
        self.propose("sideways", place.standing.ladder.rung(2).title)
        self.click(place.card.main)
        self.assertEqual((self.newest().rung, self.newest().act), (2, "sideways"))

    def test_what_needs_no_act_offers_none(self):
        place = self.view("Sunniva Dale")
        for act in PROPOSALS:
            self.propose(act, "somewhere")
            self.assertEqual(place.card.main.isVisible(), act in DO)
            self.assertEqual(place.card.head.text(), HEAD[act])
            self.assertIn("You decide", place.card.rule.text())

    def test_every_kind_of_condition_is_written_down_its_own_way(self):
        place = self.view("Corin Hale")
        kinds = {}
        for ladder in all_ladders().values():
            for number, rung in enumerate(ladder.rungs, 1):
                for gate in rung.gate:
                    kinds.setdefault(gate.kind, (ladder.id, number, gate.key))
        for kind in ("tick", "hold", "side-weeks", "load", "no-fault"):
            ladder_id, number, key = kinds[kind]
            self.w.history.run(
                Decide(self.w.athlete.id, ladder_id, number, TODAY, "set", "to look")
            )
            place.hold(self.held())
            b = place.gate.buttons[key]
            if kind == "hold":
                with mock.patch("time.monotonic", side_effect=[10.0, 400.0, 400.0, 400.0]):
                    b.click()
                    place.gate.buttons[key].click()
            elif kind == "load":
                with mock.patch.object(QInputDialog, "getDouble", return_value=(400.0, True)):
                    b.click()
            else:
                b.click()
            standing = standings(self.w.store, [self.held()], TODAY)[self.w.athlete.id]
            seen = [n for n in standing.notes if n.key == key]
            self.assertEqual(len(seen), 1, kind)
            value = {"hold": 390.0, "load": 400.0}.get(kind, 1.0)
            self.assertEqual(seen[0].value, value)

    def test_a_load_that_is_put_away_is_not_written(self):
        place = self.view("Corin Hale")
        with mock.patch.object(QInputDialog, "getDouble", return_value=(40.0, False)):
            place.gate._load("load:front-squat")
        standing = standings(self.w.store, [self.held()], TODAY)[self.w.athlete.id]
        self.assertNotIn("load:front-squat", [n.key for n in standing.notes])

    def test_where_schools_differ_is_shown(self):
        place = self.view("Sunniva Dale")
        self.click(self.button(place, "Schools"))
        self.assertIn("Where schools differ", place.page.toPlainText())
        self.assertIn("Default:", place.page.toPlainText())

    def test_nobody_in_hand_is_nobody_s_ladder(self):
        place = self.w.ladder
        place.hold(None)
        self.assertFalse(place.card.isVisible())
        self.assertIn("nobody in hand", place.title.text())
        place.decide("advance", "")
        place.see("tick:x", 1.0)
        self.assertFalse(self.w.history._done)


class FilesTest(OpenWindow):
    def setUp(self):
        patch = mock.patch.dict(os.environ, XDG_DATA_HOME=str(scratch()))
        patch.start()
        self.addCleanup(all_ladders.cache_clear)
        self.addCleanup(patch.stop)
        all_ladders.cache_clear()
        self.hold("Sunniva Dale", "Ladder")

    def test_a_ladder_is_copied_written_changed_and_read(self):
        place = self.w.ladder
        source = str(place.ladders.currentData())
        self.click(self.button(place, "Copy"))
        self.assertEqual(place.ladders.currentData(), f"{source}-own-1")
        path = scratch() / "mine.toml"
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(path), "")):
            self.click(self.button(place, "Write"))
        text = path.read_text()
        path.write_text(text.replace(find_ladder(source).rung(1).title, "A quiet beginning"))
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(path), "")):
            self.click(self.button(place, "Read"))
        self.assertEqual(find_ladder(f"{source}-own-1").rung(1).title, "A quiet beginning")
        self.assertIn("kept:", self.says)
        self.click(self.button(place, "Copy"))
        self.assertIn("own-1", str(place.ladders.currentData()))

    def test_a_ladder_is_edited_in_place_and_what_is_wrong_is_said_there(self):
        place = self.w.ladder
        shipped = str(place.ladders.itemData(0))
        place.ladders.setCurrentIndex(0)
        self.click(self.button(place, "Edit"))
        editor = place.editor
        text = editor.text.toPlainText()
        title = find_ladder(shipped).rung(1).title
        editor.text.setPlainText(text.replace(f'title = "{title}"', 'titel = "x"', 1))
        editor.keep()
        self.assertTrue(editor.isVisible())
        self.assertIn("title", editor.wrong.text())
        editor.text.setPlainText(text.replace(title, "Stand and breathe"))
        editor.keep()
        self.assertFalse(editor.isVisible())
        own = str(place.ladders.currentData())
        self.assertNotEqual(own, shipped)
        self.assertEqual(find_ladder(own).rung(1).title, "Stand and breathe")
        self.assertEqual(find_ladder(shipped).rung(1).title, title)
        self.click(self.button(place, "Edit"))
        self.assertIn(f'id = "{own}"', editor.text.toPlainText())
        editor.close()

    def test_a_wrong_file_is_told_and_not_kept(self):
        count = self.w.ladder.ladders.count()
        folder = scratch()
        (folder / "bad.toml").write_text('id = "bad"\nname = ')
        self.w.ladder.read(folder / "bad.toml")
        self.assertIn("bad.toml: not valid TOML", self.says)
        self.w.ladder.read(folder / "gone.toml")
        self.assertIn("gone.toml cannot be read", self.says)
        self.assertEqual(self.w.ladder.ladders.count(), count)

    def test_a_place_that_cannot_be_written_is_told(self):
        where = str(scratch() / "no" / "x.toml")
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(where, "")):
            self.w.ladder.ask_write()
        self.assertIn("choose another folder", self.says)


class SquadTest(OpenWindow):
    def view(self):
        self.w.go("Ladder")
        self.w.ladder.view(1)
        self.settle()
        return self.w.ladder.squad

    def test_everybody_has_a_token_on_their_rung(self):
        squad = self.view()
        standing = standings(self.w.store, self.people.values(), TODAY)
        self.assertEqual(len(squad.board.tokens), len(standing))
        for token in squad.board.tokens:
            self.assertEqual(token.rung, standing[token.athlete_id].number)
            self.assertIn(token.act, WORDS)

    def test_the_reason_is_told_over_a_token(self):
        squad = self.view()
        box, token = squad.board._places[0]
        at = QPointF(box.center())
        squad.board.mouseMoveEvent(
            QMouseEvent(QMouseEvent.Type.MouseMove, at, at, Qt.MouseButton.NoButton,
                        Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier)
        )  # fmt: skip
        self.assertEqual(squad.board.toolTip(), f"{token.name}: {token.reason}")

    def test_tokens_do_not_lie_on_each_other_at_any_width(self):
        squad = self.view()
        for width in (1280, 2500):
            self.w.resize(width, 800)
            self.settle()
            boxes = [b for b, _ in squad.board._places]
            for i, a in enumerate(boxes):
                self.assertLessEqual(a.right(), squad.board.width())
                for b in boxes[i + 1 :]:
                    self.assertFalse(a.intersects(b))
        self.w.resize(1280, 800)

    def test_a_name_moved_by_hand_moves_its_minutes(self):
        squad = self.view()
        squad.propose_groups()
        first, second = squad.lists[:2]
        texts = [x.property("title_label").text() for x in (first, second)]
        second.addItem(first.takeItem(0))
        moved = [x.property("title_label").text() for x in (first, second)]
        self.assertNotEqual(texts, moved)
        names = [x.item(i).data(Qt.ItemDataRole.UserRole) for x in squad.lists
                 for i in range(x.count())]  # fmt: skip
        self.assertEqual(sorted(names), sorted(squad.places))

    def test_too_little_time_is_said_with_what_would_help(self):
        squad = self.view()
        squad.platforms.setValue(1)
        squad.minutes.setValue(10)
        squad.propose_groups()
        self.assertIn("too long; fewer sets or one more platform", squad.result.text())
        squad.minutes.setValue(240)
        squad.propose_groups()
        self.assertNotIn("too long", squad.result.text())
        squad.platforms.setValue(2)

    def test_a_click_beside_every_token_takes_nobody_in_hand(self):
        squad = self.view()
        before = self.w.athlete.id
        self.click(squad.board, QPoint(3, 3))
        self.assertEqual(self.w.athlete.id, before)


class TodayTest(OpenWindow):
    def view(self):
        self.w.go("Today")
        self.w.day.refresh()
        for _ in range(20):
            self.settle()
        return self.w.day

    def card(self, name):
        return next(c for c in self.w.day.cards if c.accessibleName() == name)

    def test_everybody_has_a_card_the_expected_first(self):
        day = self.view()
        names = [c.accessibleName() for c in day.cards]
        self.assertEqual(sorted(names), sorted(self.people))
        self.assertIn("to decide", day.title.text())

    def test_a_session_written_for_today_makes_one_expected(self):
        day = self.view()
        before = day.title.text()
        self.w.history.run(WriteSession(self.people["Liv Sandvik"].id, TODAY, "snatch 3x3"))
        day = self.view()
        self.assertNotEqual(day.title.text(), before)
        self.assertTrue(
            any(
                "snatch 3x3" in x.text()
                for x in self.card("Liv Sandvik").findChildren(type(day.title))
            )
        )

    def test_cards_of_those_for_whom_nothing_changed_stay(self):
        before = {c.accessibleName(): c for c in self.view().cards}
        self.w.history.run(WriteSession(self.people["Liv Sandvik"].id, TODAY, "snatch 4x2"))
        day = self.view()
        kept = {n for n in before if self.card(n) is before[n]}
        self.assertEqual(kept, set(before) - {"Liv Sandvik"})
        shown = [day.column.itemAt(i).widget() for i in range(day.column.count())]
        self.assertEqual([w for w in shown if w in day.cards], day.cards)

    def test_a_card_leads_to_each_place_with_its_athlete(self):
        for place in ("Ladder", "Film", "Session"):
            self.view()
            self.click(self.button(self.card("Tova Reiss"), place))
            self.assertEqual((self.w.athlete.name, self.w.place), ("Tova Reiss", place))

    def test_a_film_for_the_eyes_opens_that_clip(self):
        day = self.view()
        first = day.eyes.itemAt(1).widget()
        name = first.text().partition(",")[0]
        self.click(first)
        self.assertEqual((self.w.athlete.name, self.w.place), (name, "Film"))
        self.assertIsNotNone(self.w.film.presenter.state.clip)

    def test_tomorrow_is_another_day(self):
        day = self.view()
        title = day.title.text()
        with mock.patch.object(day, "today", lambda: TODAY + timedelta(days=1)):
            day.refresh()
        self.assertNotEqual(day.title.text(), title)


class EmptyTodayTest(OpenWindow):
    demo = False

    def test_an_empty_club_says_how_to_begin(self):
        self.w.go("Today")
        self.assertEqual(self.w.day.cards, [])
        texts = [x.text() for x in self.w.day.findChildren(type(self.w.day.title))]
        self.assertTrue(any("a name is enough" in t for t in texts))

    def test_every_place_stands_empty_without_a_fall(self):
        for place in ("Athlete", "Ladder", "Film", "Session", "Today"):
            self.w.go(place)
            self.settle()
            self.assertFalse(self.w.grab().isNull())
        self.assertIn("Nobody", self.w.session.title.text())


if __name__ == "__main__":
    unittest.main()
