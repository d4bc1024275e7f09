"""Preloads: led to what the boxes of a page load, and added where a large background is found late."""

from __future__ import annotations

import posixpath
from collections.abc import Collection, Iterator
from urllib.parse import quote

from ivory_thistle.core.formats.tiers import TIERS
from ivory_thistle.core.references.markup import Attribute, Tag, escape_attribute, tags
from ivory_thistle.core.references.site import Page
from ivory_thistle.core.references.source import Edit, Source
from ivory_thistle.core.rewriting.attributes import with_more, with_value
from ivory_thistle.core.rewriting.delivery import Delivery, NewFile
from ivory_thistle.core.rewriting.elements import BoxElement
from ivory_thistle.core.rewriting.offers import Form, Offer, srcset


def image_preload(tag: Tag, href: Attribute, delivery: Delivery, element: BoxElement, offer: Offer) -> Iterator[Edit]:
    """A preload with the candidates of an `img` in its best tier."""
    tier = offer.best(element.form >= Form.STEADY)
    if tier is None:
        if offer.src:
            yield with_value(href, offer.src.address)
        return
    candidates = offer.sets[tier]
    yield with_value(href, candidates[-1].address)
    mime = next((f.mime for f in delivery.files if f.path == candidates[-1].path), "")
    extra = f'type="{offer.mimes.get(tier) or mime}"'
    if candidates[-1].descriptor:
        sizes = element.tag.get("sizes")
        said = offer.sizes or (sizes.raw if sizes else "")
        extra += f' imagesrcset="{escape_attribute(srcset(candidates))}"'
        extra += f' imagesizes="{escape_attribute(said)}"' if said else ""
    yield with_more(tag, extra)


def background_file(page: Page, delivery: Delivery, plain: Collection[str]) -> NewFile | None:
    """The file that a page loads for its backgrounds of an original; None where it loads others too."""
    uses = {p.use for p in page.placements if p.file == delivery.path} - {"preload", "social"}
    if uses == {"background"} and delivery.path not in plain:
        return next((f for t in TIERS if (f := delivery.widest(t))), None)
    return delivery.own_size if uses and uses <= {"background", "plain"} else None


def early_preload(source: Source, page: Page, original: str, new: NewFile) -> Edit | None:
    """A preload of what stands for an original, before the page's first style.

    None where the page has one already, or where its addresses start elsewhere.
    """
    sheet = next((tag for tag in tags(source.text) if _is_sheet(tag)), None)
    named = any(p.use == "preload" or p.element == "link" for p in page.placements if p.file == original)
    if sheet is None or named or page.base is not None:
        return None
    address = quote(posixpath.relpath(new.path, page.path.rpartition("/")[0] or "."))
    said = f'rel="preload" as="image" href="{address}" type="{new.mime}" fetchpriority="high"'
    return Edit(sheet.start, sheet.start, f"<link {said}{' />' if sheet.self_closing else '>'}")


def _is_sheet(tag: Tag) -> bool:
    """Whether a tag brings style: a `style` element, or a `link` to a style sheet."""
    rels = (tag.value("rel") or "").lower().split() if tag.name == "link" else ()
    return not tag.closing and (tag.name == "style" or ("stylesheet" in rels and "alternate" not in rels))
