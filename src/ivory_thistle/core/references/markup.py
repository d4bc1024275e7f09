"""Tags of an HTML text with exact positions, by the tokenizer of the HTML standard.

https://html.spec.whatwg.org/#tokenization . The standard library's parser gives the position of a tag but
not of its attributes, and reads comments and raw text otherwise than browsers do; so the states that bear
on where a tag begins and ends are written here, as one regular expression a state. Tree construction is
not done: the tags come in source order, with the depth inside `picture`, `noscript`, `template` and `svg`
left to the reader.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, KeysView
from dataclasses import dataclass, field
from functools import lru_cache
from html.entities import html5

_SPACE = r"[\t\n\f\r ]"
_OPENING = re.compile(r"<(?=[A-Za-z!/?])")
_TAG_NAME = re.compile(r"[A-Za-z][^\t\n\f\r />]*")
_COMMENT = re.compile(r"<!--(?:-?>|[\s\S]*?(?:--!?>|\Z))")
_BOGUS = re.compile(r"<[!?/][^>]*(?:>|\Z)")
_CDATA = re.compile(r"<!\[CDATA\[[\s\S]*?(?:\]\]>|\Z)")
_ATTRIBUTE = re.compile(
    rf"(?:{_SPACE}|/)*(=?[^\t\n\f\r />=]+|=)"
    rf"(?:{_SPACE}*={_SPACE}*(?:\"([^\"]*)\"|'([^']*)'|([^\"'\t\n\f\r >][^\t\n\f\r >]*)|(?=>)|(?P<open>[\"'])))?"
)
# A whole tag in one match: atomic groups keep the tokenizer's left-to-right order, so nothing is tried twice.
# A value whose quote is never closed makes the match fail: the tag then runs to the end of the file.
_WHOLE_TAG = re.compile(
    rf"</?([A-Za-z][^\t\n\f\r />]*+)"
    rf"((?>(?:{_SPACE}|/)*+(?>=?[^\t\n\f\r />=]++|=)"
    rf"(?:(?>{_SPACE}*={_SPACE}*)(?>\"[^\"]*\"|'[^']*'|[^\"'\t\n\f\r >][^\t\n\f\r >]*+|(?=>))|(?!{_SPACE}*=)))*+)"
    rf"((?:{_SPACE}|/)*)>"
)
MOST_ATTRIBUTES = 1_000
"""An element of a page that somebody wrote has no more."""
_QUOTES = ("", "", '"', "'", "", "")
_LONGEST_NAME = max(map(len, html5))
_RAW = frozenset({"script", "style", "xmp", "iframe", "noembed", "noframes", "title", "textarea"})
_SCRIPT_MARK = re.compile(r"<!--|-->|</?script(?=[\t\n\f\r />])", re.IGNORECASE)
_REFERENCE = re.compile(r"&(?:#[xX][0-9A-Fa-f]+;?|#[0-9]+;?|[A-Za-z][A-Za-z0-9]*;?)")


@dataclass(frozen=True, slots=True)
class Attribute:
    """One attribute: raw value and its span (without quotes), and the span of the whole `name="value"`."""

    name: str
    raw: str
    value_start: int
    value_end: int
    start: int
    end: int
    quote: str


@dataclass(slots=True, eq=False)
class Tag:
    """A start or end tag at `text[start:end]`; of equal attribute names only the first is kept.

    `raw_text` is the span of the text that follows a raw text element's start tag. Attributes are read when they
    are asked for: most tags of a page are never asked.
    """

    name: str
    closing: bool
    self_closing: bool
    start: int
    end: int
    text: str = field(repr=False)
    attributes_at: tuple[int, int]
    raw_text: tuple[int, int] | None = None
    _found: dict[str, Attribute] | None = field(default=None, repr=False)

    @property
    def names(self) -> KeysView[str]:
        """The lower-case names of all attributes."""
        return self._by_name().keys()

    @property
    def attributes(self) -> tuple[Attribute, ...]:
        """All attributes in source order."""
        return tuple(self._by_name().values())

    def get(self, name: str) -> Attribute | None:
        """The attribute of that lower-case name."""
        return self._by_name().get(name)

    def value(self, name: str) -> str | None:
        """The value with character references decoded; None without the attribute."""
        found = self.get(name)
        return unescape_attribute(found.raw) if found else None

    def _by_name(self) -> dict[str, Attribute]:
        if self._found is None:
            self._found = _attributes(self.text, *self.attributes_at)
        return self._found


def _attributes(text: str, at: int, end: int) -> dict[str, Attribute]:
    """The attributes between the tag's name and its end."""
    attributes: dict[str, Attribute] = {}
    while at < end and (found := _ATTRIBUTE.match(text, at)) and found.end() <= end:
        name = found.group(1).lower()
        # The last group that took part: 2 to 4 hold a value in double, single or no quotes.
        group = found.lastindex or 1
        begin, stop = found.span(group) if 2 <= group <= 4 else (found.end(), found.end())
        quote = _QUOTES[group]
        attributes.setdefault(name, Attribute(name, text[begin:stop], begin, stop, found.start(1), found.end(), quote))
        at = found.end()
    return attributes


