"""The pages: one folder each, with its views, forms and templates, in one Flask application."""

import sqlite3
from datetime import timedelta
from pathlib import Path

from flask import Flask, g, render_template, request
from flask_wtf.csrf import CSRFError, CSRFProtect
from jinja2 import FileSystemBytecodeCache

from voltaun.database import connection, settings
from voltaun.pages import frame, security

MAX_UPLOAD = 64 * 1024 * 1024
MAX_SAMPLES = 1024 * 1024 * 1024
"""Ten years of once-a-minute samples are about 300 MB; they go to disk as they come in."""

_NO_PAGE = ("There is no such page", "It may have been removed, or the address has a slip.")


def create_app(database: Path | str) -> Flask:
    """The application on one database file, which is created and migrated if need be."""
    database = Path(database)
    connection.prepare(database)
    app = Flask("voltaun.pages", static_folder=str(Path(__file__).parents[1] / "static"))
    db = connection.connect(database)
    try:
        key = settings.session_key(db)
    finally:
        db.close()
    app.config.update(
        DATABASE=database, SECRET_KEY=key, MAX_CONTENT_LENGTH=MAX_UPLOAD, MAX_FORM_PARTS=2000,
        TRUSTED_HOSTS=["localhost", "127.0.0.1", "[::1]"],
        SESSION_COOKIE_SAMESITE="Lax", SESSION_COOKIE_HTTPONLY=True, SEND_FILE_MAX_AGE_DEFAULT=timedelta(days=365),
        WTF_CSRF_TIME_LIMIT=None)
    app.jinja_env.trim_blocks = app.jinja_env.lstrip_blocks = True
    app.jinja_env.bytecode_cache = _template_cache()
    app.before_request(_allow_large_samples)  # before the mark is looked for, which reads the form
    CSRFProtect(app)
    security.install(app)
    frame.install(app)
    _register_pages(app)
    _register_errors(app)
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


def _register_pages(app: Flask) -> None:
    from voltaun.pages.additions import views as additions
    from voltaun.pages.bench import runs as bench
    from voltaun.pages.log import compare, dense, grid, months, taught  # noqa: F401 (each adds its pages to the log's)
    from voltaun.pages.log import views as log
    from voltaun.pages.outlook import views as outlook
    from voltaun.pages.rig import views as rig
    from voltaun.pages.start import views as start
    from voltaun.pages.sums import views as sums
    from voltaun.pages.today import views as today
    for page in (start, today, log, bench, rig, outlook, additions, sums):
        app.register_blueprint(page.pages)


def _register_errors(app: Flask) -> None:
    for code, title, words in (
            (404, *_NO_PAGE),
            (413, "That file is too large", f"Found more than {MAX_UPLOAD // 2 ** 20} MB, expected less."),
            (500, "Voltaun stumbled", "Nothing you kept is lost. What went wrong stands in the terminal.")):
        app.register_error_handler(code, _error_page(code, title, words))
    # A number too large for the file to hold names nothing in it.
    app.register_error_handler(OverflowError, _error_page(404, *_NO_PAGE))
    app.register_error_handler(sqlite3.OperationalError, _file_trouble)
    # Plain words: a request for a strange host never got as far as the addresses that a page needs.
    app.register_error_handler(400, lambda _error: ("That request was not understood. Go back and try again.", 400,
                                                    {"Content-Type": "text/plain; charset=utf-8"}))
    app.register_error_handler(CSRFError, _error_page(
        400, "This page had gone stale", "Nothing was written. Open the page again and repeat what you did."))


def _file_trouble(error):
    """A full disk, or a file that another program holds: said as such, and nothing half written."""
    full = "full" in str(error)
    if not full and "locked" not in str(error):
        return _error_page(500, "Voltaun stumbled", f"Nothing was written: the file said “{error}”.")(error)
    title, words = (("The disk is full", "Nothing was written and nothing kept is lost. Make room, then do it again.")
                    if full else ("The file is busy", "Another program, or a long import, holds it. Nothing was "
                                  "written; do it again in a moment."))
    return _error_page(507 if full else 503, title, words)(error)


def _error_page(code: int, title: str, words: str):
    def show(_error):
        if request.headers.get("HX-Request"):
            return f"{title}. {words}", code
        return render_template("error.html", title=title, words=words), code
    return show


def _close(_error) -> None:
    db = g.pop("db", None)
    if db is not None:
        db.close()
