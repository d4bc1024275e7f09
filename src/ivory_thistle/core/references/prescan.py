"""The encoding that an HTML file declares of itself.

https://html.spec.whatwg.org/#prescan-a-byte-stream-to-determine-its-encoding
"""

from __future__ import annotations

import re

import webencodings

PRESCANNED_BYTES = 1024
_SPACE = b"\t\n\f\r "
_META = re.compile(rb"<meta[\t\n\f\r /]", re.IGNORECASE)
_TAG = re.compile(rb"</?[A-Za-z][^\t\n\f\r >]*")
_CHARSET = re.compile(
    rb"charset[\t\n\f\r ]*=[\t\n\f\r ]*(?:\"([^\"]*)\"|'([^']*)'|(?![\"'])([^\t\n\f\r ;]+))", re.IGNORECASE
)


def declared_encoding(data: bytes) -> str | None:
    """The name of the encoding that a `meta` in the first 1,024 bytes declares; None without one."""
    head = data[:PRESCANNED_BYTES]
    at = 0
    while at < len(head):
        if head.startswith(b"<!--", at):
            # The two dashes of the opening may be those of the end, as in `<!-->`.
            end = head.find(b"-->", at + 2)
            at = end + 3 if end >= 0 else len(head)
        elif meta := _META.match(head, at):
            found, at = _meta(head, meta.end() - 1)
            if found:
                return found
        elif tag := _TAG.match(head, at):
            at = tag.end()
            while (attribute := _attribute(head, at))[0] is not None:
                at = attribute[2]
            at = attribute[2]
        elif head[at : at + 2] in (b"<!", b"</", b"<?"):
            end = head.find(b">", at)
            at = end + 1 if end >= 0 else len(head)
        else:
            following = head.find(b"<", at + 1)
            at = following if following >= 0 else len(head)
    return None


def _meta(head: bytes, at: int) -> tuple[str | None, int]:
    """The encoding of one `meta` (None: it has none that is known), and where its tag ends."""
    seen: set[bytes] = set()
    got_pragma = False
    need_pragma: bool | None = None
    charset: str | None = None
    while True:
        name, value, at = _attribute(head, at)
        if at > len(head):
            return None, at
        if name is None:
            break
        if name in seen:
            continue
        seen.add(name)
        if name == b"http-equiv":
            got_pragma = value == b"content-type"
        elif name == b"content" and charset is None:
            label = _from_content(value)
            charset, need_pragma = (usable_encoding(label), True) if label else (None, need_pragma)
        elif name == b"charset":
            charset, need_pragma = usable_encoding(value), False
    if need_pragma is None or (need_pragma and not got_pragma):
        return None, at
    return charset, at


def _from_content(value: bytes) -> bytes | None:
    """https://html.spec.whatwg.org/#algorithm-for-extracting-a-character-encoding-from-a-meta-element"""
    found = _CHARSET.search(value)
    return next((g for g in found.groups() if g is not None), None) if found else None


def usable_encoding(label: bytes) -> str | None:
    """The encoding of a label; UTF-16 said in an ASCII-readable place can't be true and means UTF-8."""
    encoding = webencodings.lookup(label.decode("ascii", "replace").strip("\t\n\f\r "))
    if encoding is None:
        return None
    if encoding.name.startswith("utf-16"):
        return "utf-8"
    return "windows-1252" if encoding.name == "x-user-defined" else str(encoding.name)


def _attribute(head: bytes, at: int) -> tuple[bytes | None, bytes, int]:
    """The next attribute's name and value in lower case, and where reading goes on; a name of None at the tag's end.

    What the end of the bytes cuts off does not count: then reading goes on behind them.

    https://html.spec.whatwg.org/#concept-get-attributes-when-sniffing
    """
    while at < len(head) and head[at] in _SPACE + b"/":
        at += 1
    if at >= len(head) or head[at] in b">":
        return None, b"", at + 1
    start = at
    while at < len(head) and head[at] not in _SPACE + b"/>" and (head[at] not in b"=" or at == start):
        at += 1
    name = head[start:at].lower()
    after = at
    while after < len(head) and head[after] in _SPACE:
        after += 1
    if head[after : after + 1] != b"=":
        return name, b"", at
    at = after + 1
    while at < len(head) and head[at] in _SPACE:
        at += 1
    if head[at : at + 1] in (b'"', b"'"):
        end = head.find(head[at : at + 1], at + 1)
        return (name, head[at + 1 : end].lower(), end + 1) if end >= 0 else (None, b"", len(head) + 1)
    start = at
    while at < len(head) and head[at] not in _SPACE + b">":
        at += 1
    return (name, head[start:at].lower(), at) if at < len(head) else (None, b"", at + 1)
