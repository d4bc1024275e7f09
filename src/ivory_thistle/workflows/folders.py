"""A folder on disk treated into a new one, without database: what the command line does."""

from __future__ import annotations

import os
import shutil
import stat
import tempfile
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.findings.audit import site_roles
from ivory_thistle.core.formats.tiers import Tier, measured_tier
from ivory_thistle.core.references.site import SiteFile, SiteReading, is_page
from ivory_thistle.core.reports.report import PageWeights
from ivory_thistle.core.rewriting.delivery import NewFile
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS
from ivory_thistle.core.treatment.guessing import guessed_slots
from ivory_thistle.core.treatment.ladder import Plan
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.intake.folder import Folder
from ivory_thistle.store.blobs import Blobs, StorageError
from ivory_thistle.system.files import replace_file
from ivory_thistle.workflows.at_hand import AtHand
from ivory_thistle.workflows.checked import Checked
from ivory_thistle.workflows.checking import Checker
from ivory_thistle.workflows.delivering import Handover, TreatedImage, as_it_leaves, deliver, deliveries_of
from ivory_thistle.workflows.kept import kept_url, let_go_of_the_oldest
from ivory_thistle.workflows.looks import Looks
from ivory_thistle.workflows.measured import measured_slots
from ivory_thistle.workflows.measuring import measure_folder
from ivory_thistle.workflows.packing import Entry, entries, zip_stream
from ivory_thistle.workflows.planning import plan
from ivory_thistle.workflows.progress import Progress, nothing
from ivory_thistle.workflows.reading import read_folder
from ivory_thistle.workflows.reported import folder_report, with_report
from ivory_thistle.workflows.reporting import LoadReport, audit_json
from ivory_thistle.workflows.served import Side, checkable_tiers
from ivory_thistle.workflows.treating import result_of, treatment_of
from ivory_thistle.workflows.unchanged import chosen_by_server
from ivory_thistle.workflows.wording import NO_WORDING, read_wording
from ivory_thistle.workflows.workers import Workers


@dataclass(frozen=True, slots=True)
class Failure:
    """An image that could not be treated."""

    path: str
    reason: str


@dataclass(frozen=True, slots=True)
class FolderTreated:
    """A treated folder: the site as it was read, what leaves, what failed, and what its pages load now.

    The new files wait in `renditions` until what leaves is written. `given` tells by tier which of them a server
    chooses for an address, where pages stay as they are.
    """

    folder: Folder
    site: SiteReading
    handover: Handover
    failed: tuple[Failure, ...]
    report: LoadReport
    renditions: Blobs
    given: Mapping[Tier, Mapping[str, str]]

    def entries(self, files_only: bool = False) -> Iterator[Entry]:
        """Everything that leaves; of pictures alone, without those that others stand for."""
        return entries(self.site, self.handover, files_only)

    def parts_of(self, content: NewFile | SiteFile) -> Iterator[bytes]:
        """A file's content in parts."""
        if isinstance(content, NewFile):
            yield from self.renditions.parts(content.sha256)
        else:
            with self.folder.open(content.path) as file:
                while part := file.read(_PART):
                    yield part


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


@dataclass(frozen=True, slots=True)
class TreatOptions:
    """How a folder is treated from the command line, besides its rules.

    `measure` loads every page in a browser first; `compare` compares the
    treated pages with the original ones in a browser, where one is installed. `wording` is a CSV of alternative texts
    and names.
    """

    measure: bool = False
    compare: bool = True
    processes: int = 2
    wording: bytes = b""


_NO_OPTIONS = TreatOptions()
_PART = 1 << 20


Bars = tuple[Progress, Progress, Progress, Progress]
NO_BARS: Bars = (nothing, nothing, nothing, nothing)
"""Who is told of files read, pages measured, images treated and pages compared: here nobody."""


def treat_folder(
    folder: Folder, out: Path, rules: Rules, options: TreatOptions = _NO_OPTIONS, progress: Bars = NO_BARS
) -> FolderTreated:
    """Treats a folder into the new folder `out`, which must not exist or be empty (UnusableInput).

    `out` is built under a temporary name and renamed at the end: it is whole or not there.
    """
    out = usable_target(out, folder)
    with treating(folder, rules, options, progress, near=out) as done:
        write_folder(done, out)
        return done


@contextmanager
def treating(
    folder: Folder,
    rules: Rules,
    options: TreatOptions = _NO_OPTIONS,
    progress: Bars = NO_BARS,
    near: Path | None = None,
) -> Iterator[FolderTreated]:
    """Treats a folder; what leaves can be written as long as the block runs.

    New files wait in a folder of their own on the disk of `near`. Raises UnusableInput for what can't be asked of it.
    """
    if (rules.size or rules.picture_widths) and any(is_page(path) for path in folder.paths()[0]):
        what = "widths and sizes follow from where a site shows its images"
        raise UnusableInput(f"{folder.root} holds web pages: {what}. They can be given for folders of pictures alone.")
    wording = read_wording(options.wording) if options.wording else NO_WORDING
    site = read_folder(folder, progress[0])
    if not site.pages and not site.images:
        raise UnusableInput(f"{folder.root} holds no web page and no picture.")
    staging = Path(tempfile.mkdtemp(prefix=f".{near.name}-" if near else None, dir=near.parent if near else None))
    try:
        kept = Blobs(str(staging / "renditions"))
        at_hand, weights = _at_hand(folder, site, options, progress[1], Looks(site, kept))
        plans = plan(at_hand, rules)
        treated, failed = _treat_all(plans, folder, options, progress[2], kept)
        deliveries = deliveries_of(site, treated, rules)

        def content(new: NewFile) -> bytes:
            return kept.get(new.sha256)

        reasons = {path: p.reason for p in plans if p.reason for path in p.image.paths}
        reasons |= {failure.path: failure.reason for failure in failed}
        compared = content if options.compare else None
        delivered = deliver(
            at_hand,
            treated,
            rules,
            DEFAULT_SCREENS,
            deliveries,
            compared,
            reasons,
            progress[3],
            wording=wording,
            weights=weights,
        )
        assert delivered is not None, "nobody stops it"
        chosen = chosen_by_server(rules.form, deliveries)
        told = folder_report(
            site, rules.form, DEFAULT_SCREENS, delivered.rows, delivered.by_reference, deliveries, reasons,
            at_hand.roles,
        )  # fmt: skip
        handover = with_report(delivered.handover, site, told)
        yield FolderTreated(folder, site, handover, failed, delivered.report, kept, chosen)
    finally:
        shutil.rmtree(staging, ignore_errors=True)


