"""The pages: one folder each, with its views, forms and templates, in one Flask application."""

import sqlite3
from contextlib import suppress
from datetime import timedelta
from pathlib import Path

from flask import Flask, g, request
from flask_wtf.csrf import CSRFProtect
from jinja2 import FileSystemBytecodeCache, FileSystemLoader

from voltaun.database import connection
from voltaun.intake.copies import Copies
from voltaun.pages import addresses, door, errors, frame, security

PAGES = Path(__file__).parent

MAX_UPLOAD = 64 * 1024 * 1024
MAX_SAMPLES = 1024 * 1024 * 1024
"""Ten years of once-a-minute samples are about 300 MB; they go to disk as they come in."""


def create_app(database: Path | str, house: door.House | None = None) -> Flask:
    """The application on one database file, which is created and migrated if need be; `house` is what it is opened to
    beside this machine."""
    database = Path(database)
    connection.prepare(database)
    app = Flask("voltaun.pages", static_folder=str(PAGES.parent / "static"))
    app.config.update(
        DATABASE=database, SECRET_KEY=security.session_key(database), MAX_CONTENT_LENGTH=MAX_UPLOAD,
        MAX_FORM_PARTS=5000,
        SESSION_COOKIE_NAME=security.cookie_name(database), SESSION_COOKIE_SAMESITE="Lax",
        SESSION_COOKIE_HTTPONLY=True, SEND_FILE_MAX_AGE_DEFAULT=timedelta(days=365), WTF_CSRF_TIME_LIMIT=None,
        WTF_CSRF_CHECK_DEFAULT=False)
    app.jinja_loader = FileSystemLoader([folder / "templates" for folder in (PAGES, *sorted(PAGES.iterdir()))])
    app.jinja_env.trim_blocks = app.jinja_env.lstrip_blocks = True
    app.jinja_env.bytecode_cache = _template_cache()
    app.extensions["voltaun-copies"] = Copies()
    # Open as long as the application: the small file that readers share stays, also when the disk fills up later.
    with suppress(sqlite3.Error):
        app.extensions["voltaun-keeper"] = connection.connect_reading(database)
    security.install(app)  # first of all: from where it may be asked
    door.install(app, house or door.House())  # and by whom
    app.before_request(_allow_large_samples)  # before the mark is looked for, which reads the form
    marks = CSRFProtect(app)

    def see_the_mark() -> None:
        if request.endpoint not in door.GIVEN and app.config["WTF_CSRF_ENABLED"]:  # a token needs none
            marks.protect()
    app.before_request(see_the_mark)
    frame.install(app)
    addresses.register(app)
    errors.register(app, MAX_UPLOAD // 2 ** 20)
    app.teardown_appcontext(_close)
    return app


def _allow_large_samples() -> None:
    if request.endpoint == "log.bring_samples":
        request.max_content_length = MAX_SAMPLES


def _template_cache() -> FileSystemBytecodeCache | None:
    """Compiled templates in a folder of the user's own below /tmp, which spares the first page half its time."""
    try:
        return FileSystemBytecodeCache(pattern="voltaun-%s.cache")
    except (OSError, RuntimeError):
        return None


def _close(_error: BaseException | None) -> None:
    for name in ("db", "writer"):
        opened = g.pop(name, None)
        if opened is not None:
            opened.close()
