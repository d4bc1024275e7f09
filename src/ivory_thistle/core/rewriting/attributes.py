"""Edits of single attributes, by position."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from ivory_thistle.core.references.markup import Attribute, Tag, escape_attribute, tags
from ivory_thistle.core.references.source import Edit, Source

CardSizes = Mapping[tuple[int, str], Attribute]
"""The attributes that tell a social card's size: by where the tag begins that names it, and "width" or "height"."""


def with_value(attribute: Attribute, value: str) -> Edit:
    """Another value for an attribute, in its own quotes."""
    if attribute.quote:
        return Edit(attribute.value_start, attribute.value_end, escape_attribute(value, attribute.quote))
    return Edit(attribute.start, attribute.end, f'{attribute.name}="{escape_attribute(value)}"')


def with_more(tag: Tag, attributes: str) -> Edit:
    """More attributes after the tag's last one."""
    at = max((a.end for a in tag.attributes), default=tag.start + 1 + len(tag.name))
    return Edit(at, at, f" {attributes}")


def card_sizes(source: Source) -> CardSizes:
    """The `content` of `og:image:width` and `og:image:height`, which follow the card they are about.

    https://ogp.me/#structured
    """
    found: dict[tuple[int, str], Attribute] = {}
    card = -1
    for tag in tags(source.text):
        if tag.name != "meta" or tag.closing:
            continue
        said, content = (tag.value("property") or "").lower(), tag.get("content")
        if said in ("og:image", "og:image:url"):
            card = tag.start
        elif said in ("og:image:width", "og:image:height") and content:
            found[card, said.rpartition(":")[2]] = content
    return found


def card_size(told: CardSizes, card: Tag, was: tuple[int, int], now: tuple[int, int]) -> Iterator[Edit]:
    """The new size of a card, where the old one is told and true."""
    for name, old, new in zip(("width", "height"), was, now, strict=True):
        attribute = told.get((card.start, name))
        if attribute and attribute.raw.strip() == str(old):
            yield with_value(attribute, str(new))
