"""What a machine can hold of the words: the sentences of the pages over a few made states, and the rules themselves."""

import unittest
from types import SimpleNamespace

from tests.phrasebook import PAGES, SLOW, faults, said_in, sentences
from voltaun.words.sentences import ruled


class Book(unittest.TestCase):
    def test_no_page_breaks_a_rule_in_any_state(self):
        for n in (7, 9, 10, 12):
            asked = ("today", "rig?part=loads-new", "bench/new?instrument=meter", "outlook/plans") if n == 9 else ()
            for page, sentence in said_in(n, (*PAGES, *(SLOW if n == 10 else ())), asked, commands=n in (7, 10)):
                with self.subTest(state=n, page=page):
                    self.assertEqual(faults(sentence), [], sentence)

    def test_each_rule_finds_what_it_is_for(self):
        for sentence, rule in (("word " * 23 + ".", "over 22 words"),
                               ("3 in 10 here, 4 in 10 there, almost certain beyond.", "three chances"),
                               ("It runs 2 h to 2 h in all.", "a range with equal ends"),
                               ("Sun 0 Wh – 0 Wh today.", "a range with equal ends"),
                               ("It rests on 1 logged days of yours.", "one of many"),
                               ("The figure array_share is missing.", "a name of the code"),
                               ("It lasts None at least.", "a name of the code"),
                               ("Leaving off the pump is counted on.", "a barred word")):
            self.assertEqual(faults(sentence), [rule], sentence)
        for sentence in ("Run Set 2 h today from 8:00.", "About 1 261 kWh of sun would be spilt.", "1 in 20 is rare.",
                         "It takes 23 to 35 h from 20 % to 80 %.", "About 1 day in a usual year and 40 in a hard one."):
            self.assertEqual(faults(sentence), [], sentence)

    def test_a_rules_hours_and_litres_have_no_equal_ends(self):
        for hours, litres, said in (((0.0, 0.1), None, "It will hardly be needed in these days."),
                                    ((0.1, 2.0), (0.0, 1.4),
                                     "It would run up to 2 h and burn up to 1 litre in these days."),
                                    ((0.0, 0.3), None, "It would run up to 1 h in these days."),
                                    ((7.1, 7.2), (5.0, 5.0), "It would run 7 h and burn 5 litres in these days."),
                                    ((133, 142), None, "It would run 133–142 h in these days.")):
            of = [ends and SimpleNamespace(p10=ends[0], p90=ends[1]) for ends in (hours, litres)]
            self.assertEqual(ruled(SimpleNamespace(generator_hours=of[0], generator_litres=of[1])), said)

    def test_labels_and_pictures_are_no_sentences(self):
        self.assertEqual(sentences(
            "<p>All is <b>well</b> until 3.5 h. Then it is not.</p><td>20 %</td><svg>No one says this here.</svg>"
            "<label>A label of four words</label>"), ["All is well until 3.5 h.", "Then it is not."])
