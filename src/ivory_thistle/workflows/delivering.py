"""What leaves: new files beside the originals, rewritten pages and style sheets, manifest and savings."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from ivory_thistle.core.faults import Fault
from ivory_thistle.core.formats.tiers import TIERS
from ivory_thistle.core.references.site import Image, Page, SiteReading
from ivory_thistle.core.reports.groups import group_savings
from ivory_thistle.core.reports.predicted import families_of, with_new_files
from ivory_thistle.core.reports.report import ByReference, PageRow, PageWeights, page_rows
from ivory_thistle.core.reports.savings import Savings, compute_savings, savings_csv
from ivory_thistle.core.rewriting.css import Outcomes
from ivory_thistle.core.rewriting.delivery import (
    Delivery,
    NewFile,
    Original,
    plan_delivery,
)
from ivory_thistle.core.rewriting.site import Limits, SiteRewrite
from ivory_thistle.core.rewriting.snippets import server_snippets
from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.core.treatment.form import HandoverForm
from ivory_thistle.core.treatment.names import BESIDE_PATTERN, IN_PLACE_PATTERN
from ivory_thistle.core.treatment.rendition import RenditionFacts
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.wording.renaming import Renamed, redirects
from ivory_thistle.workflows.at_hand import AtHand
from ivory_thistle.workflows.manifest import MANIFEST_NAMES, manifest, previous_manifest
from ivory_thistle.workflows.progress import Progress, StoppedError, nothing
from ivory_thistle.workflows.reporting import LoadReport, report
from ivory_thistle.workflows.settling import Settler
from ivory_thistle.workflows.unchanged import settle_unchanged
from ivory_thistle.workflows.wording import NO_WORDING, Wording, renamed, with_alternatives

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
    `moved` are files of the site that get other paths, `not_renamed` says why some that should did not.
    """

    new_files: tuple[NewFile, ...]
    texts: Mapping[str, bytes]
    rewritten: tuple[str, ...]
    savings: Savings
    faults: tuple[Fault, ...]
    originals: frozenset[str] = frozenset()
    backup: str = ""
    moved: Mapping[str, str] = field(default_factory=dict)
    not_renamed: Mapping[str, str] = field(default_factory=dict)


def deliveries_of(
    site: SiteReading,
    treated: Sequence[TreatedImage],
    rules: Rules,
) -> Mapping[str, Delivery]:
    """The new files of a site by original path, named as the rules say.

    Where the markup stays, names follow from the form alone. One that no page shows may lose its name to its file.
    """
    used = {path for page in site.pages for path in page.files}
    names, replacing = rules.names, site.is_pictures_alone
    if not rules.form.rewrites:
        used = {path for t in treated for path in t.image.paths}
        replacing = rules.form is HandoverForm.IN_PLACE
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
    """A handover with what its pages were found to bear, and what they load: in sum, and page by page."""

    handover: Handover
    limits: Limits
    report: LoadReport
    rows: tuple[PageRow, ...]
    by_reference: ByReference


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
    wording: Wording = NO_WORDING,
    weights: PageWeights | None = None,
) -> Delivered | None:
    """Finds what the pages bear, and prepares what leaves; None where it was stopped.

    `content` gives a new file's bytes (None: nothing is compared in a browser, and pages take the forms that are safe
    by their rules and tree); `reasons` tell by path why an image was left alone; `weights` what pages were seen to load
    before.
    """
    site = at_hand.site
    try:
        if rules.form.rewrites:
            settled = Settler(
                site, deliveries, at_hand.read, screens, content, stop, rules.background_widths, at_hand.slots,
                at_hand.look_up,
            ).settle(on_page)  # fmt: skip
        else:
            settled = settle_unchanged(site, deliveries, at_hand.read, screens, at_hand.slots)
    except StoppedError:
        return None
    if stop():
        return None
    handover = prepare_handover(at_hand, treated, rules, deliveries, settled.rewrite, wording)
    return Delivered(
        handover=handover,
        limits=settled.limits,
        report=report(site, settled, deliveries, at_hand.slots, reasons),
        rows=page_rows(settled.loads, families_of(site, deliveries), weights or {}),
        by_reference=by_reference(at_hand, handover, deliveries),
    )


