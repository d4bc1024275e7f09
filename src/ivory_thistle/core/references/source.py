"""A text file of a site with its encoding, kept so that edits by position leave every other byte alone."""

from __future__ import annotations

import re
from bisect import bisect_left
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

import webencodings

from ivory_thistle.core.references.prescan import declared_encoding, usable_encoding

_BOMS = ((b"\xef\xbb\xbf", "utf-8"), (b"\xfe\xff", "utf-16be"), (b"\xff\xfe", "utf-16le"))
_CSS_CHARSET = re.compile(rb'^@charset "([^"]{1,40})";')
# In these, a byte below 0x80 may be part of a longer character, so markup can't be found in the bytes.
_NOT_ASCII_BASED = frozenset({"utf-16le", "utf-16be", "iso-2022-jp"})


@lru_cache(16)
def _line_ends(text: str) -> tuple[int, ...]:
    """Where the lines of a text end, so that each is counted once however often it is asked."""
    return tuple(found.start() for found in re.finditer("\n", text))


@dataclass(frozen=True, slots=True)
class Edit:
    """Replace `source.text[start:end]` by `new` (real text; the source's encoding is applied)."""

    start: int
    end: int
    new: str


@dataclass(frozen=True, slots=True)
class Source:
    """The content of an HTML or CSS file.

    `text` is what positions count in. For encodings built on ASCII it holds one character per *byte*
    (so that any byte survives), and `decode` gives the true characters of a piece; for the others it is
    the decoded text itself.
    """

    text: str
    encoding: str
    by_byte: bool

    @classmethod
    def from_bytes(cls, data: bytes, encoding: str) -> Source:
        """A source of `data` read in `encoding` (a name as `webencodings` gives it)."""
        if encoding in _NOT_ASCII_BASED:
            return cls(webencodings.decode(data, encoding, "replace")[0], encoding, by_byte=False)
        return cls(data.decode("latin-1"), encoding, by_byte=True)

    def decode(self, piece: str) -> str:
        """The true characters of a piece of `text`."""
        if not self.by_byte or piece.isascii():
            return piece
        codec = webencodings.lookup(self.encoding) or webencodings.UTF8
        return str(codec.codec_info.decode(piece.encode("latin-1"), "replace")[0])

    def characters(self) -> str:
        """The true characters of all of it, without a byte order mark (https://encoding.spec.whatwg.org/#decode)."""
        return self.decode(self.text).removeprefix("\ufeff")

    def line_of(self, position: int) -> int:
        """The line (from 1) that holds a position."""
        return bisect_left(_line_ends(self.text), position) + 1

    def to_bytes(self, text: str | None = None) -> bytes:
        """The file's bytes again, from `text` (default: unchanged)."""
        text = self.text if text is None else text
        if self.by_byte:
            return text.encode("latin-1")
        codec = webencodings.lookup(self.encoding) or webencodings.UTF8
        return bytes(codec.codec_info.encode(text, "replace")[0])

    def encode(self, new: str) -> str:
        """New text in the form of `text`; characters that the encoding lacks become HTML references."""
        if not self.by_byte or new.isascii():
            return new
        codec = webencodings.lookup(self.encoding) or webencodings.UTF8
        return bytes(codec.codec_info.encode(new, "xmlcharrefreplace")[0]).decode("latin-1")

    def apply(self, edits: Iterable[Edit]) -> bytes:
        """The file's bytes after the edits, which must not overlap (ValueError)."""
        parts, at = [], 0
        for edit in sorted(edits, key=lambda e: (e.start, e.end)):
            if edit.start < at:
                raise ValueError(f"edits overlap at {edit.start}")
            parts += [self.text[at : edit.start], self.encode(edit.new)]
            at = edit.end
        return self.to_bytes("".join([*parts, self.text[at:]]))


def read_html_source(data: bytes) -> Source:
    """An HTML file in the encoding that a browser would sniff.

    Order of https://html.spec.whatwg.org/#determining-the-character-encoding : byte order mark, `meta` in
    the first 1,024 bytes, then UTF-8 where the bytes are valid as such, else windows-1252.
    """
    return Source.from_bytes(data, _byte_order_mark(data) or declared_encoding(data) or _guess(data))


def is_undeclared_utf8(data: bytes) -> bool:
    """Whether an HTML file is read as UTF-8 although it does not say so: Chromium takes it for windows-1252."""
    declared = data.isascii() or _byte_order_mark(data) or declared_encoding(data)
    return not declared and _guess(data) == "utf-8"


def read_css_source(data: bytes, of_document: str = "utf-8") -> Source:
    """A CSS file: byte order mark, `@charset`, then the encoding of the document that links it.

    https://drafts.csswg.org/css-syntax/#input-byte-stream
    """
    declared = _CSS_CHARSET.match(data)
    label = usable_encoding(declared.group(1)) if declared else None
    fallback = usable_encoding(of_document.encode()) or "utf-8"
    fallback = fallback if fallback not in _NOT_ASCII_BASED else "utf-8"
    return Source.from_bytes(data, _byte_order_mark(data) or label or fallback)


def _byte_order_mark(data: bytes) -> str | None:
    return next((name for mark, name in _BOMS if data.startswith(mark)), None)


def _guess(data: bytes) -> str:
    try:
        data.decode("utf-8")
    except UnicodeDecodeError:
        return "windows-1252"
    return "utf-8"
