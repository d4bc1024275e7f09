"""Pages rewritten by position: an `img` gets a `picture` around it, or candidates of its own, as its page allows."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass, field

from ivory_thistle.core.faults import Fault
from ivory_thistle.core.formats.table import FORMATS
from ivory_thistle.core.formats.tiers import BASELINE, TIERS, Tier, modern_tiers
from ivory_thistle.core.references.css import read_css, read_style_attribute
from ivory_thistle.core.references.markup import Attribute, Tag, escape_attribute, tags
from ivory_thistle.core.references.page import declared_length
from ivory_thistle.core.references.site import Image, Page, Placement
from ivory_thistle.core.references.source import Edit, Source
from ivory_thistle.core.rewriting.attributes import card_size, card_sizes, with_more, with_value
from ivory_thistle.core.rewriting.css import Outcomes, rewrite_declarations
from ivory_thistle.core.rewriting.delivery import Delivery, NewFile, sibling_address
from ivory_thistle.core.rewriting.elements import BoxElement, PageTerms, Timing, elements_of, families
from ivory_thistle.core.rewriting.offers import Box, Form, Offer, set_offer, single_offer, srcset
from ivory_thistle.core.rewriting.preloads import background_file, early_preload, image_preload

WRAPPER = '<picture style="display:contents">'
"""The added element has no box: flex and grid items, widths and floats stay the `img`'s."""
NOT_LOADED = frozenset({"link", "manifest", "meta"})
"""Elements that name pictures no page loads for its boxes; a preload's candidates are told apart by their attribute."""


@dataclass(slots=True)
class PageRewrite:
    """The edits of one page, and for each rewritten placement (by its start) the file each tier gets.

    `offered` are the new files that the page names. `plain` are files that the page's other boxes load without
    fallback: style sheets that it shares must do so too.
    """

    edits: list[Edit] = field(default_factory=list)
    outcomes: Outcomes = field(default_factory=dict)
    offered: set[str] = field(default_factory=set)
    plain: set[str] = field(default_factory=set)
    notes: list[Fault] = field(default_factory=list)
    forms: dict[int, Form] = field(default_factory=dict)


def rewrite_page(
    source: Source,
    page: Page,
    deliveries: Mapping[str, Delivery],
    images: Mapping[str, Image],
    allowed: PageTerms,
) -> PageRewrite:
    """All edits of a page's own source. `page` is its reading; `deliveries` and `images` are by original path."""
    return _PageRewriter(source, page, deliveries, images, allowed).run()


