"""Every regular expression that meets input takes time that grows with it: found in the code, attacked with its parts."""

from __future__ import annotations

import ast
import importlib
import math
import re
import signal
import time
from collections.abc import Callable, Iterator
from itertools import product
from pathlib import Path
from re import _parser as parser  # type: ignore[attr-defined]
from typing import Any, NoReturn

import pytest

import ivory_thistle

ROOT = Path(ivory_thistle.__file__).parent
LENGTH = 1_500
SLOW_SECONDS = 0.004
"""Below this for so many repetitions nothing can be quadratic that matters; above it, four times as many are timed."""
_STEEPEST = 9.0
CLEARLY_SECONDS, _MOST_TIMES = 0.15, 32
LIMIT_SECONDS = 10.0

# Asked only of drawings in which what opens is closed again, but for a few: see test_hostile.py for the whole.
GUARDED = {
    "core/images/vector.py _BALLAST",
    "core/images/vector.py _SCRIPT",
    "core/images/vector.py _KEPT",
}
# Built anew for each name or pattern that is asked for; the parts of a pattern are atomic (fnmatch.translate).
BUILT = {
    ("core/formats/svg.py", "re.search(b'(?:^|\\\\s)' + name"),
    ("core/references/markup.py", "re.compile(f'</{name}"),
    ("core/references/markup.py", "re.compile(f'(?:[^<]++|{tag}|"),
    ("core/treatment/roles.py", "re.compile(translate("),
    ("intake/crawl.py", "re.match(translate("),
}


def modules() -> Iterator[tuple[str, Path]]:
    """The modules that read what comes from outside."""
    for layer in ("core", "intake"):
        for path in sorted((ROOT / layer).rglob("*.py")):
            yield path.relative_to(ROOT).as_posix(), path


def expressions() -> Iterator[tuple[str, re.Pattern[Any], bool]]:
    """Those that stand at the top of a module, and those written where they are used.

    The last says whether one is only ever tried at one place (`match`, `fullmatch`), not searched for.
    """
    for name, path in modules():
        dotted = "ivory_thistle." + name.removesuffix(".py").replace("/", ".").removesuffix(".__init__")
        text = path.read_text()
        for variable, value in vars(importlib.import_module(dotted)).items():
            if isinstance(value, re.Pattern):
                uses = set(re.findall(rf"\b{variable}\.(\w+)", text))
                yield f"{name} {variable}", value, bool(uses) and uses <= {"match", "fullmatch"}
        for call in calls(path):
            how = call.func.attr  # type: ignore[attr-defined]
            if how != "compile" and call.args and isinstance(call.args[0], ast.Constant):
                flags = [ast.unparse(f) for f in (*call.args[2:], *(k.value for k in call.keywords))]
                said = re.IGNORECASE if any("IGNORECASE" in f for f in flags) else re.NOFLAG
                pattern = re.compile(call.args[0].value, said)
                yield f"{name} line {call.lineno}", pattern, how in ("match", "fullmatch")


def calls(path: Path) -> Iterator[ast.Call]:
    """The calls of the module `re` in a file."""
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and ast.unparse(node.func.value) == "re":
            yield node


def test_none_is_built_unseen() -> None:
    """An expression is a constant, stands at the top of its module, or is one of the few that are named here."""
    unseen = []
    for name, path in modules():
        tree = ast.parse(path.read_text())
        at_top = {id(n) for top in tree.body if isinstance(top, ast.Assign | ast.AnnAssign) for n in ast.walk(top)}
        known = [start for where, start in BUILT if where == name]
        for call in calls(path):
            text = ast.unparse(call)
            constant = call.args and isinstance(call.args[0], ast.Constant)
            inside = any(ast.unparse(n) == text and id(n) in at_top for n in ast.walk(tree))
            if call.func.attr == "escape" or constant or inside:  # type: ignore[attr-defined]
                continue
            if not any(text.startswith(start) for start in known):
                unseen.append(f"{name}: {text}")
    assert unseen == []


def parts(pattern: re.Pattern[Any]) -> list[str]:
    """The literals of an expression and one or two members of each of its classes."""
    found: dict[str, None] = {}
    word: list[str] = []

    def flush() -> None:
        if word:
            found["".join(word)] = None
            word.clear()

    def walk(tree: Any) -> None:
        for kind, value in tree:
            name = str(kind)
            if name == "LITERAL":
                word.append(chr(value))
                continue
            flush()
            if name == "NOT_LITERAL":
                found["b" if chr(value) == "a" else "a"] = None
            elif name == "IN":
                found.update(dict.fromkeys(members(value)))
            elif name in ("MAX_REPEAT", "MIN_REPEAT", "POSSESSIVE_REPEAT"):
                walk(value[2])
            elif name == "SUBPATTERN":
                walk(value[3])
            elif name == "BRANCH":
                for branch in value[1]:
                    walk(branch)
                    flush()
            elif name in ("ASSERT", "ASSERT_NOT"):
                walk(value[1])
            elif name == "ATOMIC_GROUP":
                walk(value)
            flush()

    walk(parser.parse(pattern.pattern, pattern.flags & ~re.UNICODE if isinstance(pattern.pattern, bytes) else 0))
    flush()
    return list(found)