@lru_cache(16)
def passing_over(
    names: frozenset[str] = frozenset(), ends: frozenset[str] = frozenset(), attributes: frozenset[str] = frozenset()
) -> re.Pattern[str]:
    """A pattern that takes text and tags in one go, but for tags of `names`, end tags of `ends`, and any `attributes`.

    Attributes are given by how their names begin. Tags that bear on how others are read are never passed over, nor
    are malformed ones and those of more than `MOST_ATTRIBUTES`.
    """
    kept = "|".join(sorted(map(re.escape, names | _RAW | {"svg", "math", "plaintext"})))
    kept_ends = "|".join(sorted(map(re.escape, ends | {"svg", "math"})))
    noted = "|".join(["=", *sorted(map(re.escape, attributes))])
    value = r"\"[^\"]*+\"|'[^']*+'|[^\"'\t\n\f\r >][^\t\n\f\r >]*+|(?=>)"
    attribute = rf"(?:{_SPACE}|/)++(?!{noted})[^\t\n\f\r />=]*+(?:{_SPACE}*+={_SPACE}*+(?>{value}))?+"
    named = rf"(?:{kept}|/(?:{kept_ends}))[\t\n\f\r />]"
    tag = rf"<(?!{named})/?[a-z][^\t\n\f\r />]*+(?:{attribute}){{0,{MOST_ATTRIBUTES}}}+>"
    return re.compile(rf"(?:[^<]++|{tag}|<(?![a-z!/?]))*+", re.IGNORECASE | re.ASCII)


def tags(text: str, over: re.Pattern[str] | None = None) -> Iterator[Tag]:
    """Every tag in source order, but those that the pattern `over` (of `passing_over`) takes.

    An unterminated last tag is dropped, as browsers do.
    """
    at, foreign = 0, 0
    while True:
        if over and (passed := over.match(text, at)):
            at = passed.end()
        opening = _OPENING.search(text, at)
        if not opening:
            return
        start = opening.start()
        follows = text[start + 1]
        if follows in "!?":
            at = _skip_declaration(text, start, foreign > 0)
            continue
        if follows == "/" and not text[start + 2 : start + 3].isascii():
            at = _end_of(_BOGUS, text, start)
            continue
        tag = _read_tag(text, start, closing=follows == "/")
        if isinstance(tag, int):
            at = tag
            continue
        if tag.name in ("svg", "math"):
            foreign = max(0, foreign - 1) if tag.closing else foreign + (not tag.self_closing)
        at = tag.end
        if not tag.closing and tag.name in _RAW and not (foreign and tag.self_closing):
            at = _raw_text_end(text, tag.end, tag.name)
            tag.raw_text = (tag.end, at)
        yield tag
        if tag.name == "plaintext" and not tag.closing:
            return


