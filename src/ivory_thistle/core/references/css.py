"""Pictures named in CSS, with positions: a tokenizer for what bears on `url()`.

https://drafts.csswg.org/css-syntax/#tokenization . Only the tokens that can hide or hold an address are
told apart (comments, strings, url tokens, functions, at-keywords, blocks), which makes one pass enough.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field

# Possessive throughout: what a token has taken it keeps, so that no input is gone through twice.
_ESCAPED = r"\\(?:[0-9A-Fa-f]{1,6}+(?:\r\n|[ \t\n\r\f])?+|[^\n\r\f0-9A-Fa-f])"
_IDENT = rf"(?:--|-?(?:[A-Za-z_]|[^\x00-\x7F]|{_ESCAPED}))(?:[\w-]|[^\x00-\x7F]|{_ESCAPED})*+"
_TOKEN = re.compile(
    r"(?P<comment>/\*[\s\S]*?(?:\*/|\Z))"
    r"|(?P<string>\"(?:[^\"\\\n\r\f]|\\(?:\r\n|[\s\S]|\Z))*+(?:\"|(?=[\n\r\f])|\Z)"
    r"|'(?:[^'\\\n\r\f]|\\(?:\r\n|[\s\S]|\Z))*+(?:'|(?=[\n\r\f])|\Z))"
    r"|(?P<url>[uU][rR][lL]\([ \t\n\r\f]*+(?![\"' \t\n\r\f])(?P<address>(?:[^\"'()\\\s\x00-\x08\x0b\x0e-\x1f\x7f]"
    rf"|{_ESCAPED}|\\\Z)*+)[ \t\n\r\f]*+(?:\)|\Z))"
    r"|(?P<badurl>[uU][rR][lL]\([ \t\n\r\f]*+(?![\"' \t\n\r\f])(?:[^)\\]|\\[\s\S])*+(?:\)|\Z))"
    rf"|(?P<function>{_IDENT}\()"
    rf"|@(?P<at>{_IDENT})"
    rf"|(?P<ident>{_IDENT})"
    r"|(?P<mark>[{}();\[\]])"
)
_COMMENT = re.compile(r"/\*[\s\S]*?(?:\*/|\Z)")
_LEADING = re.compile(r"(?>\s|/\*[\s\S]*?(?:\*/|\Z))*+")
_ESCAPE = re.compile(r"\\(?:([0-9A-Fa-f]{1,6})(?:\r\n|[ \t\n\r\f])?|(\r\n|[\n\r\f]|\Z)|([\s\S]))")
BACKGROUNDS = frozenset({"background", "background-image"})
_ONE_ADDRESS = BACKGROUNDS | {"list-style", "list-style-image", "content", "border-image", "border-image-source"}
"""Properties that show a picture as it is; masks and shapes read its pixels otherwise."""
_ANY_BACKGROUND = re.compile(r"(?<![\w-])(?:background[\w-]*+|all)\s*+:", re.IGNORECASE)
_CHANGING = re.compile(r":(?!:?(?:before|after|root|first-child|last-child|nth-child|link)\b)|[\[&\\]")
"""Of selectors, what may begin or cease to match: most pseudo-classes, attributes, and what is not understood here."""
_VARIABLE = re.compile(r"\bvar\(", re.IGNORECASE)
_IMAGE_SETS = frozenset({"image-set", "-webkit-image-set"})


@dataclass(frozen=True, slots=True)
class Declaration:
    """One declaration: its span up to (not with) the `;` or `}`, and its lower-case property."""

    property: str
    start: int
    end: int
    value_start: int
    has_variables: bool = False


@dataclass(frozen=True, slots=True)
class CssReference:
    """One address: `start:end` spans the whole `url(...)` or string; `declaration` indexes the reading's.

    `in_set` is true inside `image-set()`; `block` counts the `{}` block that holds it.
    """

    address: str
    start: int
    end: int
    declaration: int | None
    in_set: bool
    block: int


@dataclass(frozen=True, slots=True)
class CssImport:
    """An `@import`ed style sheet's address."""

    address: str
    start: int
    end: int


@dataclass(frozen=True, slots=True)
class StyleRule:
    """A style rule that stands in no other: the span of its selectors, and where its block ends (with its `}`).

    `steady`: whether an element matches does not change while a page is used, as long as no script changes it.
    """

    selectors: tuple[int, int]
    end: int
    steady: bool = False


