"""What leaves: new files beside the originals, rewritten pages and style sheets, manifest and savings."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

from ivory_thistle.core.faults import Fault
from ivory_thistle.core.formats.tiers import TIERS, Tier, and_older
from ivory_thistle.core.references.site import Image, Page, SiteReading
from ivory_thistle.core.reports.savings import Savings, compute_savings, savings_csv
from ivory_thistle.core.rewriting.css import Outcomes
from ivory_thistle.core.rewriting.delivery import (
    BESIDE_PATTERN,
    IN_PLACE_PATTERN,
    NAMES_PATTERN,
    Delivery,
    NewFile,
    Original,
    plan_delivery,
)
from ivory_thistle.core.rewriting.site import Limits, SiteRewrite
from ivory_thistle.core.rewriting.snippets import server_snippets
from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.core.treatment.form import HandoverForm
from ivory_thistle.core.treatment.rendition import RenditionFacts, fields_of
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.workflows.at_hand import AtHand
from ivory_thistle.workflows.progress import Progress, nothing
from ivory_thistle.workflows.reporting import LoadReport, report
from ivory_thistle.workflows.settling import Settler
from ivory_thistle.workflows.unchanged import settle_unchanged

MANIFEST_KIND = "ivory-thistle-handover"
MANIFEST_NAMES = ("manifest.json", "handover-manifest.json")
_SAVINGS_NAMES = ("savings.csv", "handover-savings.csv")


@dataclass(frozen=True, slots=True)
class TreatedImage:
    """One treated image with the facts of its renditions, the widest step planned, and the words of the decision."""

    image: Image
    renditions: tuple[RenditionFacts, ...]
    words: tuple[str, ...] = ()
    top: int = 0


@dataclass(frozen=True, slots=True)
class Handover:
    """Everything that leaves besides the unchanged originals.

    `new_files` are renditions; `texts` are rewritten pages and style sheets and our own files, by path; `originals` are
    the paths that new files stand for. Where these take the originals' own paths, the originals go below `backup`.
    """

    new_files: tuple[NewFile, ...]
    texts: Mapping[str, bytes]
    rewritten: tuple[str, ...]
    savings: Savings
    faults: tuple[Fault, ...]
    originals: frozenset[str] = frozenset()
    backup: str = ""


def deliveries_of(
    site: SiteReading,
    treated: Sequence[TreatedImage],
    names: str = NAMES_PATTERN,
    replacing: bool = False,
    form: HandoverForm = HandoverForm.MARKUP,
) -> Mapping[str, Delivery]:
    """The new files of a site by original path, named; `names` and `replacing` are as in `plan_delivery`.

    Where the markup stays, names follow from the form alone.
    """
    used = {path for page in site.pages for path in page.files}
    if not form.rewrites:
        used = {path for t in treated for path in t.image.paths}
        replacing = form is HandoverForm.IN_PLACE
        names = IN_PLACE_PATTERN if replacing else BESIDE_PATTERN
    originals = [
        Original(path, t.image.facts.width, t.image.facts.height, t.renditions, t.top)
        for t in treated
        for path in t.image.paths
        if path in used
    ]
    return plan_delivery(originals, site.index, names, replacing)


@dataclass(frozen=True, slots=True)
class Delivered:
    """A handover with what its pages were found to bear, and what they load."""

    handover: Handover
    limits: Limits
    report: LoadReport


def deliver(
    at_hand: AtHand,
    treated: Sequence[TreatedImage],
    rules: Rules,
    screens: Sequence[Screen],
    deliveries: Mapping[str, Delivery],
    content: Callable[[NewFile], bytes] | None,
    reasons: Mapping[str, str],
    on_page: Progress = nothing,
    stop: Callable[[], bool] = lambda: False,
) -> Delivered | None:
    """Finds what the pages bear, and prepares what leaves; None where it was stopped.

    `content` gives a new file's bytes (None: nothing is compared in a browser, and pages take the forms that are safe
    by their rules and tree); `reasons` tell by path why an image was left alone.
    """
    if rules.form.rewrites:
        settled = Settler(at_hand.site, deliveries, at_hand.read, screens, content, stop).settle(on_page)
    else:
        settled = settle_unchanged(at_hand.site, deliveries, at_hand.read, screens)
    if stop():
        return None
    handover = prepare_handover(at_hand, treated, rules, deliveries, settled.rewrite)
    return Delivered(handover, settled.limits, report(at_hand.site, settled, deliveries, at_hand.slots, reasons))


def prepare_handover(
    at_hand: AtHand,
    treated: Sequence[TreatedImage],
    rules: Rules,
    deliveries: Mapping[str, Delivery],
    rewrite: SiteRewrite,
) -> Handover:
    """What leaves of a site that was rewritten, with what that saves."""
    site = at_hand.site
    texts = dict(rewrite.texts)
    outcomes = dict(rewrite.outcomes)
    given = set(rewrite.offered)
    for page in site.pages:
        if page.is_folder:
            outcomes |= _given_in_folder(page, deliveries)
            given |= {f.path for p in page.files if p in deliveries for f in deliveries[p].files}
    made = {f.path: f for d in deliveries.values() for f in d.files}
    kept = tuple(f for path, f in made.items() if path in given)
    savings = compute_savings(site, outcomes, {f.path: f.bytes for f in kept})
    rewritten = tuple(sorted(texts))
    if rules.form is HandoverForm.SAME_ADDRESSES:
        texts |= server_snippets(deliveries.values())
    if texts or kept:
        previous = previous_manifest(site, at_hand.read)
        texts[_own_name(site, MANIFEST_NAMES, previous is not None)] = _manifest(
            site, deliveries.values(), kept, treated, rewritten, savings, rules, previous
        )
        texts[_own_name(site, _SAVINGS_NAMES, previous is not None)] = savings_csv(savings)
    made_of = frozenset(d.path for d in deliveries.values() if any(f.path in given for f in d.files))
    backup = _free_folder(site) if rules.form is HandoverForm.IN_PLACE and kept else ""
    return Handover(kept, texts, rewritten, savings, tuple(rewrite.faults), made_of, backup)


def _free_folder(site: SiteReading) -> str:
    """A folder for the originals that the site does not have."""
    taken = {path.split("/", 1)[0].casefold() for path in site.files}
    return next(name for n in range(len(taken) + 2) if (name := f"originals{f'-{n + 1}' if n else ''}") not in taken)


def _given_in_folder(page: Page, deliveries: Mapping[str, Delivery]) -> Outcomes:
    """Pictures without markup: each tier is given the widest file made of them."""
    found: Outcomes = {}
    for p in page.placements:
        delivery = deliveries.get(p.file or "")
        if delivery:
            widest = {tier: delivery.widest(tier) for tier in TIERS}
            found[p.source, p.start] = {tier: new.path for tier, new in widest.items() if new}
    return found


def _own_name(site: SiteReading, names: tuple[str, str], was_ours: bool) -> str:
    """Our file's name in the site's root; the second where the site has a file of the first name itself."""
    return names[0] if names[0] not in site.files or was_ours else names[1]


@dataclass(frozen=True, slots=True)
class Verdict:
    """What a check said of a handover: when it ended, of how many loads of pages, and how many failed."""

    at: str
    loads: int
    failed: int
    screens: tuple[str, ...]
    tiers: tuple[str, ...]

    @property
    def passed(self) -> bool:
        """Whether nothing failed."""
        return not self.failed


def with_verdict(manifest: bytes, verdict: Verdict) -> bytes:
    """The manifest, telling what a check said."""
    content = json.loads(manifest)
    content["check"] = {"passed": verdict.passed, **asdict(verdict)}
    return _json(content)


def _json(content: Mapping[str, Any]) -> bytes:
    return (json.dumps(content, indent=2, ensure_ascii=False) + "\n").encode()


def previous_manifest(site: SiteReading, read: Callable[[str], bytes]) -> dict[str, Any] | None:
    """The manifest of an earlier handover in the same folder, if there is one."""
    for name in MANIFEST_NAMES:
        if name in site.files:
            try:
                found = json.loads(read(name))
            except (ValueError, OSError):
                continue
            if isinstance(found, dict) and found.get("kind") == MANIFEST_KIND:
                return found
    return None


def given_by_manifest(site: SiteReading, read: Callable[[str], bytes]) -> Mapping[Tier, Mapping[str, str]]:
    """Of a handed-over site whose server chooses by what a browser accepts: by tier, the file at each address."""
    manifest = previous_manifest(site, read) or {}
    if manifest.get("form") != HandoverForm.SAME_ADDRESSES:
        return {}
    given: dict[Tier, dict[str, str]] = {tier: {} for tier in TIERS}
    of_tier: dict[Tier, dict[str, str]] = {tier: {} for tier in TIERS}
    for file in manifest.get("files", []):
        if isinstance(file, dict) and file.get("tier") in of_tier and file.get("path") in site.files:
            of_tier[file["tier"]][str(file.get("original"))] = file["path"]
    for tier in TIERS:
        for older in reversed(and_older(tier)):
            given[tier] |= of_tier[older]
    return given


def made_before(site: SiteReading, read: Callable[[str], bytes]) -> frozenset[str]:
    """The contents (SHA-256) that an earlier handover made, and those it made them of: they are not treated again."""
    previous = previous_manifest(site, read) or {}
    files, treated = previous.get("files", []), previous.get("treated", {})
    made = {str(f.get("sha256")) for f in files if isinstance(f, dict)}
    return frozenset(made | {str(digest) for digest in treated.values()} if isinstance(treated, dict) else made)


def _manifest(
    site: SiteReading,
    deliveries: Iterable[Delivery],
    kept: tuple[NewFile, ...],
    treated: Sequence[TreatedImage],
    rewritten: tuple[str, ...],
    savings: Savings,
    rules: Rules,
    previous: dict[str, Any] | None,
) -> bytes:
    paths = {f.path for f in kept}
    words = {path: t.words for t in treated for path in t.image.paths}
    files = [
        {
            "path": f.path, "original": d.path, **fields_of(f), "score": None if f.score is None else round(f.score, 2),
        }
        for d in deliveries for f in d.files if f.path in paths
    ]  # fmt: skip
    earlier = [f for f in (previous or {}).get("files", []) if f.get("path") not in paths]
    content = {
        "kind": MANIFEST_KIND,
        "version": 1,
        "form": rules.form,
        "rules": rules.as_dict(),
        "savings": {"before": savings.before, "after": dict(savings.after)},
        "files": sorted(files + earlier, key=lambda f: str(f["path"])),
        "treated": {
            **(previous or {}).get("treated", {}),
            **{d.path: site.files[d.path].sha256 for d in deliveries if any(f.path in paths for f in d.files)},
        },
        "decisions": {d.path: list(words.get(d.path, ())) for d in deliveries},
        "rewritten": sorted({*rewritten, *(previous or {}).get("rewritten", [])}),
    }
    return _json(content)