def _skip_declaration(text: str, start: int, foreign: bool) -> int:
    """Past a comment, doctype, processing instruction or (in SVG and MathML) CDATA section."""
    if text.startswith("<!--", start):
        return _end_of(_COMMENT, text, start)
    if foreign and text.startswith("<![CDATA[", start):
        return _end_of(_CDATA, text, start)
    return _end_of(_BOGUS, text, start)


def _end_of(pattern: re.Pattern[str], text: str, start: int) -> int:
    found = pattern.match(text, start)
    return found.end() if found else start + 1


def _read_tag(text: str, start: int, closing: bool) -> Tag | int:
    """The tag at `start`, or the position from which to go on where there is none."""
    whole = _WHOLE_TAG.match(text, start)
    if whole:
        return Tag(
            whole.group(1).lower(), closing, whole.group(3).endswith("/"), start, whole.end(), text, whole.span(2)
        )
    if _TAG_NAME.match(text, start + 1 + closing):
        return len(text)
    return start + 3 if text.startswith("</>", start) else _end_of(_BOGUS, text, start)


def _raw_text_end(text: str, at: int, name: str) -> int:
    """Where the text of a raw text element ends (the start of its end tag, or the end of the file)."""
    if name == "script":
        return _script_end(text, at)
    found = re.compile(rf"</{name}(?=[\t\n\f\r />])", re.IGNORECASE).search(text, at)
    return found.start() if found else len(text)


def _script_end(text: str, at: int) -> int:
    """End of a script's text, with the escaped states that `<!--` and a nested `<script` bring.

    https://html.spec.whatwg.org/#script-data-escaped-state and the states after it.
    """
    escaped, nested = False, False
    while found := _SCRIPT_MARK.search(text, at):
        mark, at = found.group().lower(), found.end()
        if mark == "<!--":
            escaped, at = True, found.start() + 2
        elif mark == "-->":
            escaped = nested = False
        elif mark == "<script":
            nested = escaped
        elif not nested:
            return found.start()
        else:
            nested = False
    return len(text)


def unescape_attribute(raw: str) -> str:
    """Decodes character references as in an attribute value.

    https://html.spec.whatwg.org/#named-character-reference-state : a name without semicolon followed by
    `=` or a letter or digit stays as it is, so `?a=1&copy=2` is no copyright sign.
    """
    if "&" not in raw:
        return raw
    return _REFERENCE.sub(lambda m: _decode_reference(m, raw), raw)


def _decode_reference(found: re.Match[str], raw: str) -> str:
    whole = found.group()
    if whole[1] == "#":
        return _numeric(whole)
    name = whole[1:]
    if name.endswith(";") and name in html5:
        return html5[name]
    for length in range(min(len(name), _LONGEST_NAME), 1, -1):
        if name[:length] in html5 and not name[:length].endswith(";"):
            after = name[length : length + 1] or raw[found.end() : found.end() + 1]
            if after == "=" or (after.isascii() and after.isalnum()):
                return whole
            return html5[name[:length]] + name[length:]
    return whole


def _numeric(whole: str) -> str:
    """A numeric reference by https://html.spec.whatwg.org/#numeric-character-reference-end-state ."""
    digits = whole[2:].rstrip(";")
    figures = (digits[1:] if digits[0] in "xX" else digits).lstrip("0") or "0"
    # More figures than any character has: reading them all would take long, and be refused.
    code = int(figures[:9], 16 if digits[0] in "xX" else 10)
    if code == 0 or code > 0x10FFFF or 0xD800 <= code <= 0xDFFF:
        return "�"
    if 0x80 <= code <= 0x9F:
        return bytes([code]).decode("cp1252", "replace")
    return chr(code)


def escape_attribute(value: str, quote: str = '"') -> str:
    """A value made safe between `quote`s: only what must be escaped is."""
    escaped = value.replace("&", "&amp;").replace("<", "&lt;")
    return escaped.replace('"', "&quot;") if quote == '"' else escaped.replace("'", "&#39;")
