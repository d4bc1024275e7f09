"""Files that a program makes pages of: templates, components, Markdown. Which images they name, as far as that is seen.

They are read as HTML would be, which finds plain tags in any of them, and Markdown's images besides
(https://spec.commonmark.org/0.31.2/#images, those with an address in one piece).
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

from ivory_thistle.core.formats.table import extension_of
from ivory_thistle.core.references.addresses import SITE_ORIGIN, FileIndex, page_address
from ivory_thistle.core.references.page import Reference, read_page
from ivory_thistle.core.references.source import Source, read_html_source

TEMPLATES = frozenset(
    {"php", "phtml", "jsx", "tsx", "vue", "svelte", "astro", "md", "mdx", "markdown", "erb", "haml", "slim", "twig",
     "liquid", "hbs", "handlebars", "mustache", "ejs", "njk", "j2", "jinja", "jinja2", "pug", "jsp", "asp", "aspx",
     "cshtml", "razor", "tmpl", "tpl", "gohtml"}
)  # fmt: skip
"""Extensions of such files."""
MOST_TEMPLATE_BYTES = 2_000_000
_MARKDOWN = frozenset({"md", "mdx", "markdown"})
_MARKDOWN_IMAGE = re.compile(
    r"!\[(?P<alt>[^\[\]\n]{0,500}+)\]\((?P<address>[^()\s]{1,500}+)(?:[ \t]{1,9}+\"[^\"\n]{0,500}+\")?\)"
)
_FENCE = re.compile(r"^[ ]{0,3}(```+|~~~+)", re.MULTILINE)


@dataclass(frozen=True, slots=True)
class Named:
    """One reference of such a file and the file of the site that it leads to; `alt` is that of a Markdown image."""

    reference: Reference
    path: str
    alt: str | None = None


def is_template(path: str) -> bool:
    """Whether a program makes pages of a file."""
    return extension_of(path) in TEMPLATES


def named_in_template(path: str, data: bytes, index: FileIndex) -> tuple[Source, list[Named]]:
    """What a file names of the site's files, from its own place or from the site's root; nothing of one too large."""
    source = read_html_source(data if len(data) <= MOST_TEMPLATE_BYTES else b"")
    references = read_page(source).references
    found = [Named(r, file) for r in references if (file := _file(path, r.address, index))]
    if extension_of(path) in _MARKDOWN:
        found += _in_markdown(path, source, index)
    return source, found


def _file(path: str, address: str, index: FileIndex) -> str:
    for base in (page_address(path), f"{SITE_ORIGIN}/"):
        target = index.resolve(base, address)
        if target.kind == "local":
            return target.path
    return ""


def _in_markdown(path: str, source: Source, index: FileIndex) -> Iterator[Named]:
    for part in _outside_fences(source.text):
        for found in _MARKDOWN_IMAGE.finditer(source.text, *part):
            address, (start, end) = source.decode(found["address"]), found.span()
            if file := _file(path, address, index):
                reference = Reference(address, "markdown", "", start, end, source.line_of(start), tag_start=start)
                yield Named(reference, file, source.decode(found["alt"]))


def _outside_fences(text: str) -> Iterator[tuple[int, int]]:
    """The parts of a text that stand in no fenced block of code."""
    at, fence = 0, ""
    for found in _FENCE.finditer(text):
        mark = found.group(1)
        if not fence:
            yield at, found.start()
            fence = mark
        elif mark.startswith(fence[0]) and len(mark) >= len(fence):
            at, fence = found.end(), ""
    if not fence:
        yield at, len(text)