@dataclass(slots=True)
class CssReading:
    """What a style sheet names. `sets` are the properties, by block, that have a value with `image-set()`.

    `rules` are the style rules, by block, that name pictures. `repeatable` are declarations with `var()` that may stand
    once more in a rule behind their own: nothing else in it says anything of the background after them.
    """

    references: list[CssReference] = field(default_factory=list)
    imports: list[CssImport] = field(default_factory=list)
    declarations: list[Declaration] = field(default_factory=list)
    sets: set[tuple[int, str]] = field(default_factory=set)
    rules: dict[int, StyleRule] = field(default_factory=dict)
    repeatable: set[int] = field(default_factory=set)

    def takes_fallback(self, reference: CssReference) -> bool:
        """True where a fallback can stand before a declaration with `image-set()`, and none does yet.

        A declaration with `var()` is valid to every browser until its value is computed: its fallback stands in a rule
        of its own, before one for browsers that know `image-set()`.
        """
        if reference.declaration is None or reference.in_set:
            return False
        declaration = self.declarations[reference.declaration]
        return (
            declaration.property in BACKGROUNDS
            and (not declaration.has_variables or reference.declaration in self.repeatable)
            and (reference.block, declaration.property) not in self.sets
        )

    def is_steady(self, reference: CssReference) -> bool:
        """Whether the rule that names it holds at any time on a screen, or never."""
        rule = self.rules.get(reference.block)
        return rule is not None and rule.steady

    def takes_one_address(self, reference: CssReference) -> bool:
        """True where another plain picture of the same size may stand: it changes nothing but bytes."""
        if reference.declaration is None or reference.in_set:
            return False
        property_ = self.declarations[reference.declaration].property
        if property_ in BACKGROUNDS and (reference.block, property_) in self.sets:
            return False
        return property_ in _ONE_ADDRESS or property_.startswith("--")


def unescape_css(raw: str) -> str:
    """Decodes escapes: https://drafts.csswg.org/css-syntax/#consume-escaped-code-point ."""
    if "\\" not in raw:
        return raw

    def one(found: re.Match[str]) -> str:
        if found.group(1):
            code = int(found.group(1), 16)
            return "�" if code == 0 or code > 0x10FFFF or 0xD800 <= code <= 0xDFFF else chr(code)
        return found.group(3) or ""  # an escaped line break, or the end of the file, is nothing

    return _ESCAPE.sub(one, raw)


def css_string(address: str) -> str:
    """An address as a CSS string in double quotes."""
    escaped = address.replace("\\", "\\\\").replace('"', '\\"')
    return '"' + re.sub(r"[\n\r\f]", lambda m: f"\\{ord(m.group()):x} ", escaped) + '"'


