"""Audit and treatment of a folder without database or browser, and their JSON."""

from __future__ import annotations

import os
import shutil
import tempfile
from collections import defaultdict
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.findings.audit import site_roles
from ivory_thistle.core.formats.tiers import Tier, measured_tier
from ivory_thistle.core.images.resize import Resize, target_size
from ivory_thistle.core.references.site import SiteReading
from ivory_thistle.core.rewriting.delivery import NAMES_PATTERN, NewFile
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS, Screen
from ivory_thistle.core.treatment.ladder import Plan, Step, plan_treatment
from ivory_thistle.core.treatment.roles import Role, Slot
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.intake.browser import PageMeasurement
from ivory_thistle.intake.folder import Folder
from ivory_thistle.store.blobs import Blobs, StorageError
from ivory_thistle.workflows.auditing import guessed_slots, measured_slots
from ivory_thistle.workflows.handover import (
    Handover,
    TreatedImage,
    deliveries_of,
    made_before,
    prepare_handover,
)
from ivory_thistle.workflows.measuring import Weights, measure_site
from ivory_thistle.workflows.reading import Progress, nothing, read_folder
from ivory_thistle.workflows.renditions import Treatment, result_of
from ivory_thistle.workflows.settling import LoadReport, Settler, report
from ivory_thistle.workflows.weights import weight_at_opening
from ivory_thistle.workflows.workers import Workers


@dataclass(frozen=True, slots=True)
class Failure:
    """An image that could not be treated."""

    path: str
    reason: str


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


def measure_folder(
    folder: Folder, site: SiteReading, screens: Sequence[Screen], on_page: Progress = nothing
) -> list[tuple[PageMeasurement, Weights]]:
    """Measures every page of a folder on every screen; estimates where no browser is installed."""
    done: list[tuple[PageMeasurement, Weights]] = []

    def one(measurement: PageMeasurement, weights: Weights) -> None:
        done.append((measurement, weights))
        on_page(len(done), len(site.pages) * len(screens))

    measure_site(site, folder.read, screens, one)
    order = {s.name: n for n, s in enumerate(screens)}
    return sorted(done, key=lambda m: (m[0].page, order[m[0].screen]))


@dataclass(frozen=True, slots=True)
class FolderTreated:
    """A treated folder: the site as it was read, what leaves, what failed, and what its pages load now."""

    site: SiteReading
    handover: Handover
    failed: tuple[Failure, ...]
    report: LoadReport


def treat_json(done: FolderTreated) -> dict[str, Any]:
    """The audit with savings (in the measured tier; all tiers under "tiers"), loads and failures added."""
    savings, tier = done.handover.savings, measured_tier()
    return audit_json(done.site) | {
        "loads": done.report.as_dict(),
        "savings": {
            "before": savings.before,
            "after": savings.after[tier],
            "pages": [
                {
                    "path": p.path,
                    "before": p.before,
                    "after": p.after[tier],
                    "saved": p.before - p.after[tier],
                }
                for p in savings.pages
            ],
            "tiers": dict(savings.after),
        },
        "failed": [{"path": f.path, "reason": f.reason} for f in done.failed],
    }


def plans_for(
    site: SiteReading,
    rules: Rules,
    read: Callable[[str], bytes],
    slots: Iterable[Slot] = (),
    roles: Mapping[str, Role] | None = None,
    measured_pages: Collection[str] = (),
) -> tuple[Plan, ...]:
    """Plans for every image in use; what an earlier handover made is left alone."""
    made = made_before(site, read)
    return tuple(
        Plan(p.image, p.role, reason="Made or treated by an earlier treatment.") if p.image.facts.sha256 in made else p
        for p in plan_treatment(site, rules, slots, roles, measured_pages)
    )


@dataclass(frozen=True, slots=True)
class TreatOptions:
    """How a folder is treated from the command line.

    `widths` are made of every image instead of what its places ask for; `size` reshapes each picture first; both are
    for folders of pictures alone. `only` lists the tiers that are written of those ("baseline" is the fallback).
    `names` is the pattern of new files' names. `measure` loads every page in a browser first; `compare` compares the
    treated pages with the original ones in a browser, where one is installed.
    """

    widths: tuple[int, ...] = ()
    size: Resize | None = None
    only: tuple[Tier, ...] = ()
    names: str = NAMES_PATTERN
    measure: bool = False
    compare: bool = True
    processes: int = 2


_NO_OPTIONS = TreatOptions()


