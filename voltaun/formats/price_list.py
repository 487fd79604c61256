"""A price list of the user's own (`*.csv`): name, kind, size, and what one costs, weighs and covers."""

import csv
import io
import itertools
from collections.abc import Iterable

from voltaun.core.sizing.choices import PRODUCTS, Product
from voltaun.formats import EMPTY_LINES, OneFault, hollow

COLUMNS = ("name", "kind", "size", "price", "weight_kg", "area_m2", "for", "litres_per_hour", "fuel_price",
           "idle_w", "surge_w", "years", "cycles")
FIGURES = tuple(name for name in COLUMNS if name not in ("name", "kind", "for"))
MOST = 500

USUAL = {"panel": (5, 1500, "W of one, 5 to 1500"), "battery": (20, 200_000, "Wh of one, 20 to 200,000"),
         "charger": (5, 20_000, "W, 5 to 20,000"), "controller": (5, 50_000, "W, 5 to 50,000"),
         "generator": (100, 20_000, "W into the bank, 100 to 20,000"),
         "inverter": (20, 30_000, "W for long, 20 to 30,000"),
         "load": (0.1, 100_000, "Wh a day, 0.1 to 100,000")}
"""The sizes that there are, by kind: another is more often a price or a weight in the wrong column."""


class PriceListFault(OneFault):
    """The list cannot be taken: which line, what was found and what was expected."""


def read_prices(data: bytes) -> list[Product]:
    """The products of a list, all of them or none.

    Columns as in `COLUMNS`, commas or semicolons between (with semicolons a decimal comma is understood); the first
    line names them, or they stand in that order where it is a product already. The size is
    W of a panel, a charger or a controller, W into the bank of a generator, W for long of an inverter, Wh of a battery,
    Wh a day of a load; the rest may be blank: `for` names the load that a product replaces, or the engine or generator
    that a charger serves, `idle_w` is what an inverter takes by itself and `surge_w` what it gives for a moment,
    `years` how long one lasts, and `cycles` how many of them a battery does.
    Raises PriceListFault.
    """
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise PriceListFault(f"found bytes that are no UTF-8 ({error.reason}), expected a text file") from error
    between = ";" if text.split("\n", 1)[0].count(";") > text.split("\n", 1)[0].count(",") else ","
    rows = csv.reader(io.StringIO(text), delimiter=between)
    try:
        first = next(rows, [])
        head = [name.strip().lower() for name in first]
        missing = [name for name in COLUMNS[:3] if name not in head]
        bare = head[1:2] != [] and head[1] in PRODUCTS  # a product already, and not the names of columns
        if missing and not bare:
            raise PriceListFault(f"line 1: found no column {', '.join(missing)}, expected {between.join(COLUMNS)}")
        if hollow(text):
            raise PriceListFault(f"found {EMPTY_LINES} empty lines one after the other, expected a list")
        if bare:
            return _products(itertools.chain([first], rows), list(COLUMNS), between, 1)
        return _products(rows, head, between, 2)
    except csv.Error as error:
        raise PriceListFault(f"found what is no table ({error}), expected {between.join(COLUMNS)}") from error


def _products(rows: Iterable[list[str]], head: list[str], between: str, begins: int) -> list[Product]:
    found: dict[str, Product] = {}
    for line, row in enumerate(rows, begins):
        if not any(cell.strip() for cell in row):
            continue
        product = _product(dict(zip(head, row, strict=False)), line, between)
        if product.name in found:
            raise PriceListFault(f"line {line}: found {product.name!r} twice, expected each product once")
        found[product.name] = product
        if len(found) > MOST:
            raise PriceListFault(f"line {line}: found more than {MOST} products")
    if not found:
        raise PriceListFault("found no product, expected a line for each")
    return list(found.values())


def _product(row: dict[str, str], line: int, between: str) -> Product:
    name, kind = row.get("name", "").strip(), row.get("kind", "").strip().lower()
    if not 0 < len(name) <= 80:
        raise PriceListFault(f"line {line}: found {'no name' if not name else 'a name too long'}, expected one")
    if kind not in PRODUCTS:
        raise PriceListFault(f"line {line}: found kind {kind!r}, expected one of {', '.join(PRODUCTS)}")
    figures: dict[str, float] = {}
    for column in FIGURES:
        text = (row.get(column) or "").strip()
        try:
            if text:
                figures[column] = float(text.replace(",", ".") if between == ";" else text)
        except ValueError as error:
            raise PriceListFault(f"line {line}, {column}: found {text!r}, expected a number") from error
    if "size" not in figures:
        raise PriceListFault(f"line {line}, size: found nothing, expected W, or Wh of a battery")
    try:
        product = Product(name, kind, serves=(row.get("for") or "").strip()[:80] or None, **figures)
    except ValueError as error:
        raise PriceListFault(f"line {line}: {error}") from error
    low, high, expected = USUAL[kind]
    if not low <= product.size <= high:
        article = "an" if kind[0] in "aeiou" else "a"
        raise PriceListFault(f"line {line}, size: found {product.size:g} for {article} {kind}, expected {expected}; is "
                             "it in another column?")
    return product
