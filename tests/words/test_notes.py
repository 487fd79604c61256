"""The notes of the pages: short, each used, and no sentence left in a template."""

import ast
import re
import unittest
from pathlib import Path

from tests.support import ROOT
from voltaun.words.notes import PAGES, note, of_page

TEMPLATES = sorted(Path(ROOT, "voltaun", "pages").rglob("*.html"))
CALLED = re.compile(r"\bnote\([^)]*")
NAMED = re.compile(rf'(?<!url_for\()"((?:{"|".join(PAGES)})\.[a-z_]+)"( ~)?')
LEAST_WORDS = 5
"""A label or a heading has fewer, or does not end as a sentence."""

MOST_WORDS = 16


def words_of(text):
    return re.findall(r"\{\w+\}|[^\W\d_][\w’'-]*", text)


def text_of(template):
    """The pieces of text of a template, between its tags; `_` stands for a figure."""
    text = re.sub(r"\{#.*?#\}|\{%.*?%\}", "", template, flags=re.DOTALL)
    text = re.sub(r"\{\{.*?\}\}", "_", text, flags=re.DOTALL)
    text = re.sub(r"</?(?:a|b|em|strong|kbd|code|span)\b[^>]*>", "", text)
    return [" ".join(piece.split()) for piece in re.split(r"<[^>]*>", text)]


NEVER = re.compile(r"\b(?:nought|so much|told|first time in doubt|of going below it|as now|lately more|counted on|"
                   r"need be|lies above|leave off|put in|but at the ends)\b")
"""Words that are read twice."""


def strings_of(source):
    """The texts of some words in a module, without what its docstrings say."""
    tree = ast.parse(source)
    silent = {id(node.value) for node in ast.walk(tree) if isinstance(node, ast.Expr)}
    return [node.value for node in ast.walk(tree) if isinstance(node, ast.Constant) and isinstance(node.value, str)
            and id(node) not in silent and node.value.count(" ") >= LEAST_WORDS - 1]


class Texts(unittest.TestCase):
    def test_no_module_says_a_word_that_is_read_twice(self):
        for path in sorted(Path(ROOT, "voltaun").rglob("*.py")):
            for text in strings_of(path.read_text(encoding="utf-8")):
                self.assertIsNone(NEVER.search(text), f"{path.name}: {text}")
        self.assertEqual(strings_of('"""It is told so, as now."""\nx = f"{y} is told to be {z} as now"'),
                         [" is told to be "])


class Notes(unittest.TestCase):
    def test_no_sentence_is_long(self):
        for page in PAGES:
            for name, text in of_page(page).items():
                for sentence in re.split(r"(?<=[.?!:;])\s+", text):
                    self.assertLessEqual(len(words_of(sentence)), MOST_WORDS, f"{page}.{name}: {sentence}")

    def test_each_is_there_and_each_is_used(self):
        used, begun = set(), set()
        for path in TEMPLATES:
            for call in CALLED.findall(path.read_text(encoding="utf-8")):
                for name, goes_on in NAMED.findall(call):
                    (begun if goes_on else used).add(name)
        there = {f"{page}.{name}" for page in PAGES for name in of_page(page)}
        self.assertEqual(used - there, set())
        begun = tuple(begun)
        self.assertEqual({name for name in there - used if not name.startswith(begun)}, set())
        self.assertTrue(all(any(name.startswith(each) for name in there) for each in begun))

    def test_a_template_holds_no_sentence(self):
        found = [f"{path.name}: {piece}" for path in TEMPLATES for piece in text_of(path.read_text(encoding="utf-8"))
                 if len(words_of(piece)) >= LEAST_WORDS and re.search(r"[.!?](?: [A-Z]|$)", piece)]
        self.assertEqual(found, [])
        self.assertIn("What is said here ends. So it is one.",
                      text_of("<p>What is <em>said</em> here ends. So it is one.</p>"))


class OfANote(unittest.TestCase):
    def test_links_and_figures_are_put_in_and_nothing_else_is_markup(self):
        self.assertEqual(note("outlook.moving", "/1/rig?a=1&b=2"),
                         'Moving? Write the place and its day on <a href="/1/rig?a=1&amp;b=2">Rig, Places</a>. '
                         "From that day on its sun counts.")
        self.assertIn("&lt;b&gt;", note("start.cannot_be_read", name="<b>"))
        self.assertIn('<a href="/x">&lt;i&gt;</a>', note("bench.next", "/x", load="<i>", wh="1 Wh"))

    def test_what_does_not_fit_is_an_error(self):
        for call in (lambda: note("outlook.moving"), lambda: note("outlook.no_rule", "/x")):
            self.assertRaises(ValueError, call)
        for call in (lambda: note("outlook.none_such"), lambda: note("outlook.unserved")):
            self.assertRaises(KeyError, call)