class _Reader:
    """State of one pass: open brackets, the rule and the declaration being read."""

    def __init__(self, text: str, in_block: bool, decode: Callable[[str], str]) -> None:
        self.text, self.decode = text, decode
        self.reading = CssReading()
        self.stack: list[str] = []
        self.sets_open = 0
        self.closed_at = -1
        self.rules: list[str] = []
        self.block, self.blocks = 0, 0
        self.open_blocks: list[int] = []
        self.selectors: list[tuple[int, int] | None] = []
        self.last_named: dict[int, int | None] = {}
        self.start = 0
        self.at_keyword = ""
        self.in_block = in_block
        self.pending: list[CssReference] = []

    def run(self) -> CssReading:
        for token in _TOKEN.finditer(self.text):
            kind = token.lastgroup
            if kind == "address":
                kind = "url"
            if kind == "url":
                self.address(token.group("address") or "", token.start(), token.end(), is_string=False)
            elif kind == "string":
                raw = token.group()
                closed = len(raw) > 1 and raw[-1] == raw[0]
                if not closed and token.end() < len(self.text):
                    continue  # A bad string: it ends at a line break, and names nothing.
                inner = raw[1:-1] if closed else raw[1:]
                self.address(inner, token.start(), token.end(), is_string=True)
            elif kind == "function":
                self.stack.append(token.group()[:-1].lower())
                self.sets_open += self.stack[-1] in _IMAGE_SETS
            elif kind == "at" and not self.stack:
                self.at_keyword = token.group("at").lower()
            elif kind == "mark":
                self.mark(token.group(), token.start(), token.end())
        self.end_declaration(len(self.text))
        return self.reading

    def address(self, raw: str, start: int, end: int, is_string: bool) -> None:
        """Takes a url token or a string that stands where an address may."""
        in_set = self.sets_open > 0
        if self.at_keyword == "import" and (not self.stack or self.stack == ["url"]):
            self.reading.imports.append(CssImport(unescape_css(self.decode(raw)), start, end))
            self.at_keyword = "import-done"
            return
        if self.at_keyword in ("namespace", "import-done", "charset"):
            return
        if is_string and not (self.stack and (self.stack[-1] == "url" or self.stack[-1] in _IMAGE_SETS)):
            return
        if is_string and self.stack[-1] == "url":
            start = self.text.rfind("(", 0, start) - 3
            end = self.closed_after(end)
        address = unescape_css(self.decode(raw))
        if not is_string and (len(raw) - len(raw.rstrip("\\"))) % 2:
            address += "\ufffd"  # An escape cut off by the end of the file.
        if address and not address.startswith("#") and self.rules[-1:] != ["font-face"]:
            self.pending.append(CssReference(address, start, end, None, in_set, self.block))

    def closed_after(self, at: int) -> int:
        """Behind the next closing bracket, or the end of the text: looked for once."""
        if self.closed_at < at:
            found = self.text.find(")", at)
            self.closed_at = found if found >= 0 else len(self.text)
        return min(self.closed_at + 1, len(self.text))

    def mark(self, mark: str, start: int, end: int) -> None:
        if mark in "([":
            self.stack.append(mark)
        elif mark in ")]":
            if self.stack:
                self.sets_open -= self.stack.pop() in _IMAGE_SETS
        elif mark == ";" and not self.stack:
            self.end_declaration(start)
            self.start, self.at_keyword = end, ""
        elif mark == "{":
            self.open_block(start, end)
        elif mark == "}":
            self.end_declaration(start)
            self.forget_brackets()
            if self.rules:
                self.close_rule(end)
            self.block = self.open_blocks.pop() if self.open_blocks else 0
            self.start, self.at_keyword = end, ""

    def close_rule(self, end: int) -> None:
        self.rules.pop()
        span = self.selectors.pop()
        if span and self.block in self.last_named and not any(self.selectors):
            steady = not _CHANGING.search(self.text, *span)
            self.reading.rules[self.block] = StyleRule(span, end, steady)
            last = self.last_named[self.block]
            if last is not None:
                # Only the last of a block is looked at: one search a rule.
                at = self.reading.declarations[last]
                if at.has_variables and not _ANY_BACKGROUND.search(self.text, at.end, end):
                    self.reading.repeatable.add(last)

    def forget_brackets(self) -> None:
        self.stack.clear()
        self.sets_open = 0

    def open_block(self, start: int, end: int) -> None:
        prelude = _COMMENT.sub("", self.text[self.start : start]).strip().lower()
        self.rules.append(self.at_keyword or prelude)
        lead = _LEADING.match(self.text, self.start)
        self.selectors.append(None if self.at_keyword else (lead.end() if lead else self.start, start))
        self.pending.clear()
        self.forget_brackets()
        self.open_blocks.append(self.block)
        self.blocks += 1
        self.block = self.blocks
        self.start, self.at_keyword = end, ""

    def end_declaration(self, end: int) -> None:
        """Closes the declaration that began at `self.start`, keeping it where it names pictures."""
        if not self.pending:
            return
        inside = self.in_block or bool(self.rules)
        text = self.text[self.start : end] if inside else ""
        colon = _colon(text)
        index = None
        if colon >= 0:
            leading = _LEADING.match(text)
            lead = leading.end() if leading else 0
            name = text[lead:colon].strip()
            index = len(self.reading.declarations)
            name = name if name.startswith("--") else name.lower()
            has_variables = _VARIABLE.search(text, colon) is not None
            declaration = Declaration(name, self.start + lead, end, self.start + colon + 1, has_variables)
            self.reading.declarations.append(declaration)
        self.last_named |= {p.block: index for p in self.pending}
        for p in self.pending:
            self.reading.references.append(CssReference(p.address, p.start, p.end, index, p.in_set, p.block))
            if p.in_set and index is not None:
                self.reading.sets.add((p.block, self.reading.declarations[index].property))
        self.pending.clear()


def _colon(text: str) -> int:
    """The first colon outside comments, or -1."""
    blanked = _COMMENT.sub(lambda m: " " * len(m.group()), text)
    return blanked.find(":")


def read_css(text: str, decode: Callable[[str], str] = str) -> CssReading:
    """Everything that a style sheet's text names; `decode` gives the true characters of a piece of it."""
    return _Reader(text, in_block=False, decode=decode).run()


def read_style_attribute(text: str, decode: Callable[[str], str] = str) -> CssReading:
    """The same for a `style` attribute, which holds bare declarations."""
    return _Reader(text, in_block=True, decode=decode).run()