def members(tree: Any) -> list[str]:
    """Some characters of a class."""
    found = []
    for kind, value in tree:
        if str(kind) == "LITERAL":
            found.append(chr(value))
        elif str(kind) == "RANGE":
            found.append(chr(value[0]))
        elif str(kind) == "CATEGORY":
            found.append({"CATEGORY_DIGIT": "1", "CATEGORY_SPACE": " ", "CATEGORY_WORD": "a"}.get(str(value), "!"))
    return found[:4] or ["a"]


def seconds(pattern: re.Pattern[Any], text: str, at_start: bool) -> float:
    """CPU seconds that it takes to find all matches, or one at the start; infinite beyond a limit."""
    subject: Any = text.encode("latin-1", "replace") if isinstance(pattern.pattern, bytes) else text
    # Its own CPU time: a busy machine makes no expression slow.
    signal.setitimer(signal.ITIMER_VIRTUAL, LIMIT_SECONDS)
    begun = time.process_time()
    try:
        pattern.match(subject)
        pattern.fullmatch(subject)
        for _ in () if at_start else pattern.finditer(subject):
            pass
    except TimeoutError:
        return math.inf
    finally:
        signal.setitimer(signal.ITIMER_VIRTUAL, 0)
    return time.process_time() - begun


@pytest.fixture(autouse=True)
def _alarm() -> Iterator[None]:
    """Lets the search for a match be broken off."""

    def late(*_: object) -> NoReturn:
        raise TimeoutError

    before = signal.signal(signal.SIGVTALRM, late)
    yield
    signal.signal(signal.SIGVTALRM, before)


def attacks(pattern: re.Pattern[Any]) -> Iterator[Callable[[int], str]]:
    """Texts of any length: one or two parts again and again, after a beginning, before an end that fits nowhere."""
    pieces = [*parts(pattern), " ", "a"]
    for first, second in product(pieces, ["", *pieces]):
        yield lambda n, a=first, b=second: (a + b) * n + "\x00"  # type: ignore[misc]
        yield lambda n, a=first, b=second: a + b * n + "\x00"  # type: ignore[misc]


ATTACKED = [e for e in expressions() if e[0] not in GUARDED]


@pytest.mark.parametrize(("name", "pattern", "at_start"), ATTACKED)
def test_every_search_ends(name: str, pattern: re.Pattern[Any], at_start: bool) -> None:
    """Exponential ones would not, on a hundred repetitions of their own parts."""
    for attack in attacks(pattern):
        for length in (12, 24, 100):
            assert seconds(pattern, attack(length), at_start) < math.inf, f"{attack(3)!r} does not end"


@pytest.mark.whole
@pytest.mark.parametrize(("name", "pattern", "at_start"), ATTACKED)
def test_four_times_the_input_takes_about_four_times_as_long(
    name: str, pattern: re.Pattern[Any], at_start: bool
) -> None:
    """Quadratic ones take sixteen times as long. In CPU time of this process; exponential ones are found above."""
    for attack in attacks(pattern):
        took = seconds(pattern, attack(LENGTH), at_start)
        assert took < math.inf, f"{attack(3)!r} does not end"
        if took < SLOW_SECONDS:
            continue
        # What else runs may take a part of the cache: a quadratic expression is steep every time.
        ratio = min(steepness(pattern, attack, at_start) for _ in range(2))
        assert ratio < _STEEPEST, f"{attack(3)!r} takes {ratio:.0f} times as long"


def steepness(pattern: re.Pattern[Any], attack: Callable[[int], str], at_start: bool) -> float:
    """How many times as long four times the input takes; 0 where it takes too little to be told."""
    times, once = 1, 0.0
    # The clock of a process's CPU may go in steps of 10 ms.
    while once < CLEARLY_SECONDS:
        times *= 2
        if times > _MOST_TIMES:
            return 0.0
        once = sum(seconds(pattern, attack(LENGTH), at_start) for _ in range(times))
    return sum(seconds(pattern, attack(4 * LENGTH), at_start) for _ in range(times)) / once
