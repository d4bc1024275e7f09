"""The `srcset` attribute, parsed as the HTML standard says.

https://html.spec.whatwg.org/#parsing-a-srcset-attribute
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

_SPACE = "\t\n\f\r "
_INTEGER = re.compile(r"0*[0-9]{1,9}\Z")
_LONGEST, _SHOWN = 400, 40
"""Of a descriptor, so many characters are read: no screen asks for more."""
_FLOAT = re.compile(r"-?(?:[0-9]+(?:\.[0-9]+)?|\.[0-9]+)(?:[eE][+-]?[0-9]+)?\Z")


@dataclass(frozen=True, slots=True)
class Candidate:
    """One image candidate; `start` and `end` are the span of its address in the attribute value."""

    address: str
    start: int
    end: int
    width: int | None = None
    density: float | None = None
    height: int | None = None

    @property
    def descriptor(self) -> str:
        """The descriptor as it would be written again; empty for none."""
        if self.width is not None:
            return f"{self.width}w"
        return f"{self.density:g}x" if self.density is not None else ""


@dataclass(frozen=True, slots=True)
class Srcset:
    """The candidates of a srcset and the parse errors met, as sentences."""

    candidates: tuple[Candidate, ...]
    errors: tuple[str, ...] = ()


def parse_srcset(value: str) -> Srcset:
    """All candidates of a srcset value; a candidate with a bad descriptor is dropped and told."""
    found: list[Candidate] = []
    errors: list[str] = []
    at = 0
    while True:
        start = at
        while at < len(value) and value[at] in _SPACE + ",":
            at += 1
        if "," in value[start:at]:
            errors.append("A comma stands where an address was expected.")
        if at >= len(value):
            return Srcset(tuple(found), tuple(errors))
        begin = at
        while at < len(value) and value[at] not in _SPACE:
            at += 1
        address = value[begin:at]
        if address.endswith(","):
            bare = address.rstrip(",")
            if len(address) - len(bare) > 1:
                errors.append(f"{bare} is followed by more than one comma.")
            found.append(Candidate(bare, begin, begin + len(bare)))
            continue
        descriptors, at = _tokenize_descriptors(value, at)
        candidate, error = _parse_descriptors(Candidate(address, begin, begin + len(address)), descriptors)
        if candidate:
            found.append(candidate)
        if error:
            errors.append(error)


def _tokenize_descriptors(value: str, at: int) -> tuple[list[str], int]:
    """Descriptors up to the comma that ends the candidate; parentheses protect commas."""
    descriptors: list[str] = []
    current, depth = "", 0
    while at < len(value):
        letter = value[at]
        at += 1
        if depth == 0 and letter in _SPACE:
            if current:
                descriptors.append(current)
            current = ""
            continue
        if depth == 0 and letter == ",":
            break
        if letter == "(":
            depth = 1
        elif letter == ")":
            depth = 0
        current += letter
    if current:
        descriptors.append(current)
    return descriptors, at


def _parse_descriptors(bare: Candidate, descriptors: list[str]) -> tuple[Candidate | None, str | None]:
    width: int | None = None
    density: float | None = None
    height: int | None = None
    for descriptor in descriptors:
        number, unit = descriptor[:-1][:_LONGEST], descriptor[-1]
        if unit == "w" and _INTEGER.match(number) and width is None and density is None and int(number) > 0:
            width = int(number)
        elif (
            unit == "x"
            and _FLOAT.match(number)
            and width is None
            and density is None
            and height is None
            and 0 <= float(number) < math.inf
        ):
            density = float(number)
        elif unit == "h" and _INTEGER.match(number) and height is None and density is None and int(number) > 0:
            height = int(number)
        else:
            return None, f"{bare.address} has the unusable descriptor {descriptor[:_SHOWN]}."
    if height is not None and width is None:
        return None, f"{bare.address} has a height without a width."
    return Candidate(bare.address, bare.start, bare.end, width, density, height), None
