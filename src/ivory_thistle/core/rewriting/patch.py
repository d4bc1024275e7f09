"""Changed text files as a unified diff that `patch -p1` and `git apply` turn into exactly the new bytes.

The form is that of POSIX `diff -u` (The Open Group Base Specifications, issue 8) with git's header lines and its way
to quote names. Lines are compared as bytes: any encoding and any line ends come out as they are.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

_CONTEXT = 3
_REACH = 400
"""How many lines are looked ahead for where two texts agree again; beyond, everything that is left is one change."""
_SURE = 2
"""So many equal lines in a row are an agreement, where there are so many left."""
_NO_END = b"\n\\ No newline at end of file\n"


@dataclass(frozen=True, slots=True)
class Change:
    """Lines `old[0]:old[1]` of one text that became lines `new[0]:new[1]` of another, counted from 0."""

    old: tuple[int, int]
    new: tuple[int, int]


def unified_diff(path: str, before: bytes, after: bytes) -> bytes:
    """The change of one file, whose path is written with `/`; empty where nothing changed."""
    if before == after:
        return b""
    old, new = _lines(before), _lines(after)
    a, b = (_quoted(f"{side}/{path}") for side in "ab")
    parts = [b"diff --git " + a + b" " + b + b"\n", b"--- " + _with_tab(a) + b"\n", b"+++ " + _with_tab(b) + b"\n"]
    for group in _grouped(list(changes(old, new))):
        parts += _hunk(group, old, new)
    return b"".join(parts)


def changes(old: Sequence[bytes], new: Sequence[bytes]) -> Iterator[Change]:
    """What changed between two lists of lines, in order; linear in their length.

    Rewriting changes few lines each by itself, so that texts agree again soon: the nearest such place is taken.
    """
    i = j = 0
    while i < len(old) or j < len(new):
        if i < len(old) and j < len(new) and old[i] == new[j]:
            i, j = i + 1, j + 1
            continue
        to_i, to_j = _agreement(old, new, i, j)
        yield Change((i, to_i), (j, to_j))
        i, j = to_i, to_j


def _agreement(old: Sequence[bytes], new: Sequence[bytes], i: int, j: int) -> tuple[int, int]:
    """The nearest places from `i` and `j` on where both go on alike; their ends where there are none."""
    where: dict[bytes, list[int]] = {}
    for n in range(j, min(len(new), j + _REACH)):
        where.setdefault(new[n], []).append(n)
    best: tuple[int, int, int] | None = None
    for m in range(i, min(len(old), i + _REACH)):
        if best and m - i >= best[0]:
            break
        for n in where.get(old[m], ())[:_SURE]:
            far = max(m - i, n - j)
            if (best is None or far < best[0]) and _agrees(old, new, m, n):
                best = (far, m, n)
    if best:
        return best[1], best[2]
    # Within reach nothing agrees: the same ends, if any, are left out.
    m, n = len(old), len(new)
    while m > i and n > j and old[m - 1] == new[n - 1]:
        m, n = m - 1, n - 1
    return m, n


def _agrees(old: Sequence[bytes], new: Sequence[bytes], m: int, n: int) -> bool:
    count = min(_SURE, len(old) - m, len(new) - n)
    return old[m : m + count] == new[n : n + count]


def _grouped(every: Sequence[Change]) -> Iterator[list[Change]]:
    """Changes whose context would touch stand in one hunk."""
    group: list[Change] = []
    for change in every:
        if group and change.old[0] - group[-1].old[1] > 2 * _CONTEXT:
            yield group
            group = []
        group.append(change)
    if group:
        yield group


def _hunk(group: Sequence[Change], old: Sequence[bytes], new: Sequence[bytes]) -> Iterator[bytes]:
    first, last = group[0], group[-1]
    lead = min(_CONTEXT, first.old[0])
    tail = min(_CONTEXT, len(old) - last.old[1])
    spans = (first.old[0] - lead, last.old[1] + tail), (first.new[0] - lead, last.new[1] + tail)
    yield b"@@ -%b +%b @@\n" % tuple(_span(*span).encode() for span in spans)
    at = spans[0][0]
    for change in group:
        yield from _told(b" ", old[at : change.old[0]])
        yield from _told(b"-", old[slice(*change.old)])
        yield from _told(b"+", new[slice(*change.new)])
        at = change.old[1]
    yield from _told(b" ", old[at : spans[0][1]])


def _span(start: int, end: int) -> str:
    """Lines as a hunk tells them: the first and how many; of none, the line before."""
    return f"{start + 1 if end > start else start},{end - start}"


def _told(mark: bytes, lines: Iterable[bytes]) -> Iterator[bytes]:
    for line in lines:
        yield mark + (line if line.endswith(b"\n") else line + _NO_END)


def _lines(data: bytes) -> list[bytes]:
    """The lines with their ends; only a line feed ends one."""
    lines = data.split(b"\n")
    last = lines.pop()
    return [*(line + b"\n" for line in lines), *([last] if last else [])]


def _quoted(name: str) -> bytes:
    """A name as git quotes it, where it has to be (gitformat: core.quotePath)."""
    raw = name.encode("utf-8", "surrogateescape")
    special = {ord('"'): b'\\"', ord("\\"): b"\\\\", 9: b"\\t", 10: b"\\n", 13: b"\\r"}
    parts = [special.get(c) or (b"\\%03o" % c if c < 32 or c > 126 else bytes([c])) for c in raw]
    quoted = b"".join(parts)
    return quoted if quoted == raw else b'"' + quoted + b'"'


def _with_tab(name: bytes) -> bytes:
    """A tab ends a name that has blanks in it."""
    return name + b"\t" if b" " in name and not name.startswith(b'"') else name
