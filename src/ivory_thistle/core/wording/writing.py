"""Alternative texts written into a page: where an `img` has none, and nowhere else."""

from __future__ import annotations

from collections.abc import Mapping

from ivory_thistle.core.references.markup import escape_attribute, tags
from ivory_thistle.core.references.source import Source
from ivory_thistle.core.rewriting.attributes import with_more


def write_alternatives(source: Source, texts: Mapping[int, str]) -> bytes:
    """The page with `alt` attributes; `texts` are by the number of the `img`s in source order, from 0."""
    edits = []
    images = (tag for tag in tags(source.text) if tag.name == "img" and not tag.closing)
    for number, tag in enumerate(images):
        if number in texts and tag.get("alt") is None:
            edits.append(with_more(tag, f'alt="{escape_attribute(texts[number])}"'))
    return source.apply(edits)
