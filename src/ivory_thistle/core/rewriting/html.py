"""Pages rewritten by position: `img` becomes `picture` with avif, webp and fallback."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from ivory_thistle.core.references.css import read_css, read_style_attribute
from ivory_thistle.core.references.markup import Attribute, Tag, escape_attribute, tags
from ivory_thistle.core.references.page import declared_length
from ivory_thistle.core.references.site import Page, Placement
from ivory_thistle.core.references.source import Edit, Source
from ivory_thistle.core.rewriting.css import Outcomes, rewrite_declarations
from ivory_thistle.core.rewriting.delivery import Delivery, NewFile, sibling_address
from ivory_thistle.core.selection.tier import MODERN_TIERS, TIERS, Tier

WRAPPER = '<picture style="display:contents">'
"""The added element takes no part in the layout: flex and grid items, widths and floats stay the `img`'s."""

SIZED_RULE = "<style>:where(img[data-thistle=sized]){height:auto}</style>"
"""Where a page's style sheets may cap an image's width only, a height attribute would stretch it. A rule of
no specificity undoes that and loses against every rule of the page."""


@dataclass(slots=True)
class PageRewrite:
    """The edits of one page, and for each rewritten placement (by its start) the file each tier gets."""

    edits: list[Edit] = field(default_factory=list)
    outcomes: Outcomes = field(default_factory=dict)


def rewrite_page(source: Source, page: Page, deliveries: Mapping[str, Delivery]) -> PageRewrite:
    """All edits of a page's own source. `page` is its reading, `deliveries` are by original path."""
    return _PageRewriter(source, page, deliveries).run()


