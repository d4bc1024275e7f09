"""Suggested markup: for files that can't be rewritten, and for one image alone."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass

from ivory_thistle.core.references.markup import escape_attribute, tags
from ivory_thistle.core.references.page import read_page
from ivory_thistle.core.references.site import Image, Page, Placement, SiteReading
from ivory_thistle.core.references.source import Source, read_html_source
from ivory_thistle.core.references.templates import Named, is_template, named_in_template
from ivory_thistle.core.rewriting.delivery import Delivery
from ivory_thistle.core.rewriting.elements import PageTerms
from ivory_thistle.core.rewriting.html import rewrite_page
from ivory_thistle.core.rewriting.offers import Form
from ivory_thistle.core.rewriting.surroundings import Terms


@dataclass(frozen=True, slots=True)
class ElsewhereImage:
    """A place in such a file that names an image: what stands there, and what could (empty: nothing was made)."""

    source: str
    line: int
    path: str
    written: str
    suggested: str


def images_elsewhere(
    site: SiteReading, read: Callable[[str], bytes], deliveries: Mapping[str, Delivery]
) -> Iterator[ElsewhereImage]:
    """The places in templates, components and Markdown that name images of the site; unreadable files are passed by."""
    for path in sorted(p for p in site.files if is_template(p)):
        try:
            source, named = named_in_template(path, read(path), site.index)
        except (OSError, ValueError):
            continue
        yield from _in_file(path, source, named, deliveries, site.by_path)


def _in_file(
    path: str, source: Source, named: list[Named], deliveries: Mapping[str, Delivery], images: Mapping[str, Image]
) -> Iterator[ElsewhereImage]:
    ends = {tag.start: tag.end for tag in tags(source.text) if tag.name == "img"}
    seen: set[int] = set()
    for one in named:
        r = one.reference
        if one.path not in images or r.tag_start in seen:
            continue
        seen.add(r.tag_start)
        if one.alt is not None:
            written = source.decode(source.text[r.start : r.end])
            tag = f'<img src="{escape_attribute(r.address)}" alt="{escape_attribute(one.alt)}">'
        else:
            end = ends.get(r.tag_start, r.end)
            written = tag = source.decode(source.text[r.tag_start if end > r.end else r.start : end])
        suggested = suggested_markup(tag, one.path, deliveries, images) if tag.startswith("<img") else ""
        yield ElsewhereImage(path, r.line, one.path, written[:2000], suggested)


def suggested_markup(tag: str, path: str, deliveries: Mapping[str, Delivery], images: Mapping[str, Image]) -> str:
    """What an `img` tag that shows a file could become; empty where nothing was made of it.

    It is what a page without any style gets: `sizes` are as wide as the file, and to be adapted to the place.
    """
    source = read_html_source(tag.encode())
    placements = tuple(
        Placement(
            page=".", file=path, address=r.address, element=r.element, attribute=r.attribute, source=".",
            start=r.start, end=r.end, line=r.line, descriptor=r.descriptor, use=r.use,
            declared_width=r.declared_width, tag_start=r.tag_start, choice_start=r.choice_start,
        )
        for r in read_page(source).references
    )  # fmt: skip
    page = Page(".", "", source.encoding, len(tag), (path,), 0, (), (), placements)
    terms = {p.tag_start: Terms(sizable=True) for p in placements}
    done = rewrite_page(source, page, deliveries, images, PageTerms(terms, most=Form.FREE))
    return source.apply(done.edits).decode() if done.edits else ""
