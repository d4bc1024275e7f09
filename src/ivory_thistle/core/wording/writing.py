"""Alternative texts written into a page: where an `img` has none and no style rule would notice, and nowhere else."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from ivory_thistle.core.references.markup import escape_attribute, tags
from ivory_thistle.core.references.source import Edit, Source
from ivory_thistle.core.rewriting.attributes import with_more

_MOST_SINGLE = 50
"""Texts of one page that are tried one by one, where not all can be written."""


@dataclass(frozen=True, slots=True)
class Written:
    """The page with the texts that could be written, and the lines (from 1) of the `img`s that stay without."""

    data: bytes
    left: tuple[int, ...] = ()


def write_alternatives(
    source: Source, texts: Mapping[int, str], is_safe: Callable[[list[Edit]], bool] = lambda edits: True
) -> Written:
    """Adds `alt` attributes; `texts` are by the number of the `img`s in source order, from 0.

    `is_safe` says whether a page with these edits looks as before: rules like `img:not([alt])` may select by them.
    """
    images = [tag for tag in tags(source.text) if tag.name == "img" and not tag.closing]
    wanted = {n: tag for n, tag in enumerate(images) if n in texts and tag.get("alt") is None}
    edits = {n: with_more(tag, f'alt="{escape_attribute(texts[n])}"') for n, tag in wanted.items()}
    if edits and not is_safe(list(edits.values())):
        single = list(edits)[:_MOST_SINGLE]
        alone = {n: edits[n] for n in single if is_safe([edits[n]])}
        # What is safe alone may not be together, as in `img[alt] + img[alt]`.
        edits = alone if is_safe(list(alone.values())) else {}
    left = tuple(source.line_of(tag.start) for n, tag in wanted.items() if n not in edits)
    return Written(source.apply(edits.values()), left)