def check_treated(done: FolderTreated, on_load: Progress = nothing) -> list[Checked]:
    """Holds what leaves against the original in every tier. Raises UnusableInput where no browser is."""
    content = done.renditions
    site, read = as_it_leaves(done.site, done.handover, done.folder.read, lambda new: content.get(new.sha256))
    after = Side(site, read, done.given)
    before, look_up = Side(done.site, done.folder.read), Looks(done.site, done.renditions).find
    checker = Checker(before, after, DEFAULT_SCREENS, checkable_tiers(), look_up=look_up)
    return checker.all(on_load)


def write_folder(done: FolderTreated, out: Path, files_only: bool = False) -> None:
    """Writes what leaves into a new folder: whole or not at all."""
    built = Path(tempfile.mkdtemp(prefix=f".{out.name}-", dir=out.parent))
    try:
        for one in done.entries(files_only):
            # The folder is new and ours alone: nobody has put a link there.
            target = built / one.path
            target.parent.mkdir(parents=True, exist_ok=True)
            if isinstance(one.content, SiteFile):
                with done.folder.open(one.content.path) as file, target.open("wb") as copy:
                    shutil.copyfileobj(file, copy)
                    about = os.fstat(file.fileno())
                target.chmod(stat.S_IMODE(about.st_mode))
                os.utime(target, ns=(about.st_atime_ns, about.st_mtime_ns))
            elif isinstance(one.content, NewFile):
                target.write_bytes(done.renditions.get(one.content.sha256))
            else:
                target.write_bytes(one.content)
        if out.exists():
            out.rmdir()
        built.rename(out)
        out.chmod(0o755)
    finally:
        shutil.rmtree(built, ignore_errors=True)


def write_zip(done: FolderTreated, target: Path, files_only: bool = False) -> None:
    """Writes what leaves as a ZIP: whole or not at all."""
    replace_file(target, zip_stream(done.entries(files_only), done.parts_of))


def usable_target(out: Path, folder: Folder) -> Path:
    """The new folder's whole path, where it may be made. Raises UnusableInput."""
    out = out.absolute()
    if out.exists() and (not out.is_dir() or any(out.iterdir())):
        raise UnusableInput(f"{out} exists and is not empty; name a new folder.")
    if out.resolve().is_relative_to(folder.root):
        raise UnusableInput(f"{out} lies inside the site's own folder; name one outside.")
    if not out.parent.is_dir():
        raise UnusableInput(f"The folder {out.parent} does not exist.")
    if not os.access(out.parent, os.W_OK):
        raise UnusableInput(f"The folder {out.parent} may not be written by this user.")
    return out


def _at_hand(
    folder: Folder, site: SiteReading, options: TreatOptions, on_page: Progress, looks: Looks
) -> tuple[AtHand, PageWeights]:
    """The folder with what is known of it, and what its pages were seen to load."""
    slots, whole = list(guessed_slots(site)), set[str]()
    weights: PageWeights = {}
    if options.measure:
        measured = measure_folder(folder, site, DEFAULT_SCREENS, on_page, looks)
        slots = list(measured_slots(measured, DEFAULT_SCREENS))
        whole = {m.page for m, _ in measured} - {m.page for m, _ in measured if m.problem or not m.measured}
        weights = {
            (m.page, m.screen, tier): tuple(loaded)
            for m, found in measured if m.page in whole
            for tier, loaded in found.items()
        }  # fmt: skip
    roles = {path: found.role for path, found in site_roles(site, slots).items()}
    return AtHand(site, folder.read, tuple(slots), roles, whole, looks.find), weights


def _treat_all(
    every: Sequence[Plan], folder: Folder, options: TreatOptions, on_image: Progress, keep: Blobs
) -> tuple[list[TreatedImage], tuple[Failure, ...]]:
    """Treats in worker processes; renditions wait in a blob store of their own."""
    plans = {p.image.path: p for p in every if p.steps}
    failed = [Failure(p.image.path, p.reason) for p in every if p.image.facts.problem]
    treated: dict[str, TreatedImage] = {}
    on_image(0, len(plans))
    calls = (treatment_of(p).call(path, keep.url, (folder.root, path), kept_url()) for path, p in plans.items())
    with Workers(options.processes) as workers:
        for number, outcome in enumerate(workers.run(calls), 1):
            planned = plans[str(outcome.key)]
            if isinstance(outcome.error, StorageError):
                raise outcome.error
            result = result_of(outcome)
            if result.reason:
                failed.append(Failure(planned.image.path, result.reason))
            else:
                top = max(s.width for s in planned.steps)
                words = (*planned.decided, *result.words)
                treated[planned.image.path] = TreatedImage(planned.image, result.renditions, words, top)
            on_image(number, len(plans))
    let_go_of_the_oldest()
    in_order = [treated[path] for path in plans if path in treated]
    return in_order, tuple(sorted(failed, key=lambda f: f.path))
