"""From `srcset`, `sizes` and `picture` to the one candidate that a browser loads."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

from ivory_thistle.core.references.srcset import parse_srcset
from ivory_thistle.core.selection.lengths import comma_parts, component_values, significant, source_length_in_px
from ivory_thistle.core.selection.media import evaluate_condition, matches_media
from ivory_thistle.core.selection.screen import Screen


@dataclass(frozen=True, slots=True)
class SourceElement:
    """A `source` before an `img` in a `picture`: its attributes' values, None where missing."""

    srcset: str | None
    sizes: str | None = None
    media: str | None = None
    type: str | None = None


@dataclass(frozen=True, slots=True)
class Choice:
    """The candidate chosen: its address, its density (CSS px = pixels / density) and where it stood.

    `source` counts the `picture`'s sources from 0; None is the `img` itself.
    """

    address: str
    density: float
    source: int | None


def source_size(sizes: str | None, screen: Screen, auto_width: float | None = None) -> float:
    """The source size in px that a `sizes` attribute gives; 100vw where it gives none.

    https://html.spec.whatwg.org/#parse-a-sizes-attribute . `auto_width` is the box's width for a lazy image with
    `sizes=auto`.
    """
    for part in comma_parts(component_values(sizes or "")):
        nodes = significant(part)
        if not nodes:
            continue
        if len(nodes) == 1 and nodes[0].type == "ident" and nodes[0].lower_value == "auto":
            if auto_width is not None:
                return auto_width
            continue
        length = source_length_in_px(nodes[-1], screen)
        if length is None:
            continue
        if len(nodes) == 1:
            return length
        if evaluate_condition(nodes[:-1], screen) is True:
            return length
    return float(screen.width)


def best_candidate(
    src: str | None, srcset: str | None, sizes: str | None, screen: Screen, auto_width: float | None = None
) -> tuple[str, float] | None:
    """Address and density of the candidate of one element.

    https://html.spec.whatwg.org/#update-the-source-set for the set, with `src` as the last candidate at 1x unless
    widths are given. The standard leaves the pick to the browser; ours is Chromium's (found out by asking it, see
    docs/decisions/0005): the smallest density that is not below the screen's, else the largest.
    """
    candidates = list(parse_srcset(srcset).candidates) if srcset is not None else []
    size = source_size(sizes, screen, auto_width) if any(c.width for c in candidates) else 0.0
    by_width = any(c.width for c in candidates)
    found: list[tuple[float, str]] = []
    for c in candidates:
        if c.width:
            found.append((c.width / size if size else float("inf"), c.address))
        else:
            found.append((c.density if c.density is not None else 1.0, c.address))
    if src and not by_width:
        found.append((1.0, src))
    if not found:
        return None
    found.sort(key=lambda f: f[0])
    distinct = [f for n, f in enumerate(found) if n == 0 or f[0] != found[n - 1][0]]
    density, address = distinct[_pick([f[0] for f in distinct], screen.density)]
    return address, density


def _pick(densities: Sequence[float], wanted: float) -> int:
    """Which of the rising densities suits a screen's: the first that is not below it, else the last."""
    return next((n for n, density in enumerate(densities) if density >= wanted), len(densities) - 1)


def choose(
    src: str | None,
    srcset: str | None,
    sizes: str | None,
    sources: Iterable[SourceElement],
    screen: Screen,
    shown_types: frozenset[str],
    auto_width: float | None = None,
) -> Choice | None:
    """The candidate that an `img`, with the `source`s before it in its `picture`, loads.

    https://html.spec.whatwg.org/#update-the-source-set : the first source whose media matches and whose type the
    browser shows and that has a candidate; else the `img`'s own.
    """
    listed = list(sources)
    for number in _usable(listed, screen, shown_types):
        source = listed[number]
        # A source without sizes of its own takes the box of a lazy img whose sizes begin with auto.
        own = source.sizes if source.sizes is not None or not begins_with_auto(sizes) else "auto"
        found = best_candidate(None, source.srcset, own, screen, auto_width)
        if found:
            return Choice(found[0], found[1], number)
    found = best_candidate(src, srcset, sizes, screen, auto_width)
    return Choice(found[0], found[1], None) if found else None


def usable_set(
    src: str | None,
    srcset: str | None,
    sources: Iterable[SourceElement],
    screen: Screen,
    shown_types: frozenset[str],
) -> tuple[str | None, str | None]:
    """The `src` and `srcset` that an `img` chooses among on a screen: those of a source before it, or its own."""
    listed = list(sources)
    for number in _usable(listed, screen, shown_types):
        if parse_srcset(listed[number].srcset or "").candidates:
            return None, listed[number].srcset
    return src, srcset


def _usable(sources: Sequence[SourceElement], screen: Screen, shown_types: frozenset[str]) -> Iterator[int]:
    """The numbers of the sources whose media matches and whose type the browser shows."""
    for number, source in enumerate(sources):
        if source.srcset is None or (source.media is not None and not matches_media(source.media, screen)):
            continue
        if source.type is None or type_is_shown(source.type, shown_types):
            yield number


def begins_with_auto(sizes: str | None) -> bool:
    """Whether a `sizes` attribute begins with the keyword auto."""
    first = significant(comma_parts(component_values(sizes or ""))[0])
    return len(first) == 1 and first[0].type == "ident" and first[0].lower_value == "auto"


def type_is_shown(kind: str, shown_types: frozenset[str]) -> bool:
    """An empty type is as if there were none; parameters after a `;` do not count."""
    bare = kind.split(";", 1)[0].strip("\t\n\f\r ").lower()
    return not bare or bare in shown_types
