"""The elements of a page whose files can be replaced, and what the page allows for each."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

from ivory_thistle.core.references.markup import Tag, tags
from ivory_thistle.core.references.pictures import Pictures
from ivory_thistle.core.references.site import Placement
from ivory_thistle.core.references.source import Source
from ivory_thistle.core.rewriting.css import Pieces
from ivory_thistle.core.rewriting.offers import Form
from ivory_thistle.core.rewriting.surroundings import CAUTIOUS, Terms


class Timing(StrEnum):
    """When the picture of an `img` is wanted, by where it was measured on every screen of the site."""

    FIRST = "first"
    """It is the largest of what some screen shows without scrolling."""
    SOON = "soon"
    """Some screen shows it without scrolling."""
    LATER = "later"
    """No screen does."""


@dataclass(frozen=True, slots=True)
class PageTerms:
    """What a page allows: by `img` (where its tag begins) and the forms that none may go beyond.

    `limits` are by `img` too; `left` are files whose placements stay as they are, `plain` those whose backgrounds take
    one address. `most` holds for all. `sizes` and `timing` follow from measured boxes, by `img` as well.
    `preload` is the background that is the largest paint, `behind` are those with several widths.
    """

    terms: Mapping[int, Terms] = field(default_factory=dict)
    limits: Mapping[int, Form] = field(default_factory=dict)
    left: frozenset[str] = frozenset()
    plain: frozenset[str] = frozenset()
    most: Form = Form.STEADY
    sizes: Mapping[int, str] = field(default_factory=dict)
    timing: Mapping[int, Timing] = field(default_factory=dict)
    preload: str = ""
    behind: Mapping[str, Pieces] = field(default_factory=dict)


@dataclass(slots=True)
class BoxElement:
    """An `img` or `source` tag with what it names; `apart`: its candidates are replaced one by one."""

    tag: Tag
    candidates: list[Placement]
    single: Placement | None
    in_picture: bool
    terms: Terms
    form: Form
    apart: bool = False
    measured_sizes: str = ""
    timing: Timing | None = None

    @property
    def sizes(self) -> str:
        """What its measured boxes ask for, where it may be asked by that; empty elsewhere.

        Where a box depends on its picture, only a look in a browser tells whether it bears other sizes.
        """
        return self.measured_sizes if self.form == Form.FREE or self.terms.fixed else ""

    @property
    def offered(self) -> frozenset[tuple[str | None, str]]:
        """Its candidates' files with their descriptors."""
        return frozenset((p.file, p.descriptor) for p in self.candidates)

    @property
    def files(self) -> set[str]:
        """The files among its candidates and its address."""
        named = [*self.candidates, *([self.single] if self.single else [])]
        return {p.file for p in named if p.file}


def elements_of(source: Source, by_tag: Mapping[int, list[Placement]], allowed: PageTerms) -> list[BoxElement]:
    """Every `img` and `source` whose files can be replaced; a source goes by its picture's `img`."""
    found: list[BoxElement] = []
    waiting: list[BoxElement] = []
    pictures = Pictures()
    for tag in tags(source.text):
        pictures.see(tag)
        if tag.name == "picture":
            waiting = []
        if tag.closing or tag.name not in ("img", "source"):
            continue
        placements = by_tag.get(tag.start, [])
        candidates = [p for p in placements if p.use == "candidate"]
        single = next((p for p in placements if p.use == "single"), None)
        terms = allowed.terms.get(tag.start, CAUTIOUS)
        form = min(allowed.most, allowed.limits.get(tag.start, Form.FREE))
        if terms.alone:
            form = min(form, Form.LADDER)
        if terms.by_script:
            form = min(form, Form.SAME)
        element = BoxElement(tag, candidates, single, pictures.inside, terms, form)
        if tag.name == "source":
            waiting.append(element)
        else:
            element.measured_sizes = allowed.sizes.get(tag.start, "")
            element.timing = allowed.timing.get(tag.start)
            for one in waiting:
                one.terms, one.form, one.measured_sizes = terms, form, element.measured_sizes
            waiting = []
        if candidates or single:
            found.append(element)
    return found


def families(elements: Sequence[BoxElement]) -> list[list[BoxElement]]:
    """Elements grouped so that those which share a file stand together."""
    groups = sharing({n: element.files for n, element in enumerate(elements)})
    return [[elements[n] for n in group] for group in groups]


def sharing(files: Mapping[int, Collection[str]]) -> list[list[int]]:
    """Keys grouped so that those which share a file stand together, also by way of others; in order, linear."""
    heads = {key: key for key in files}

    def head(key: int) -> int:
        while heads[key] != key:
            heads[key] = heads[heads[key]]
            key = heads[key]
        return key

    first: dict[str, int] = {}
    for key, named in files.items():
        for file in named:
            heads[head(key)] = head(first.setdefault(file, key))
    groups: dict[int, list[int]] = {}
    for key in files:
        groups.setdefault(head(key), []).append(key)
    return list(groups.values())
