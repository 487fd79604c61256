"""Commands that keep the database safe: copies, the way back from one, and whether all is whole."""

from __future__ import annotations

import sqlite3
from pathlib import Path
from typing import TYPE_CHECKING

import click

from voltaun.cli.common import (
    FILE,
    Damaged,
    Refused,
    db_option,
    db_path,
    json_flag,
    not_our_own,
    now,
    over_option,
    read_db,
    say,
)
from voltaun.words.sentences import counted

if TYPE_CHECKING:
    from voltaun.database.backup import Restored


@click.command(short_help="Copy the database, also while it is in use")
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--second", is_flag=True, help="The copy goes on as a log of its own: what waits on a phone for this one "
              "is not sent to it.")
@db_option
@over_option
def backup(file: Path, second: bool, db: Path | None, over: bool) -> None:
    """Copy the database to a file, while it is in use; the copy is itself a database."""
    from contextlib import closing

    from voltaun.database import backup as copies
    from voltaun.database import check as checks
    from voltaun.database import settings
    from voltaun.database.connection import DatabaseFault, connect, connect_reading, transaction
    not_our_own(file, db)
    with read_db(db) as connection:
        try:
            copies.backup(connection, file, over)
            if second:
                with closing(connect(file)) as copy, transaction(copy):
                    settings.new_identity(copy)
            with closing(connect_reading(file)) as copy:
                faults = checks.faults(copy)
        except (DatabaseFault, sqlite3.Error) as fault:
            raise Refused(str(fault)) from fault
    if faults:
        raise Damaged(f"{file}: copied with the {counted(len(faults), 'fault')} that the database "
                      f"has; `voltaun check` lists them")
    click.echo(f"{file}: the copy is whole.")


@click.command(short_help="Put a copy in the place of the database")
@click.argument("file", type=FILE)
@db_option
def restore(file: Path, db: Path | None) -> None:
    """Put a copy made by `backup` in the place of the database; what stood there is kept beside it."""
    from voltaun.database import backup as copies
    from voltaun.database.connection import DatabaseFault
    try:
        done = copies.restore(file, db_path(db), now())
    except DatabaseFault as fault:
        raise Refused(str(fault)) from fault
    click.echo(f"{file} is the database now, and whole." + (f" {_before(done)}" if done.before else ""))


def _before(done: Restored) -> str:
    """Where what stood there is now."""
    assert done.before is not None
    if not done.before.exists():
        return f"What was left beside one that is gone is in {done.before.name}-wal and the like."
    return (f"What stood there was damaged; it is put aside as it was, in {done.before.name}." if done.damaged else
            f"What stood there is in {done.before.name}.")


@click.command(short_help="Tell whether the database is whole")
@db_option
@json_flag
def check(db: Path | None, as_json: bool) -> None:
    """Tell whether the database is whole: the file, its links, that the books of every rig add up, and the small files
    beside it."""
    from contextlib import closing

    from voltaun.cli.opening import broken_beside
    from voltaun.database import backup as copies
    from voltaun.database import check as checks
    from voltaun.database.connection import DatabaseFault, NoDatabase, NotOurs, connect_reading, kind_of, prepare
    path = db_path(db)
    try:
        prepare(path, create=False)
        with closing(connect_reading(path)) as connection:
            faults = checks.faults(connection)
    except (NoDatabase, NotOurs) as none:
        raise Refused(str(none)) from none
    except (DatabaseFault, sqlite3.Error, UnicodeDecodeError) as fault:
        if kind_of(fault, path) in ("busy", "full"):
            raise Refused(f"{path}: {fault}") from fault
        faults = [str(fault)]
    good = copies.newest_whole(path) if faults else None
    beside = broken_beside(path)
    say({"whole": not (faults or beside), "faults": [*faults, *beside], "restore_from": good and str(good)},
        "\n".join([*faults, *beside]) or "All is whole.", as_json)
    if beside and not faults:
        raise Damaged(f"{counted(len(beside), 'fault')} found beside the log, which is whole")
    if faults:
        advice = (f"the newest copy that is whole: voltaun restore {good}" + (f" --db {db}" if db else "") if good else
                  "there is no dated copy beside it that is whole; if you have one elsewhere: voltaun restore FILE")
        raise Damaged(f"{counted(len(faults), 'fault')} found; {advice}")
