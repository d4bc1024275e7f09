"""A handed-over site held against the original in headless Chromium: page by page, screen by screen, tier by tier.

Chromium shows every format. For the visitors of an older tier, pages and style sheets are served with the media types
of more modern formats changed to an unknown one: `source`s, preloads and `image-set()` that name them are passed over,
as in a browser that can't show them. A picture that is named without its type is shown all the same.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from xml.etree import ElementTree

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.formats.table import FORMATS, extension_of
from ivory_thistle.core.formats.tiers import TIERS, Tier
from ivory_thistle.core.references.site import SiteReading
from ivory_thistle.core.reports.predicted import Predictor
from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.intake.chromium import browser_binary
from ivory_thistle.intake.comparing import Seen, compare_sites
from ivory_thistle.intake.site_server import serve_site
from ivory_thistle.workflows.clock import in_time
from ivory_thistle.workflows.progress import Progress, nothing

_TEXTS = frozenset({"html", "htm", "xhtml", "css"})
_UNKNOWN_TYPE = b"image/x-not-shown"
_TOLERANCE = 0.01
"""The share by which what is loaded may differ from what was foretold."""


@dataclass(frozen=True, slots=True)
class Checked:
    """One page on one screen in one tier: bytes as loaded and as foretold from its markup, and what is wrong."""

    page: str
    screen: str
    tier: Tier
    before: int
    after: int
    foretold: int | None
    wrong: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class CheckReport:
    """Everything that was checked, the pages in order."""

    pages: tuple[Checked, ...]

    @property
    def failed(self) -> tuple[Checked, ...]:
        """What did not pass."""
        return tuple(page for page in self.pages if page.wrong)


def check_sites(
    before: SiteReading,
    read_before: Callable[[str], bytes],
    after: SiteReading,
    read_after: Callable[[str], bytes],
    screens: Sequence[Screen],
    tiers: Sequence[Tier],
    on_page: Progress = nothing,
) -> CheckReport:
    """Compares every page of a site with what was handed over of it. Raises UnusableInput where no browser is."""
    if browser_binary() is None:
        raise UnusableInput("A check needs Chromium; install chromium-headless-shell.")
    pages = sorted(p.path for p in before.pages if not p.is_folder and p.path in before.files)
    there = [path for path in pages if path in after.files]
    foretold = _foretold(after, read_after, screens)
    known: dict[tuple[str, str], Seen] = {}
    found: list[Checked] = [
        Checked(path, screen.name, tier, 0, 0, None, ("The page is not there any more.",))
        for path in pages if path not in after.files for screen in screens for tier in tiers
    ]  # fmt: skip
    done = 0

    def one() -> None:
        nonlocal done
        done += 1
        on_page(done, len(there) * len(screens) * len(tiers))

    for tier in tiers:
        seen: dict[tuple[str, str], Seen] = {}
        with (
            serve_site(before.files, read_before, before.aliases) as old,
            serve_site(after.files, _for_tier(tier, read_after), after.aliases) as new,
        ):
            different = compare_sites(old, new, there, screens, known, one, after=seen)
        wrong: dict[tuple[str, str], list[str]] = defaultdict(list)
        for d in different:
            wrong[d.page, d.screen].append(d.words)
        for path in there:
            for screen in screens:
                key = (path, screen.name)
                found.append(_checked(path, screen.name, tier, known[key], seen.get(key), foretold, wrong[key]))
    order = {path: n for n, path in enumerate(pages)}
    return CheckReport(tuple(sorted(found, key=lambda c: order[c.page])))


def _checked(
    path: str,
    screen: str,
    tier: Tier,
    old: Seen,
    new: Seen | None,
    foretold: dict[tuple[str, str, Tier], dict[str, int]],
    wrong: Sequence[str],
) -> Checked:
    said = list(wrong)
    loaded, promised = new.images if new else {}, foretold.get((path, screen, tier))
    if promised is None:
        said.append("What it loads can't be foretold from its markup.")
    elif new and not new.problem:
        said += _off(loaded, promised)
    total = sum(promised.values()) if promised is not None else None
    return Checked(path, screen, tier, sum(old.images.values()), sum(loaded.values()), total, tuple(said))


def _off(loaded: dict[str, int], promised: dict[str, int]) -> Iterator[str]:
    """How what is loaded differs from what was foretold, where that is more than the tolerance."""
    weighs, should = sum(loaded.values()), sum(promised.values())
    if abs(weighs - should) <= _TOLERANCE * max(should, 1):
        return
    yield f"{weighs:,} bytes of images are loaded; its markup foretells {should:,}."
    for words, some, others in (("loaded", loaded, promised), ("foretold", promised, loaded)):
        alone = sorted(some.keys() - others.keys())
        if alone:
            yield f"Only {words}: {', '.join(alone[:5])}."


def _foretold(
    site: SiteReading, read: Callable[[str], bytes], screens: Sequence[Screen]
) -> dict[tuple[str, str, Tier], dict[str, int]]:
    """Bytes by path of what each page loads on each screen in each tier, scrolled through."""
    found: dict[tuple[str, str, Tier], dict[str, int]] = {}
    for one in Predictor(site, read, screens, in_time).loads(site, read, ()):
        found[one.page, one.screen, one.tier] = {f"/{loaded.path}": loaded.bytes for loaded in one.after}
    return found


def _for_tier(tier: Tier, read: Callable[[str], bytes]) -> Callable[[str], bytes]:
    """A reader of the site's files as a browser of the tier takes them."""
    order = list(TIERS)
    hidden = [FORMATS[TIERS[t].format].mime.encode() for t in order[: order.index(tier)] if TIERS[t].in_chromium]
    if not hidden:
        return read

    def of_tier(path: str) -> bytes:
        data = read(path)
        if extension_of(path) in _TEXTS:
            for mime in hidden:
                data = data.replace(mime, _UNKNOWN_TYPE)
        return data

    return of_tier


def check_json(report: CheckReport) -> dict[str, object]:
    """The report as plain values."""
    return {
        "passed": not report.failed,
        "pages": [
            {
                "page": c.page, "screen": c.screen, "tier": c.tier, "before": c.before, "after": c.after,
                "foretold": c.foretold, "wrong": list(c.wrong),
            }
            for c in report.pages
        ],
    }  # fmt: skip


def check_junit(report: CheckReport) -> bytes:
    """The report as JUnit XML: a suite for each screen and tier, a case for each page."""
    suites: dict[tuple[str, Tier], list[Checked]] = defaultdict(list)
    for checked in report.pages:
        suites[checked.screen, checked.tier].append(checked)
    root = ElementTree.Element("testsuites", tests=str(len(report.pages)), failures=str(len(report.failed)))
    for (screen, tier), cases in suites.items():
        failures = str(sum(bool(c.wrong) for c in cases))
        suite = ElementTree.SubElement(
            root, "testsuite", name=f"{screen}, {tier}", tests=str(len(cases)), failures=failures
        )
        for c in cases:
            case = ElementTree.SubElement(suite, "testcase", classname=f"{screen}.{tier}", name=c.page)
            for words in c.wrong:
                ElementTree.SubElement(case, "failure", message=_printable(words))
    return bytes(ElementTree.tostring(root, encoding="utf-8", xml_declaration=True))


def _printable(words: str) -> str:
    """Without the characters that XML can't hold."""
    return "".join(c if c.isprintable() else "\N{REPLACEMENT CHARACTER}" for c in words)