class _PageRewriter:
    def __init__(self, source: Source, page: Page, deliveries: Mapping[str, Delivery]) -> None:
        self.source, self.page, self.deliveries = source, page, deliveries
        self.result = PageRewrite()
        self.by_tag: dict[int, list[Placement]] = {}
        for p in page.placements:
            if p.source == page.path:
                self.by_tag.setdefault(p.tag_start, []).append(p)
        self.head_at: int | None = None
        self.sized = False
        self.spared = self._spared_images()

    def run(self) -> PageRewrite:
        in_picture = False
        for tag in tags(self.source.text):
            if tag.name == "picture":
                in_picture = not tag.closing
            elif tag.closing:
                continue
            self._note_head(tag)
            placements = self.by_tag.get(tag.start, [])
            if tag.name == "img":
                self._image(tag, placements, in_picture)
            elif tag.name == "source":
                self._source(tag, [p for p in placements if p.use == "candidate"])
            elif tag.name == "link":
                self._preload(tag, placements)
            self._styles(tag, placements)
        if self.sized and self.head_at is not None:
            self.result.edits.append(Edit(self.head_at, self.head_at, SIZED_RULE))
        return self.result

    def _note_head(self, tag: Tag) -> None:
        """The place for a rule before every style sheet: right after `<head>`, else before all elements."""
        if tag.name == "head":
            self.head_at = tag.end
        elif self.head_at is None and tag.name != "html":
            self.head_at = tag.start

    def _image(self, tag: Tag, placements: list[Placement], in_picture: bool) -> None:
        single = next((p for p in placements if p.use == "single"), None)
        candidates = [p for p in placements if p.use == "candidate"]
        modern = tag.start not in self.spared
        if candidates:
            sources = self._candidate_sources(tag, candidates) if modern else []
            changed = self._replace_candidates(tag, candidates)
            if single and (delivery := self.deliveries.get(single.file or "")):
                changed |= self._replace_src(tag, single, delivery.widest("baseline"))
                self._outcome(single, delivery, 0, modern)
        elif single and (delivery := self.deliveries.get(single.file or "")):
            sources, changed = self._single_image(tag, single, delivery, modern)
        else:
            return
        if sources or changed:
            self._size(tag, single or candidates[0])
        if sources:
            opening, closing = ("", "") if in_picture else (WRAPPER, "</picture>")
            self.result.edits.append(Edit(tag.start, tag.start, opening + "".join(sources)))
            if closing:
                self.result.edits.append(Edit(tag.end, tag.end, closing))

    def _spared_images(self) -> set[int]:
        """Where the tags begin of the `img`s that get no `picture` around them."""
        spared, in_picture = set(), False
        if self.page.positional:
            for tag in tags(self.source.text):
                if tag.name == "picture":
                    in_picture = not tag.closing
                elif tag.name == "img" and not tag.closing and not in_picture and self._selected_by_place(tag):
                    spared.add(tag.start)
        return spared

    def _selected_by_place(self, tag: Tag) -> bool:
        """True where a style sheet picks this `img` as a child or by number: an element around it would hide it."""
        names = {f".{c}" for c in (tag.value("class") or "").lower().split()}
        names |= {"img", "*", f"#{(tag.value('id') or '').strip().lower()}"}
        return not names.isdisjoint(self.page.positional)

    def _single_image(self, tag: Tag, placement: Placement, delivery: Delivery, modern: bool) -> tuple[list[str], bool]:
        """Sources for an `img` with one address (none unless `modern`), and whether the `img` itself changed."""
        slot = placement.declared_width
        sizes = sizes_for(slot or delivery.width)
        sources = []
        for tier in MODERN_TIERS:
            rungs = delivery.rungs(tier, slot)
            if rungs and modern:
                offer = self._offer(placement.address, rungs, delivery)
                sources.append(_source_tag(rungs[0].mime, offer, "" if " " not in offer else sizes, tag))
        fallback = delivery.rungs("baseline", slot)
        changed = self._replace_src(tag, placement, fallback[-1] if fallback else None)
        if len(fallback) > 1 and not tag.get("sizes"):
            offer = self._offer(placement.address, fallback, delivery)
            self._add(tag, f'srcset="{escape_attribute(offer)}" sizes="{sizes}"')
        self._outcome(placement, delivery, slot, modern)
        return sources, changed

    def _offer(self, address: str, rungs: Iterable[NewFile], delivery: Delivery) -> str:
        """A srcset of the rungs; without descriptors where one file of the original's width is all."""
        rungs = tuple(rungs)
        if len(rungs) == 1 and rungs[0].width == delivery.width:
            return sibling_address(address, rungs[0].path)
        return ", ".join(f"{sibling_address(address, f.path)} {f.width}w" for f in rungs)

    def _candidate_sources(self, tag: Tag, candidates: list[Placement]) -> list[str]:
        """For each modern tier in which every candidate has a file: a source like the tag's own srcset."""
        sources = []
        for tier in MODERN_TIERS:
            offers, mime = [], ""
            for p in candidates:
                delivery = self.deliveries.get(p.file or "")
                new = delivery.widest(tier) if delivery else None
                if not delivery or not new:
                    break
                mime = new.mime
                offers.append(f"{sibling_address(p.address, new.path)} {_descriptor(p, delivery, new)}".strip())
            else:
                sources.append(_source_tag(mime, ", ".join(offers), None, tag))
                for p in candidates:
                    new = self.deliveries[p.file or ""].widest(tier)
                    assert new is not None
                    self.result.outcomes.setdefault((p.source, p.start), {})[tier] = new.path
        return sources

    def _replace_candidates(self, tag: Tag, candidates: list[Placement]) -> bool:
        """Puts fallback renditions in the place of candidates; true when anything changed."""
        attribute = tag.get("srcset")
        assert attribute is not None
        parts, changed = [], False
        for p in candidates:
            delivery = self.deliveries.get(p.file or "")
            new = delivery.widest("baseline") if delivery else None
            if delivery and new:
                changed = True
                parts.append(f"{sibling_address(p.address, new.path)} {_descriptor(p, delivery, new)}".strip())
                self.result.outcomes.setdefault((p.source, p.start), {})["baseline"] = new.path
            else:
                parts.append(f"{p.address} {p.descriptor}".strip())
        if changed:
            self._set_value(attribute, ", ".join(parts))
        return changed

    def _source(self, tag: Tag, candidates: list[Placement]) -> None:
        if not candidates:
            return
        sources = self._candidate_sources(tag, candidates)
        self._replace_candidates(tag, candidates)
        if sources:
            self.result.edits.append(Edit(tag.start, tag.start, "".join(sources)))

    def _preload(self, tag: Tag, placements: list[Placement]) -> None:
        """Points a preload at what the `img` of the same file will load, in the best tier."""
        placement = next((p for p in placements if p.use == "preload"), None)
        delivery = self.deliveries.get(placement.file or "") if placement else None
        if not placement or not delivery:
            return
        user = next((p for p in self.page.placements if p.file == placement.file and p.use != "preload"), None)
        slot = user.declared_width if user and user.use == "single" else 0
        modern = not (user and user.tag_start in self.spared)
        tiers: tuple[Tier, ...] = TIERS if modern else ("baseline",)
        tier = next((t for t in tiers if delivery.rungs(t, slot)), None)
        if not tier:
            return
        rungs = delivery.rungs(tier, slot)
        href = tag.get("href")
        assert href is not None
        self._set_value(href, sibling_address(placement.address, rungs[-1].path))
        extra = f'type="{rungs[-1].mime}"'
        if user and user.use == "single":
            offer = self._offer(placement.address, rungs, delivery)
            if " " in offer:
                sizes = sizes_for(slot or delivery.width)
                extra += f' imagesrcset="{escape_attribute(offer)}" imagesizes="{sizes}"'
        self._add(tag, extra)
        self._outcome(placement, delivery, slot, modern)

    def _styles(self, tag: Tag, placements: list[Placement]) -> None:
        """Backgrounds in the tag's `style` attribute or in a `style` element."""
        used = [p for p in placements if p.use == "background" and p.file in self.deliveries]
        if not used:
            return
        for p_attribute in ("style", "css"):
            group = [p for p in used if p.attribute == p_attribute]
            attribute = tag.get("style")
            if not group:
                continue
            if p_attribute == "style" and attribute:
                text, offset = attribute.raw, attribute.value_start
                sheet = read_style_attribute(text)
                quote = "'" if attribute.quote == '"' else '"'
            elif tag.raw_text:
                text, offset = self.source.text[slice(*tag.raw_text)], tag.raw_text[0]
                sheet, quote = read_css(text), '"'
            else:
                continue
            edits, outcomes = rewrite_declarations(text, sheet, group, self.deliveries, offset, quote)
            self.result.edits += edits
            self.result.outcomes.update(outcomes)

    def _outcome(self, placement: Placement, delivery: Delivery, slot: int, modern: bool = True) -> None:
        tiers = TIERS if modern else ("baseline",)
        got: dict[Tier, str] = {t: f.path for t in tiers if (f := delivery.widest(t, slot))}
        if got:
            self.result.outcomes[(placement.source, placement.start)] = got

    def _replace_src(self, tag: Tag, placement: Placement, new: NewFile | None) -> bool:
        attribute = tag.get("src")
        if not new or not attribute:
            return False
        self._set_value(attribute, sibling_address(placement.address, new.path))
        return True

    def _set_value(self, attribute: Attribute, value: str) -> None:
        if attribute.quote:
            escaped = escape_attribute(value, attribute.quote)
            self.result.edits.append(Edit(attribute.value_start, attribute.value_end, escaped))
        else:
            new = f'{attribute.name}="{escape_attribute(value)}"'
            self.result.edits.append(Edit(attribute.start, attribute.end, new))

    def _add(self, tag: Tag, attributes: str) -> None:
        """Adds attributes after the tag's last one."""
        at = tag.attributes[-1].end if tag.attributes else tag.start + 1 + len(tag.name)
        at = max(at, *(a.end for a in tag.attributes)) if len(tag.attributes) > 1 else at
        self.result.edits.append(Edit(at, at, f" {attributes}"))

    def _size(self, tag: Tag, placement: Placement) -> None:
        """Gives width and height where they are missing, in the original's proportions."""
        delivery = self.deliveries.get(placement.file or "")
        has_width, has_height = tag.get("width"), tag.get("height")
        if not delivery or not delivery.height or (has_width and has_height):
            return
        width, height = declared_length(tag, "width"), declared_length(tag, "height")
        if (has_width and not width) or (has_height and not height):
            return
        if not self.page.sizes_freely and self.head_at is None:
            return
        if has_width:
            new = f'height="{max(1, round(width * delivery.height / delivery.width))}"'
        elif has_height:
            new = f'width="{max(1, round(height * delivery.width / delivery.height))}"'
        else:
            w, h = _intrinsic(placement, delivery)
            new = f'width="{w}" height="{h}"'
        if not self.page.sizes_freely:
            new += ' data-thistle="sized"'
            self.sized = True
        self._add(tag, new)


