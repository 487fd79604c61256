"""The archive: one JSON file with everything of one rig or of all."""

from __future__ import annotations

import json
from typing import Any

from voltaun.formats import FileFaults

KEY = "voltaun_archive"
VERSION = 1


def write_archive(schema: int, rigs: list[dict[str, Any]], settings: dict[str, Any]) -> str:
    """The archive's text; the same content gives the same bytes."""
    return json.dumps({KEY: VERSION, "schema": schema, "settings": settings, "rigs": rigs}, ensure_ascii=False,
                      indent=1, allow_nan=False) + "\n"


LARGEST = 150 * 2 ** 20
MOST_PARTS = 2_000_000
"""An archive of ten years has some hundred thousand figures; a file with far more is made to fill the memory."""


def parse(data: bytes) -> Any:
    """A JSON document, or None when it is none. Raises FileFaults for one that is too large to be an archive."""
    faults = FileFaults()
    if len(data) > LARGEST:
        faults.add("the file", f"{len(data)} bytes", f"at most {LARGEST}")
        raise faults
    parts = sum(data.count(mark) for mark in (b",", b"[", b"{"))
    if parts > MOST_PARTS:
        faults.add("the file", f"{parts} parts", f"at most {MOST_PARTS}")
        raise faults
    try:
        return json.loads(data)
    except (ValueError, RecursionError):
        return None


def is_archive(document: Any) -> bool:
    """Whether a JSON document says that it is an archive."""
    return isinstance(document, dict) and KEY in document


def read_archive(document: dict[str, Any], schema: int) -> tuple[list[dict[str, Any]], dict[str, Any]]:
    """The rigs and settings of an archive. Raises FileFaults.

    schema  the newest that is known here
    """
    faults = FileFaults()
    if document[KEY] != VERSION:
        faults.add(KEY, repr(document[KEY]), str(VERSION))
    found = document.get("schema")
    if not isinstance(found, int) or isinstance(found, bool) or not 1 <= found <= schema:
        faults.add("schema", repr(found), f"a whole number up to {schema}; a newer archive needs a newer Voltaun")
    rigs, settings = document.get("rigs"), document.get("settings", {})
    if not isinstance(rigs, list) or not all(isinstance(rig, dict) for rig in rigs):
        faults.add("rigs", type(rigs).__name__, "a list of rigs")
    if not isinstance(settings, dict) or not all(isinstance(value, str) for value in settings.values()):
        faults.add("settings", type(settings).__name__, "names with texts")
    if faults.faults:
        raise faults
    assert isinstance(rigs, list)  # or there was a fault
    return rigs, settings
