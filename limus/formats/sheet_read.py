"""Tables read as rows of texts: CSV (RFC 4180; with commas, semicolons or tabs), and XLSX."""

from __future__ import annotations

import csv
import io
import zipfile
from pathlib import Path

from limus.common.errors import InputError
from limus.formats.files import bytes_of

LARGEST, UNPACKED = 32 << 20, 256 << 20
MOST_ROWS, MOST_COLUMNS, LONGEST_CELL = 10_000, 64, 4000


def read_sheet(path: Path) -> list[dict[str, str]]:
    """The rows of a ``.csv`` or ``.xlsx`` file by the names in its first row; empty cells are left out, empty rows are
    empty. Row 2 of the sheet is the first.

    Raises
    ------
    InputError : no such table, too large, two columns of one name.
    """
    kind = path.suffix.lower()
    if kind not in (".csv", ".tsv", ".xlsx"):
        raise InputError(f"'{path.suffix[:12]}' is no kind of sheet", where=path.name, remedy="Use .csv or .xlsx")
    data = bytes_of(path)
    if len(data) > LARGEST:
        raise InputError(f"it has more than {LARGEST >> 20} MB", where=path.name, remedy="Divide it into several")
    return rows_of(_xlsx(data, path.name) if kind == ".xlsx" else _csv(data, path.name), path.name)


def rows_of(table: list[list[str]], name: str) -> list[dict[str, str]]:
    """Rows by the names in the first of them; see ``read_sheet``."""
    while table and not any(table[-1]):
        table.pop()
    if len(table) < 2:
        raise InputError(
            "there is no row in it", where=name, remedy="Name the columns in the first row, then a row each"
        )
    if len(table) > MOST_ROWS + 1:
        raise InputError(f"it has more than {MOST_ROWS} rows", where=name, remedy="Divide it into several")
    head = [cell.strip().lower().replace(" ", "_") for cell in table[0]]
    named = [cell for cell in head if cell]
    if len(head) > MOST_COLUMNS:
        raise InputError(f"it has more than {MOST_COLUMNS} columns", where=name, remedy="Leave out what is not used")
    for cell in named:
        if named.count(cell) > 1:
            raise InputError(f"two columns are called '{cell[:40]}'", where=name, remedy="Give one another name")
    out = []
    for k, row in enumerate(table[1:], 2):
        long = next((cell for cell in row if len(cell) > LONGEST_CELL), None)
        if long is not None:
            raise InputError(
                f"a cell has more than {LONGEST_CELL} signs", where=f"{name}: row {k}", remedy="Shorten it"
            )
        if any(row[len(head) :]) or any(cell and not head[j] for j, cell in enumerate(row[: len(head)])):
            raise InputError("a cell stands in no named column", where=f"{name}: row {k}", remedy="Name its column")
        out.append({head[j]: cell for j, cell in enumerate(row[: len(head)]) if cell})
    return out


def _csv(data: bytes, name: str) -> list[list[str]]:
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise InputError("it is not UTF-8 text", where=name, remedy="Save it as CSV in UTF-8") from error
    first = text.split("\n", 1)[0]
    between = max(",;\t", key=first.count)
    try:
        rows = csv.reader(io.StringIO(text, newline=""), delimiter=between, strict=True)
        return [[cell.strip() for cell in row] for row in rows]
    except csv.Error as error:
        raise InputError(f"it is no CSV ({error})", where=name, remedy="Save it anew from a table program") from error


def _xlsx(data: bytes, name: str) -> list[list[str]]:
    import openpyxl

    try:
        with zipfile.ZipFile(io.BytesIO(data)) as pack:
            if sum(entry.file_size for entry in pack.infolist()) > UNPACKED:
                raise InputError(
                    f"it unpacks to more than {UNPACKED >> 20} MB", where=name, remedy="Divide it into several"
                )
        book = openpyxl.load_workbook(io.BytesIO(data), read_only=True, data_only=True)
        sheet = book.worksheets[0]
        out = []
        for row in sheet.iter_rows(max_row=MOST_ROWS + 2, max_col=MOST_COLUMNS + 1, values_only=True):
            out.append(["" if cell is None else _text(cell) for cell in row])
        book.close()
    except InputError:
        raise
    # The library raises whatever its parsers raise.
    except Exception as error:
        raise InputError("it is no workbook that can be read", where=name, remedy="Save it as CSV") from error
    width = max((k + 1 for row in out for k, cell in enumerate(row) if cell), default=0)
    return [row[:width] for row in out]


def _text(cell: object) -> str:
    # Whole numbers come as floats from some programs.
    return str(int(cell)) if isinstance(cell, float) and cell.is_integer() else str(cell).strip()
