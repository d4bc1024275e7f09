"""Names for image files that say what is shown: lower case, hyphens, no stop words, never two alike."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Collection, Iterable

_STOP = frozenset(
    "a an and are as at be but by for from has have in into is it its of on or our that the their this to was we were "  # noqa: SIM905 - a list of words reads best as words
    "will with you your der die das ein eine einer eines dem den des und oder von vom zu zum zur mit im in auf für "
    "le la les un une des du de et ou à au aux en sur pour par dans".split()
)
_LETTERS = str.maketrans(
    {"ß": "ss", "æ": "ae", "Æ": "ae", "ø": "o", "Ø": "o", "œ": "oe", "Œ": "oe", "ł": "l", "Ł": "l"}
)
_UMLAUTS = str.maketrans({"ä": "ae", "ö": "oe", "ü": "ue", "Ä": "ae", "Ö": "oe", "Ü": "ue"})
_MOST_WORDS, _MOST_CHARACTERS = 6, 60
_BY_MACHINE = re.compile(
    r"^(?:img|image|images|dsc|dscn|dscf|p|pic|pict|picture|photo|foto|bild|scan|screenshot|screen|shot|untitled|unbenannt"
    r"|file|copy|kopie|export|final|new|neu|sam|gopr|mvi|whats|app|whatsapp|wp|\d+|[0-9a-f]{8,}|\d+x\d+|x|px|edit|edited|resized"
    r"|small|medium|large|thumb|thumbnail|original|web|min|v)$"
)
"""Words that cameras, programs and habit put into names; they say nothing of what is shown."""


def words_of(text: str) -> list[str]:
    """The words of a text in plain lower-case letters and digits; other alphabets fall away."""
    plain = unicodedata.normalize("NFC", text).translate(_UMLAUTS).translate(_LETTERS)
    plain = unicodedata.normalize("NFKD", plain).encode("ascii", "ignore").decode().lower()
    return re.findall(r"[a-z0-9]+", plain.replace("'", ""))


def words_of_name(name: str) -> list[str]:
    """The words of a file's name, also where capitals alone part them."""
    return words_of(re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name))


def is_descriptive(name: str) -> bool:
    """Whether a file's name (without extension) says what is shown: a word of its own, of three letters or more."""
    words = (word if _BY_MACHINE.match(word) else word.rstrip("0123456789") for word in words_of_name(name))
    return any(len(word) > 2 and not _BY_MACHINE.match(word) for word in words)


def is_well_formed(name: str) -> bool:
    """Whether a name holds nothing but lower-case letters, digits and single hyphens."""
    return re.fullmatch(r"[a-z0-9]+(?:-[a-z0-9]+)*", name) is not None


def suggested_name(path: str, texts: Iterable[str]) -> str:
    """A new name without extension for a file, or an empty one where its own is good or nothing tells a better.

    `texts` tell what is shown, the best first: alternative text, caption, heading, page title.
    """
    own = path.rsplit("/", 1)[-1].rsplit(".", 1)[0]
    if is_descriptive(own):
        return "" if is_well_formed(own) else slug(words_of_name(own), keep_all=True)
    return next((name for text in texts if (name := slug(words_of(text)))), "")


def slug(words: Iterable[str], keep_all: bool = False) -> str:
    """Words as a name; without stop words and not too long, unless all are kept. Of digits alone, none."""
    listed = list(words)
    chosen = listed if keep_all else [w for w in listed if w not in _STOP][:_MOST_WORDS]
    if not any(not w.isdigit() for w in chosen):
        return ""
    while len("-".join(chosen)) > _MOST_CHARACTERS and len(chosen) > 1:
        chosen.pop()
    return "-".join(chosen)[:_MOST_CHARACTERS].strip("-")


def apart(name: str, folder: str, extension: str, taken: Collection[str]) -> str:
    """The path of a name in a folder, numbered where `taken` (in lower case) has it already."""
    number = 1
    while True:
        numbered = name if number == 1 else f"{name}-{number}"
        path = f"{folder}/{numbered}.{extension}".lstrip("/")
        if path.casefold() not in taken:
            return path
        number += 1
