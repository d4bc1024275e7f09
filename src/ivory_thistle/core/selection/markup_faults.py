"""Faults in the markup that selects pictures (`srcset`, `sizes`, `picture`), with line and consequence."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field

from ivory_thistle.core.faults import Fault, FaultKind
from ivory_thistle.core.formats.table import format_of_mime
from ivory_thistle.core.references.markup import Tag, passing_over, tags
from ivory_thistle.core.references.page import attribute_text
from ivory_thistle.core.references.source import Source
from ivory_thistle.core.references.srcset import Candidate, parse_srcset
from ivory_thistle.core.selection.lengths import comma_parts, component_values, significant, source_length_in_px
from ivory_thistle.core.selection.media import is_understood
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS

_HINT = re.compile(r"srcset|<picture", re.IGNORECASE)
_ALSO_KNOWN = "image/jxl"


@dataclass(slots=True)
class _Picture:
    """A `picture` being read: how many `img`s it holds, and the source that ends every choice."""

    tag: Tag
    images: int = 0
    always_taken: Tag | None = None


@dataclass(slots=True)
class _Reader:
    path: str
    source: Source
    found: list[Fault] = field(default_factory=list)
    picture: _Picture | None = None

    def say(self, kind: FaultKind, message: str, at: int) -> None:
        self.found.append(Fault(kind, self.path, message, self.source.line_of(at)))

    def text(self, tag: Tag, name: str) -> str | None:
        return attribute_text(tag, name, self.source)

    def read(self) -> list[Fault]:
        over = passing_over(frozenset({"picture", "source", "img", "link"}), frozenset({"picture"}), frozenset())
        for tag in tags(self.source.text, over):
            if tag.name == "picture":
                self.end_picture()
                self.picture = None if tag.closing else _Picture(tag)
            elif tag.closing:
                continue
            elif tag.name == "img":
                if self.picture:
                    self.picture.images += 1
                self.candidates(tag, "srcset", "sizes", self.text(tag, "src"))
            elif tag.name == "source" and self.picture:
                self.source_element(tag, self.picture)
            elif tag.name == "link" and tag.get("imagesrcset"):
                self.candidates(tag, "imagesrcset", "imagesizes", self.text(tag, "href"))
        self.end_picture()
        return self.found

    def end_picture(self) -> None:
        if self.picture and not self.picture.images:
            self.say("picture-source", "A picture without an img shows nothing.", self.picture.tag.start)
        self.picture = None

    def source_element(self, tag: Tag, picture: _Picture) -> None:
        at = tag.start
        if picture.images:
            self.say("picture-source", "A source behind the img of its picture is never used; put it before.", at)
            return
        if picture.always_taken:
            self.say("picture-source", "A source before this one is always taken, so this one is never used.", at)
        if tag.get("srcset") is None:
            hint = " Its src counts only in video and audio." if tag.get("src") else ""
            self.say("picture-source", f"A source of a picture needs a srcset; without one it is skipped.{hint}", at)
            return
        self.candidates(tag, "srcset", "sizes", None)
        media, kind = self.text(tag, "media"), (self.text(tag, "type") or "").split(";")[0].strip().lower()
        if media and not is_understood(media):
            self.say("media-unusable", f'The media condition "{media}" is not understood and never matches.', at)
        if kind and kind != _ALSO_KNOWN and not format_of_mime(kind):
            self.say("picture-source", f'No browser shows the type "{kind}", so this source is never used.', at)
        if not media and not kind and parse_srcset(self.text(tag, "srcset") or "").candidates:
            picture.always_taken = tag

    def candidates(self, tag: Tag, srcset: str, sizes: str, fallback: str | None) -> None:
        attribute = tag.get(srcset)
        if not attribute:
            return
        at = attribute.value_start
        parsed = parse_srcset(self.text(tag, srcset) or "")
        for error in parsed.errors:
            self.say("srcset-unusable", f"{error} Browsers leave this candidate out.", at)
        if not parsed.candidates:
            if not parsed.errors:
                self.say("srcset-unusable", "A srcset without any candidate is as if there were none.", at)
            return
        self.kinds(parsed.candidates, at)
        self.sizes(tag, sizes, any(c.width for c in parsed.candidates), at)
        if tag.name == "img" and not fallback:
            self.say("srcset-unusable", "An img with a srcset but no src shows nothing where srcset is unknown.", at)

    def kinds(self, candidates: tuple[Candidate, ...], at: int) -> None:
        widths = [c for c in candidates if c.width]
        if widths and len(widths) < len(candidates):
            other = next(c for c in candidates if not c.width)
            message = f"The srcset mixes widths (w) with densities (x); {other.address} is not chosen as meant."
            self.say("srcset-mixed", message, at)
        seen: dict[str, Candidate] = {}
        for c in candidates:
            label = c.descriptor or "1x"
            if label == "0x":
                self.say("srcset-unusable", f"{c.address} is labelled 0x, a density that no screen has.", at)
            if label in seen:
                first = seen[label].address
                self.say("srcset-duplicate", f"{c.address} is never used: {first} is labelled {label} too.", at)
            seen.setdefault(label, c)

    def sizes(self, tag: Tag, name: str, by_width: bool, at: int) -> None:
        value = self.text(tag, name)
        lazy_auto = (tag.value("loading") or "").lower() == "lazy"
        if by_width and value is None:
            message = f"A srcset of widths without {name}: browsers take the image to fill the whole width (100vw)."
            self.say("sizes-missing", message, at)
        elif value is not None and not by_width:
            self.say("sizes-unused", f"{name} counts only where the srcset labels widths (w).", at)
        for part, why in _unusable_sizes(value or "") if by_width else ():
            if part != "auto" or not lazy_auto:
                self.say("sizes-unusable", f'The part "{part}" of {name} is skipped: {why}.', at)


def _unusable_sizes(sizes: str) -> Iterator[tuple[str, str]]:
    """The parts that browsers skip on every screen, each with the reason."""
    for part in comma_parts(component_values(sizes)):
        nodes = significant(part)
        words = "".join(n.serialize() for n in part).strip()
        if not nodes:
            continue
        length = source_length_in_px(nodes[-1], DEFAULT_SCREENS[0])
        condition = "".join(n.serialize() for n in nodes[:-1]).strip()
        if words == "auto":
            yield words, "auto works only with loading=lazy"
        elif length is None:
            yield words, "it gives no length"
        elif condition and not is_understood(condition):
            yield words, "its condition is not understood"


def markup_faults(path: str, source: Source) -> list[Fault]:
    """Everything wrong in how a page's markup selects its pictures, in source order."""
    return _Reader(path, source).read() if _HINT.search(source.text) else []
