"""What came of it all, in figures: as JSON for the command line, as a report of loads."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import asdict, dataclass
from typing import Any

from ivory_thistle.core.references.site import SiteReading
from ivory_thistle.core.reports.predicted import LoadTotal, StillLoaded, overshoots, still_loaded, totals
from ivory_thistle.core.rewriting.delivery import Delivery
from ivory_thistle.core.rewriting.html import NOT_LOADED
from ivory_thistle.core.rewriting.offers import Form
from ivory_thistle.core.treatment.roles import Slot
from ivory_thistle.intake.browser import PageMeasurement
from ivory_thistle.workflows.measuring import Weights
from ivory_thistle.workflows.settling import Comparison, Settled
from ivory_thistle.workflows.weights import weight_at_opening

_MOST_TOLD = 100


def audit_json(site: SiteReading) -> dict[str, Any]:
    """The audit of a site as plain values; sizes in bytes."""
    return {
        "totals": {
            "pages": len(site.pages),
            "images": len(site.images),
            "image_bytes": site.image_bytes,
            "unused_images": sum(i.unused for i in site.images),
            "broken_references": site.broken_count,
        },
        "pages": [
            {"path": p.path, "images": len(p.files), "bytes": p.image_bytes, "broken": list(p.broken)}
            for p in site.pages
        ],
        "images": [
            {
                "path": i.path, "paths": list(i.paths), "sha256": i.facts.sha256, "format": i.facts.format,
                "width": i.facts.width, "height": i.facts.height, "bytes": i.facts.bytes, "pages": len(i.pages),
            }
            for i in site.images
        ],
        "faults": [{"kind": f.kind, "path": f.path, "line": f.line, "message": f.message} for f in site.faults],
    }  # fmt: skip


def measured_json(site: SiteReading, measured: Iterable[tuple[PageMeasurement, Weights]]) -> dict[str, Any]:
    """The audit with what a browser saw: "screens" for each page and "slots" (CSS px) for each image.

    "measured" is false where no browser was installed and everything is estimated from markup.
    """
    result = audit_json(site)
    measured = list(measured)
    came = {one.path for m, _ in measured if m.measured for one in m.requests}
    result["totals"]["unused_images"] = sum(i.unused and came.isdisjoint(i.paths) for i in site.images)
    screens: dict[str, dict[str, Any]] = defaultdict(dict)
    slots: dict[str, dict[str, list[dict[str, Any]]]] = defaultdict(lambda: defaultdict(list))
    for m, weights in measured:
        screens[m.page][m.screen] = {
            "opening": m.opening_bytes, "scrolled": m.scrolled_bytes, "lcp": m.lcp_path,
            "cls": round(m.layout_shift, 4) if m.measured else None,
            "requests": len(m.requests), "errors": list(m.errors), "problem": m.problem, "measured": m.measured,
            "tiers": {
                tier: {"opening": weight_at_opening(loaded), "scrolled": sum(one.bytes for one in loaded)}
                for tier, loaded in weights.items()
            },
        }  # fmt: skip
        for p in m.placements:
            image = site.by_path.get(p.path or "")
            if image and p.width > 0:
                size = {"width": round(p.width, 1), "height": round(p.height, 1)}
                slots[image.path][m.screen].append({"page": m.page, **size, "measured": m.measured})
    for page in result["pages"]:
        page["screens"] = screens.get(page["path"], {})
    for listed in result["images"]:
        listed["slots"] = slots.get(listed["path"], {})
    return result


@dataclass(frozen=True, slots=True)
class LoadReport:
    """What the settled site loads: sums by screen and tier, originals still loaded, files made for nothing.

    `forms` counts the rewritten `img`s by what was done to them. `unknown` are pages that stay as they were, and why.
    """

    totals: tuple[LoadTotal, ...]
    still_loaded: tuple[StillLoaded, ...]
    unused_files: int
    unused_bytes: int
    forms: Mapping[str, int]
    comparison: Comparison | None
    unknown: Mapping[str, str]

    def as_dict(self) -> dict[str, Any]:
        """Plain values, for JSON and the database; of the originals still loaded the dearest."""
        plain = asdict(self)
        plain["still_loaded"] = plain["still_loaded"][:_MOST_TOLD]
        return plain


FORM_NAMES: Mapping[Form, str] = {
    Form.FREE: "picture", Form.STEADY: "picture", Form.LADDER: "srcset alone", Form.SAME: "address alone",
    Form.LEFT: "left as it was",
}  # fmt: skip


def report(
    site: SiteReading,
    settled: Settled,
    deliveries: Mapping[str, Delivery],
    slots: Iterable[Slot] = (),
    reasons: Mapping[str, str] | None = None,
) -> LoadReport:
    """The report on a settled site. `reasons` tell by path why an image was left alone; `slots` are measured boxes."""
    forms = Counter(FORM_NAMES[form] for found in settled.rewrite.forms.values() for form in found.values())
    unused = [f for d in deliveries.values() for f in d.files if f.path not in settled.rewrite.offered]
    unused = unused if any(not page.is_folder for page in site.pages) else []
    spare = overshoots(settled.loads, deliveries, slots)
    replaced = {path for path, d in deliveries.items() if any(f.path == path for f in d.files)}
    not_worth = dict.fromkeys(site.by_path.keys() - deliveries.keys(), "No smaller file was worth it.")
    why = not_worth | dict(_in_the_way(site, deliveries)) | dict(reasons or {})
    return LoadReport(
        totals=totals(settled.loads, spare),
        still_loaded=still_loaded(settled.loads, site, why, replaced),
        unused_files=len(unused),
        unused_bytes=sum(f.bytes for f in unused),
        forms=dict(forms),
        comparison=settled.comparison,
        unknown=dict(settled.unknown),
    )


def _in_the_way(site: SiteReading, deliveries: Mapping[str, Delivery]) -> Iterator[tuple[str, str]]:
    """For originals that may stay on some page, the one place that takes nothing else, or why nothing stands there."""
    for path, delivery in deliveries.items():
        if not delivery.own_size:
            yield path, "No smaller file of its own size was worth it, where one address is taken or as the fallback."
    for page in site.pages:
        for p in page.placements:
            if p.file and p.use == "kept" and p.element not in NOT_LOADED:
                yield p.file, f"{p.element} {p.attribute} in {p.source}, line {p.line} takes nothing else."