def _intrinsic(placement: Placement, delivery: Delivery) -> tuple[int, int]:
    """The size in CSS px that the original had by itself; an `x` candidate counts by its density."""
    density = float(placement.descriptor[:-1]) if placement.descriptor.endswith("x") else 1.0
    return max(1, round(delivery.width / (density or 1))), max(1, round(delivery.height / (density or 1)))


def sizes_for(width: int) -> str:
    """The `sizes` of an image that is so many CSS px wide where there is room (estimated from markup)."""
    return f"(max-width: {width}px) 100vw, {width}px"


def _descriptor(placement: Placement, delivery: Delivery, new: NewFile) -> str:
    """The candidate's descriptor scaled with its pixels, so that the size it is shown at stays the same."""
    share = new.width / delivery.width
    if placement.descriptor.endswith("w"):
        return f"{max(1, round(int(placement.descriptor[:-1]) * share))}w"
    density = float(placement.descriptor[:-1]) if placement.descriptor else 1.0
    if share == 1:
        return placement.descriptor
    return f"{density * share:.4g}x"


def _source_tag(mime: str, srcset: str, sizes: str | None, like: Tag) -> str:
    """A `source`; with sizes None, media and sizes are copied as they stand in the tag it goes before."""
    attributes = [f'type="{mime}"', f'srcset="{escape_attribute(srcset)}"']
    if sizes:
        attributes.append(f'sizes="{sizes}"')
    elif sizes is None:
        for name in ("media", "sizes"):
            found = like.get(name)
            if found and (name == "sizes" or like.name == "source"):
                quote = found.quote or '"'
                attributes.append(f"{name}={quote}{found.raw}{quote}")
    return f"<source {' '.join(attributes)}{' /' if like.self_closing else ''}>"
