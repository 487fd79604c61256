"""Asking about figures that would change a conclusion, before they are kept: one line, two buttons, never a refusal."""

from flask import g, request

from voltaun.core.log.reading import Reading
from voltaun.intake.logs import doubts_about
from voltaun.pages import context
from voltaun.pages.reading.forms import ReadingForm


def unsure(forms: list[ReadingForm], instead_of: Reading | None = None) -> bool:
    """Whether something of the readings in these forms is still to be asked about; each form then has its doubts.

    instead_of  the reading that a single one is put in place of
    """
    found = doubts_about(context.db(), g.kept, [form.reading() for form in forms], g.now, instead_of)
    for form in forms:
        at = form.reading().at
        form.doubts = tuple(doubt for doubt in found if doubt.at == at)
    if "correct" in request.form:
        forms[0].correcting = request.form["correct"]
        return bool(found)
    return mark(forms) not in ("", request.form.get("sure", ""))


def mark(forms: list[ReadingForm]) -> str:
    """What `sure` must say to keep the figures of these forms that are asked about: those and no others."""
    return "; ".join(form.mark for form in forms if form.doubts)
