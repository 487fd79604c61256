"""When something goes wrong: said in words, with what was typed still there, on a page that needs nothing else.

An error page draws no frame and asks no database, so that it stands also when those are what is broken. To htmx the
words come alone; `X-Again` says that trying again makes sense, `X-Token` brings the mark that an old page lacks.
"""

import sqlite3
from collections.abc import Callable
from typing import Any

from flask import Flask, current_app, request
from flask.typing import ResponseReturnValue
from flask_wtf.csrf import CSRFError, generate_csrf

from voltaun.database import connection
from voltaun.database.imports import AnotherUnderWay

UNSHOWN = ("csrf_token", "passphrase")
"""What was typed and is not shown again."""

_NO_PAGE = ("There is no such page", "It may have been removed, or the address has a slip.")
_STUMBLED = ("Voltaun stumbled", "Nothing that was kept is lost. What went wrong stands in the terminal.")
_TROUBLES = {
    "full": (507, "The disk is full", "Nothing was written, and nothing that was kept is lost. Make room on the disk."),
    "read-only": (507, "The disk is read-only", "Everything can be read; nothing can be kept on it."),
    "busy": (503, "The file is busy", "Another program holds it. Nothing was written yet."),
    "damaged": (500, "A part of the file is damaged",
                "The rest of it goes on. In a terminal, `voltaun check` tells what is wrong and which copy is whole."),
    "other": (500, *_STUMBLED)}


def register(app: Flask, most_mb: int) -> None:
    """Give every kind of error its words."""
    for code, title, words in ((404, *_NO_PAGE), (405, *_NO_PAGE), (500, *_STUMBLED), (
            413, "That is too large", f"Found more than {most_mb} MB, expected less.")):
        app.register_error_handler(code, _answer(code, title, words))
    # A number too large for the file to hold names nothing in it.
    app.register_error_handler(OverflowError, _answer(404, *_NO_PAGE))
    app.register_error_handler(sqlite3.Error, _file_trouble)
    app.register_error_handler(UnicodeDecodeError, _file_trouble)
    app.register_error_handler(AnotherUnderWay, _answer(
        503, "Another import is under way", "Wait until it is done; then do this again.", again=True))
    app.register_error_handler(400, _answer(400, "That request was not understood",
                                            "Nothing was written. Go back and try again."))
    app.register_error_handler(CSRFError, _stale)


def _answer(code: int, title: str, words: str, again: bool = False) -> Callable[..., Any]:
    def show(_error: Exception) -> ResponseReturnValue:
        return page(code, title, words, again)
    return show


def _file_trouble(error: sqlite3.OperationalError) -> tuple[str, int, dict[str, Any]]:
    """A full disk, a file that another program holds, a damaged row: said as such, and nothing half written."""
    kind = connection.kind_of(error, current_app.config["DATABASE"])
    if kind in ("damaged", "other"):
        current_app.logger.error("the file", exc_info=error)
    return page(*_TROUBLES[kind], again=kind in ("busy", "full"))


def _stale(_error: CSRFError) -> tuple[str, int, dict[str, str]]:
    return page(400, "This page had gone stale", "Nothing was written yet.", again=True, token=True)


def page(code: int, title: str, words: str, again: bool = False, token: bool = False) -> tuple[str, int,
         dict[str, Any]]:
    """An error's answer; what was typed is on it, to be sent once more when that makes sense."""
    headers = {"X-Again": "yes"} if again else {}
    if request.headers.get("HX-Request"):
        if token:
            headers["X-Token"] = generate_csrf()
        return f"{title}. {words}", code, headers | {"Content-Type": "text/plain; charset=utf-8"}
    typed = _typed() if request.method == "POST" else []
    template = current_app.jinja_env.get_template("error.html")
    return template.render(title=title, words=words, typed=typed, action=request.full_path.rstrip("?"), again=again,
                           token=generate_csrf() if typed else "", files=bool(typed) and bool(request.files),
                           ground=request.cookies.get("ground", "device")), code, headers


def _typed() -> list[tuple[str, str]]:
    try:
        return [(name, value) for name in request.form if not name.startswith(UNSHOWN)
                for value in request.form.getlist(name)]
    except Exception:  # noqa: BLE001 (a body that cannot be read has nothing to show)
        return []
