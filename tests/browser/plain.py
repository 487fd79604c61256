"""What makes a page plain to those who see or point otherwise, by day and by night, narrow and wide."""

from pathlib import Path

AXE = Path(__file__).parent / "vendor" / "axe.min.js"


def plain_to_all(case, page):
    """Fail the test case where anything is wrong with the page as it is shown."""
    # The policy lets no foreign script in; the debugger's own evaluation may.
    page.evaluate(AXE.read_text(encoding="utf-8"))
    # By night only the colours are others.
    for ground, rules in (("light", "{}"), ("dark", "{runOnly: ['color-contrast']}")):
        page.emulate_media(color_scheme=ground)
        found = page.evaluate(f"axe.run({{resultTypes: ['violations'], ...{rules}}})")["violations"]
        wrong = [(each["id"], [node["html"][:120] for node in each["nodes"][:3]]) for each in found]
        case.assertEqual(wrong, [], ground)
    for narrow in (640, 390):
        page.set_viewport_size({"width": narrow, "height": 844})
        case.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), narrow)
    page.set_viewport_size({"width": 1280, "height": 800})
