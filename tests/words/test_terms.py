"""The words that are ours: one list for the pages, the page Words and the docs."""

import html
import re

from tests.pages.test_pages import PagesCase
from tests.support import ROOT
from voltaun.words.terms import TERMS


class Terms(PagesCase):
    def test_docs_and_page_have_the_list(self):
        listed = dict(re.findall(r"^- \*\*(.+?)\*\*: (.+)$", (ROOT / "docs/words.md").read_text(), re.M))
        self.assertEqual(listed, TERMS)
        page = html.unescape(self.client.get("/words").text)
        for word, gloss in TERMS.items():
            self.shows(word[:1].upper() + word[1:], page)
            self.shows(gloss, page)

    def test_each_word_of_a_template_is_listed_and_glossed(self):
        used = {word for path in (ROOT / "voltaun/pages").rglob("*.html")
                for word in re.findall(r"\bterm\(\"([^\"]+)\"", path.read_text())}
        self.assertTrue(used)
        self.assertLessEqual(used, set(TERMS))
        self.shows(f'data-how="{TERMS["everyday floor"]}"', self.client.get("/1/rig").text)
