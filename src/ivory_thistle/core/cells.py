"""CSV as spreadsheets open it: no cell of ours is taken for a formula.

The characters are those that OWASP lists for "CSV Injection"
(https://owasp.org/www-community/attacks/CSV_Injection).
"""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable

_FORMULA = ("=", "+", "-", "@", "\t", "\r", "\n", "＝", "＋", "－", "＠")
_GUARD = "'"


def csv_of(rows: Iterable[Iterable[object]]) -> bytes:
    """RFC 4180 CSV in UTF-8. Text that a spreadsheet would take for a formula gets an apostrophe; numbers stay."""
    out = io.StringIO()
    writer = csv.writer(out)
    for row in rows:
        writer.writerow([harmless(cell) if isinstance(cell, str) else cell for cell in row])
    return out.getvalue().encode()


def harmless(cell: str) -> str:
    """A text that no spreadsheet takes for a formula; `as_it_was` gives the text back."""
    bare = cell.lstrip(_GUARD)
    return f"{_GUARD}{cell}" if bare.startswith(_FORMULA) else cell


def as_it_was(cell: str) -> str:
    """The text of a cell that `harmless` may have written."""
    bare = cell.lstrip(_GUARD)
    return cell.removeprefix(_GUARD) if bare.startswith(_FORMULA) else cell