def by_reference(at_hand: AtHand, handover: Handover, deliveries: Mapping[str, Delivery]) -> ByReference:
    """What leaves, with each file once: in all, and in groups."""
    made = [(f, d.path) for d in deliveries.values() for f in d.files]
    savings = handover.savings
    groups = group_savings(
        site=at_hand.site,
        savings=savings,
        new_bytes={f.path: f.bytes for f, _ in made},
        origins={f.path: path for f, path in made},
        roles=at_hand.roles,
    )
    new_bytes = sum(f.bytes for f in handover.new_files)
    return ByReference(savings.before, dict(savings.after), groups, len(handover.new_files), new_bytes)


def prepare_handover(
    at_hand: AtHand,
    treated: Sequence[TreatedImage],
    rules: Rules,
    deliveries: Mapping[str, Delivery],
    rewrite: SiteRewrite,
    wording: Wording = NO_WORDING,
) -> Handover:
    """What leaves of a site that was rewritten, with what that saves; texts and names as they were decided."""
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
    changed, unwritten = Renamed({}, {}), list[Fault]()
    if rules.form is HandoverForm.MARKUP:
        texts, unwritten = with_alternatives(site, at_hand.read, texts, wording)
        if wording.names:
            changed = renamed(site, at_hand.read, texts, kept, deliveries, wording)
            texts |= changed.texts
    rewritten = tuple(sorted(texts))
    moved = {old: new for old, new in changed.moved.items() if old in site.files}
    kept = tuple(replace(f, path=changed.moved.get(f.path, f.path)) for f in kept)
    deliveries = {moved.get(path, path): _with_names(d, changed.moved) for path, d in deliveries.items()}
    given = {changed.moved.get(path, path) for path in given}
    if moved:
        texts |= redirects(moved)
    if rules.form is HandoverForm.SAME_ADDRESSES:
        texts |= server_snippets(deliveries.values())
    if texts or kept:
        previous = previous_manifest(site, at_hand.read)
        decisions = {path: t.words for t in treated for path in t.image.paths}
        texts[own_name(site, MANIFEST_NAMES, previous is not None)] = manifest(
            site, deliveries.values(), kept, decisions, rewritten, savings, rules, previous, moved
        )
        texts[own_name(site, _SAVINGS_NAMES, previous is not None)] = savings_csv(savings)
    back = {new: old for old, new in moved.items()}
    made_of = frozenset(back.get(d.path, d.path) for d in deliveries.values() if any(f.path in given for f in d.files))
    backup = _free_folder(site) if rules.form is HandoverForm.IN_PLACE and kept else ""
    faults = (*rewrite.faults, *unwritten)
    return Handover(kept, texts, rewritten, savings, faults, made_of, backup, moved, changed.kept)


def _with_names(delivery: Delivery, moved: Mapping[str, str]) -> Delivery:
    """The same files under their new names."""
    files = tuple(replace(f, path=moved.get(f.path, f.path)) for f in delivery.files)
    return replace(delivery, path=moved.get(delivery.path, delivery.path), files=files)


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


def own_name(site: SiteReading, names: tuple[str, str], was_ours: bool) -> str:
    """Our file's name in the site's root; the second where the site has a file of the first name itself."""
    return names[0] if names[0] not in site.files or was_ours else names[1]


def as_it_leaves(
    site: SiteReading, handover: Handover, read: Callable[[str], bytes], content: Callable[[NewFile], bytes]
) -> tuple[SiteReading, Callable[[str], bytes]]:
    """The site as it leaves, and a reader of its files; `read` gives those of the original."""
    new = {f.path: f for f in handover.new_files}
    was = {path: old for old, path in handover.moved.items()}

    def of_either(path: str) -> bytes:
        text = handover.texts.get(path)
        if text is not None:
            return text
        return content(new[path]) if path in new else read(was.get(path, path))

    return with_new_files(site, new.values(), handover.moved), of_either
