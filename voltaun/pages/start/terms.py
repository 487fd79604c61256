"""The page Words: what the words that are ours mean."""

from flask import render_template


def terms() -> str:
    """The page."""
    return render_template("start/terms.html")