class _PageRewriter:
    def __init__(
        self,
        source: Source,
        page: Page,
        deliveries: Mapping[str, Delivery],
        images: Mapping[str, Image],
        allowed: PageTerms,
    ) -> None:
        self.source, self.page, self.images, self.allowed = source, page, images, allowed
        self.deliveries = {path: d for path, d in deliveries.items() if path not in allowed.left}
        self.result = PageRewrite()
        self.by_tag: dict[int, list[Placement]] = defaultdict(list)
        for p in page.placements:
            if p.source == page.path:
                self.by_tag[p.tag_start].append(p)
        self.tags = [tag for tag in tags(source.text) if tag.start in self.by_tag]
        self.card_sizes = card_sizes(source)
        self.elements = elements_of(source, self.by_tag, allowed)
        self.boxes: dict[str, Box] = {}
        self._agree()

    def run(self) -> PageRewrite:
        offers: dict[str, tuple[BoxElement, Offer]] = {}
        for element in self.elements:
            offer = self._offer(element)
            self._rewrite(element, offer)
            if element.single and element.single.file:
                offers.setdefault(element.single.file, (element, offer))
            if element.tag.name == "img":
                self.result.forms[element.tag.start] = element.form
                self._time(element)
        for tag in self.tags:
            placements = self.by_tag[tag.start]
            for p in placements:
                if p.use == "preload":
                    self._preload(tag, p, offers.get(p.file or ""))
                elif p.use == "plain" and p.attribute not in ("css", "style"):
                    self._plain(tag, p)
                elif p.use == "social":
                    self._card(tag, p)
            self._styles(tag, placements)
        self._find_early()
        return self.result

    def _find_early(self) -> None:
        """Names the background that is the page's largest paint before the style sheets that lead to it."""
        path = self.allowed.preload
        delivery = self.deliveries.get(path) if path not in self.allowed.behind else None
        new = background_file(self.page, delivery, self.allowed.plain | self.result.plain) if delivery else None
        edit = early_preload(self.source, self.page, delivery.path, new) if delivery and new else None
        if new and edit:
            self.result.edits.append(edit)
            self.result.offered.add(new.path)

    def _agree(self) -> None:
        """One form for all boxes of the page that show the same files: else a browser would load several."""
        caps = self._caps()
        for members in families(self.elements):
            files = {f for e in members for f in e.files}
            form = min((e.form for e in members), default=Form.LEFT)
            if any(e.candidates for e in members) and any(e.single and not e.candidates for e in members):
                form = min(form, Form.SAME)
            behind = {p.file for p in self.page.placements if p.use == "background"} & files
            if behind and form < Form.STEADY:
                self.result.plain |= {f for f in behind if f}
                form = min(form, Form.SAME)
            form = min([form, *(caps[f] for f in files if f in caps)])
            # A finer ladder could lead boxes of two sizes to two files where they shared one.
            for e in members:
                e.form = form
            apart = len({(e.offered, e.sizes or e.tag.value("sizes"), e.terms.fixed) for e in members}) > 1
            for e in members:
                e.apart = apart
            singles = [e for e in members if e.single and not e.candidates]
            box = self._box(singles, bool(behind))
            self.boxes |= dict.fromkeys(files, box)

    def _box(self, elements: list[BoxElement], shared: bool) -> Box:
        """The box that all `img`s of one file take their file for: the widest."""
        declared = [e.single.declared_width if e.single else 0 for e in elements]
        fixed = bool(elements) and all(e.terms.fixed for e in elements)
        known = fixed and all(declared) and all(e.terms.as_declared for e in elements)
        said = {e.sizes for e in elements}
        sizes = said.pop() if len(said) == 1 else ""
        return Box(max(declared, default=0) if known else 0, fixed, shared, sizes)

    def _caps(self) -> dict[str, Form]:
        """Files that the page loads for boxes that can't choose: the others must load the same."""
        caps: dict[str, Form] = {}
        for p in self.page.placements:
            if not p.file or (p.element in NOT_LOADED and p.attribute != "imagesrcset"):
                continue
            if p.use == "kept":
                caps[p.file] = Form.LEFT
            elif p.use == "plain" or (p.use == "background" and p.file in self.allowed.plain):
                caps.setdefault(p.file, Form.SAME)
        for path, cap in caps.items():
            if cap == Form.LEFT:
                self.deliveries.pop(path, None)
        self.result.plain |= set(caps)
        return caps

    def _offer(self, element: BoxElement) -> Offer:
        if element.candidates:
            # Without images, nothing is known to be one picture.
            images = self.images if not element.apart else {}
            box = Box(fixed=element.terms.fixed, sizes=element.sizes)
            return set_offer(element.candidates, element.single, self.deliveries, images, element.form, box)
        assert element.single is not None
        delivery = self.deliveries.get(element.single.file or "")
        if not delivery:
            return Offer()
        box = self.boxes.get(delivery.path, Box())
        return single_offer(element.single.address, delivery, element.form, box)

    def _rewrite(self, element: BoxElement, offer: Offer) -> None:
        tag, modern = element.tag, element.form >= Form.STEADY
        sources = [self._source_tag(element, offer, t) for t in modern_tiers() if offer.sets.get(t)] if modern else []
        changed = self._own_set(element, offer)
        src = tag.get("src")
        if offer.src and src and element.single:
            self._set_value(src, offer.src.address)
            changed = True
        if not (sources or changed):
            return
        if element.terms.sizable and element.single and not element.candidates and modern:
            self._size(tag, self.deliveries[element.single.file or ""])
        if sources:
            wrap = tag.name == "img" and not element.in_picture
            self.result.edits.append(Edit(tag.start, tag.start, (WRAPPER if wrap else "") + "".join(sources)))
            if wrap:
                self.result.edits.append(Edit(tag.end, tag.end, "</picture>"))
        if offer.corrected:
            line = self.source.line_of(tag.start)
            message = "srcset told wrong widths of its files; the new one tells the true ones."
            where = f"{self.page.path}, line {line}"
            self.result.notes.append(Fault("labels-corrected", self.page.path, f"{where}: {message}", line))
        self._note(element, offer, modern)

    def _own_set(self, element: BoxElement, offer: Offer) -> bool:
        """Gives the element itself its candidates; true when anything changed."""
        own = offer.sets.get(BASELINE)
        if not own:
            return False
        attribute = element.tag.get("srcset")
        sizes = offer.sizes if offer.sizes and own[0].descriptor.endswith("w") else ""
        said = element.tag.get("sizes")
        if said and sizes:
            self._set_value(said, sizes)
        added = [f'sizes="{sizes}"'] if sizes and not said else []
        if attribute:
            self._set_value(attribute, srcset(own))
        else:
            added.insert(0, f'srcset="{escape_attribute(srcset(own))}"')
        if added:
            self._add(element.tag, " ".join(added))
        return True

    def _time(self, element: BoxElement) -> None:
        """The largest picture of the first screen at once and before others; what no first screen shows, later.

        Only a picture whose place is kept free may come later: else the page would move under who reads it.
        """
        tag, loading = element.tag, element.tag.get("loading")
        is_lazy = (tag.value("loading") or "").lower() == "lazy"
        if element.form == Form.LEFT or element.terms.by_script or element.timing is None:
            return
        if element.timing is Timing.FIRST:
            if loading and is_lazy:
                self._set_value(loading, "eager")
            if not tag.get("fetchpriority"):
                self._add(tag, 'fetchpriority="high"')
        kept_free = declared_length(tag, "width") and declared_length(tag, "height")
        if element.timing is Timing.LATER and not loading and kept_free and element.form >= Form.LADDER:
            decoding = "" if tag.get("decoding") else ' decoding="async"'
            self._add(tag, f'loading="lazy"{decoding}')

    def _note(self, element: BoxElement, offer: Offer, modern: bool) -> None:
        """Keeps what each tier is given for the element, and which new files it names."""
        tiers = TIERS if modern else (BASELINE,)
        got: dict[Tier, str] = {t: offer.sets[t][-1].path for t in tiers if offer.sets.get(t)}
        if BASELINE not in got and offer.src:
            got[BASELINE] = offer.src.path
        for p in [*element.candidates, *([element.single] if element.single else [])]:
            self.result.outcomes[p.source, p.start] = got
        named = [c.path for t in tiers for c in offer.sets.get(t, ())] + ([offer.src.path] if offer.src else [])
        self.result.offered |= set(named)

    def _source_tag(self, element: BoxElement, offer: Offer, tier: Tier) -> str:
        """A `source` of one tier; media and sizes are copied where the element has its own."""
        candidates = offer.sets[tier]
        attributes = [f'type="{offer.mimes[tier]}"', f'srcset="{escape_attribute(srcset(candidates))}"']
        if offer.sizes and candidates[0].descriptor.endswith("w"):
            attributes.append(f'sizes="{offer.sizes}"')
        for name in ("media", "sizes"):
            found = element.tag.get(name)
            if found and (not offer.sizes if name == "sizes" else element.tag.name == "source"):
                quote = found.quote or '"'
                attributes.append(f"{name}={quote}{found.raw}{quote}")
        # XML needs a value and a closed tag.
        ending = ' hidden="" />' if element.tag.self_closing else " hidden>"
        return f"<source {' '.join(attributes)}{ending}"

    def _preload(self, tag: Tag, placement: Placement, shown: tuple[BoxElement, Offer] | None) -> None:
        """Points a preload at what the boxes of the same file will load, in the best tier."""
        delivery = self.deliveries.get(placement.file or "")
        href = tag.get("href")
        if not delivery or not href:
            return
        if shown:
            self.result.edits += image_preload(tag, href, delivery, *shown)
        elif new := background_file(self.page, delivery, self.allowed.plain):
            self._set_value(href, sibling_address(placement.address, new.path))
            self._add(tag, f'type="{new.mime}"')

    def _plain(self, tag: Tag, placement: Placement) -> None:
        """A poster or the like: a smaller file of the same size."""
        delivery = self.deliveries.get(placement.file or "")
        attribute = tag.get(placement.attribute)
        if delivery and delivery.own_size and attribute:
            self._set_value(attribute, sibling_address(placement.address, delivery.own_size.path))
            self._note_plain(placement, delivery.own_size)

    def _card(self, tag: Tag, placement: Placement) -> None:
        """A social card: a light file of a format that crawlers read, and its size where that is told."""
        delivery = self.deliveries.get(placement.file or "")
        new = (delivery.card or delivery.own_size) if delivery else None
        attribute = tag.get(placement.attribute)
        if not delivery or not new or not attribute or new.bytes >= self.images[delivery.path].facts.bytes:
            return
        self._set_value(attribute, sibling_address(placement.address, new.path))
        self._note_plain(placement, new)
        old, light = (delivery.width, delivery.height), (new.width, new.height)
        self.result.edits += card_size(self.card_sizes, tag, old, light)

    def _note_plain(self, placement: Placement, new: NewFile) -> None:
        self.result.outcomes[placement.source, placement.start] = {BASELINE: new.path}
        self.result.offered.add(new.path)

    def _styles(self, tag: Tag, placements: list[Placement]) -> None:
        """Pictures named in the tag's `style` attribute or in a `style` element."""
        used = [p for p in placements if p.use in ("background", "plain") and p.file in self.deliveries]
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
            plain = self.allowed.plain | self.result.plain
            pieces = self.allowed.behind if p_attribute == "css" else {}
            done = rewrite_declarations(text, sheet, group, self.deliveries, plain, offset, quote, pieces)
            self.result.edits += done.edits
            self.result.outcomes.update(done.outcomes)
            self.result.offered |= done.offered

    def _set_value(self, attribute: Attribute, value: str) -> None:
        self.result.edits.append(with_value(attribute, value))

    def _add(self, tag: Tag, attributes: str) -> None:
        self.result.edits.append(with_more(tag, attributes))

    def _size(self, tag: Tag, delivery: Delivery) -> None:
        """Gives width and height where they are missing, in the original's proportions."""
        if not delivery.height or FORMATS[delivery.files[0].format].vector:
            return
        has_width, has_height = tag.get("width"), tag.get("height")
        width = declared_length(tag, "width")
        if not has_width and not has_height:
            self._add(tag, f'width="{delivery.width}" height="{delivery.height}"')
        elif width and not has_height:
            self._add(tag, f'height="{max(1, round(width * delivery.height / delivery.width))}"')