def treat_folder(
    folder: Folder,
    out: Path,
    rules: Rules,
    options: TreatOptions = _NO_OPTIONS,
    progress: tuple[Progress, Progress, Progress, Progress] = (nothing, nothing, nothing, nothing),
) -> FolderTreated:
    """Treats a folder into the new folder `out`, which must not exist or be empty (UnusableInput).

    `out` is built under a temporary name and renamed at the end: it is whole or not there. `progress` is told of files
    read, pages measured, images treated and pages compared.
    """
    out = out.absolute()
    if out.exists() and (not out.is_dir() or any(out.iterdir())):
        raise UnusableInput(f"{out} exists and is not empty; name a new folder.")
    if out.resolve().is_relative_to(folder.root):
        raise UnusableInput(f"{out} lies inside the site's own folder; name one outside.")
    if not out.parent.is_dir():
        raise UnusableInput(f"The folder {out.parent} does not exist.")
    if not os.access(out.parent, os.W_OK):
        raise UnusableInput(f"The folder {out.parent} may not be written by this user.")
    site = read_folder(folder, progress[0])
    if not site.pages and not site.images:
        raise UnusableInput(f"{folder.root} holds no web page and no picture.")
    pictures_only = all(page.is_folder for page in site.pages)
    if not pictures_only and (options.size or options.widths or options.only):
        what = "widths, sizes and formats follow from where a site shows its images"
        raise UnusableInput(f"{folder.root} holds web pages: {what}. They can be given for folders of pictures alone.")
    staging = Path(tempfile.mkdtemp(prefix=f".{out.name}-", dir=out.parent))
    try:
        plans, slots = _plans(folder, site, rules, options, progress[1])
        kept = Blobs(str(staging / "renditions"))
        treated, failed = _treat_all(plans, folder, rules, options, progress[2], kept)
        if options.only:
            only = frozenset(options.only)
            treated = [replace(t, renditions=tuple(r for r in t.renditions if r.tier in only)) for t in treated]
        deliveries = deliveries_of(site, treated, options.names, replacing=pictures_only)

        def content(new: NewFile) -> bytes:
            return kept.get(new.sha256)

        settler = Settler(site, deliveries, folder.read, DEFAULT_SCREENS, content if options.compare else None)
        settled = settler.settle(progress[3])
        handover = prepare_handover(site, treated, rules, folder.read, deliveries, settled.rewrite)
        reasons = {path: p.reason for p in plans if p.reason for path in p.image.paths}
        told = report(site, settled, deliveries, slots, reasons)
        _build(folder, site, handover, kept, staging / "site", pictures_only)
        if out.exists():
            out.rmdir()
        (staging / "site").rename(out)
        out.chmod(0o755)
        return FolderTreated(site, handover, failed, told)
    finally:
        shutil.rmtree(staging, ignore_errors=True)


def _plans(
    folder: Folder, site: SiteReading, rules: Rules, options: TreatOptions, on_page: Progress
) -> tuple[tuple[Plan, ...], list[Slot]]:
    slots, whole = list(guessed_slots(site)), set[str]()
    if options.measure:
        measured = measure_folder(folder, site, DEFAULT_SCREENS, on_page)
        slots = list(measured_slots(measured, DEFAULT_SCREENS))
        whole = {m.page for m, _ in measured} - {m.page for m, _ in measured if m.problem or not m.measured}
    roles = {path: found.role for path, found in site_roles(site, slots).items()}
    plans = plans_for(site, rules, folder.read, slots, roles, whole)
    if options.size or options.widths:
        plans = tuple(replace(p, steps=_given_steps(p, options), own_size=False) if p.steps else p for p in plans)
    return plans, slots


def _given_steps(plan: Plan, options: TreatOptions) -> tuple[Step, ...]:
    """The widths that were asked for, none wider than the picture in its new size."""
    facts = plan.image.facts
    if facts.is_vector:
        return plan.steps
    widest = target_size(facts.width, facts.height, options.size)[0] if options.size else facts.width
    wanted = {min(w, widest) for w in options.widths} or {widest}
    return tuple(Step(w) for w in sorted(wanted))


def _build(
    folder: Folder, site: SiteReading, handover: Handover, kept: Blobs, built: Path, pictures_only: bool
) -> None:
    """Writes what leaves: new files, rewritten pages, and the originals (of pictures alone: those nothing came of)."""
    built.mkdir()
    replaced = handover.originals if pictures_only else frozenset()
    for path in site.files:
        if path not in handover.texts and path not in replaced:
            _place(built / path, lambda target, p=path: shutil.copy2(folder.root / p, target))  # type: ignore[misc]
    for new in handover.new_files:
        _place(built / new.path, lambda target, f=new: target.write_bytes(kept.get(f.sha256)))  # type: ignore[misc]
    for path, text in handover.texts.items():
        _place(built / path, lambda target, t=text: target.write_bytes(t))  # type: ignore[misc]


def _place(target: Path, write: Callable[[Path], Any]) -> None:
    target.parent.mkdir(parents=True, exist_ok=True)
    write(target)


def _treat_all(
    planned: Sequence[Plan], folder: Folder, rules: Rules, options: TreatOptions, on_image: Progress, keep: Blobs
) -> tuple[list[TreatedImage], tuple[Failure, ...]]:
    """Treats in worker processes; renditions wait in a blob store of their own."""
    plans = {p.image.path: p for p in planned if p.steps}
    failed = [Failure(p.image.path, p.reason) for p in planned if p.image.facts.problem]
    treated: dict[str, TreatedImage] = {}
    on_image(0, len(plans))
    calls = (_treatment(p, rules, options.size).call(path, keep.url, folder.root / path) for path, p in plans.items())
    with Workers(options.processes) as workers:
        for number, outcome in enumerate(workers.run(calls), 1):
            plan = plans[str(outcome.key)]
            if isinstance(outcome.error, StorageError):
                raise outcome.error
            result = result_of(outcome)
            if result.reason:
                failed.append(Failure(plan.image.path, result.reason))
            else:
                top = max(s.width for s in plan.steps)
                treated[plan.image.path] = TreatedImage(plan.image, result.renditions, result.words, top)
            on_image(number, len(plans))
    in_order = [treated[path] for path in plans if path in treated]
    return in_order, tuple(sorted(failed, key=lambda f: f.path))


def _treatment(plan: Plan, rules: Rules, size: Resize | None) -> Treatment:
    look = plan.image.look
    return Treatment(
        plan.image.facts, tuple(plan.steps), rules, plan.role, look.kind if look else None, size, plan.own_size
    )
