"""The manifest of a handover: what it holds, what was decided and checked; read again at the next one."""

from __future__ import annotations

import json
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.formats.tiers import TIERS, Tier, and_older
from ivory_thistle.core.handed_in import read_json
from ivory_thistle.core.references.site import SiteReading
from ivory_thistle.core.reports.savings import Savings
from ivory_thistle.core.rewriting.delivery import Delivery, NewFile
from ivory_thistle.core.treatment.form import HandoverForm
from ivory_thistle.core.treatment.rendition import told_fields
from ivory_thistle.core.treatment.rules import Rules

MANIFEST_KIND = "ivory-thistle-handover"
MANIFEST_NAMES = ("manifest.json", "handover-manifest.json")


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


def with_verdicts(manifest: bytes, verdict: Verdict | None, judged: Mapping[str, Mapping[str, str]]) -> bytes:
    """The manifest, telling what a check said (None: there was none), and what people said of images, by path."""
    content = json.loads(manifest)
    if verdict:
        content["check"] = {"passed": verdict.passed, **asdict(verdict)}
    if judged:
        content["judged"] = {path: dict(said) for path, said in sorted(judged.items())}
    return _json(content)


def _json(content: Mapping[str, Any]) -> bytes:
    return (json.dumps(content, indent=2, ensure_ascii=False) + "\n").encode()


def read_manifest(data: bytes) -> dict[str, Any] | None:
    """What a manifest says; None for anything else. Whoever wrote it: what is not as we write it is left out.

    It always has "files" (each with path, original, tier, width and bytes), "rewritten", "treated" and "renamed".
    """
    try:
        found = read_json(data)
    except UnusableInput:
        return None
    if not isinstance(found, dict) or found.get("kind") != MANIFEST_KIND:
        return None
    files, rewritten = (value if isinstance(value := found.get(name), list) else [] for name in ("files", "rewritten"))
    found["files"] = [file for file in files if isinstance(file, dict) and _is_file(file)]
    found["rewritten"] = [path for path in rewritten if isinstance(path, str)]
    for name in ("treated", "renamed"):
        said = found.get(name)
        pairs = said.items() if isinstance(said, dict) else ()
        found[name] = {key: value for key, value in pairs if isinstance(value, str)}
    return found


def _is_file(said: Mapping[str, Any]) -> bool:
    words, numbers = ("path", "original", "tier"), ("width", "bytes")
    return all(isinstance(said.get(name), str) for name in words) and all(type(said.get(n)) is int for n in numbers)


def previous_manifest(site: SiteReading, read: Callable[[str], bytes]) -> dict[str, Any] | None:
    """The manifest of an earlier handover in the same folder, if there is one."""
    for name in MANIFEST_NAMES:
        if name in site.files:
            try:
                found = read_manifest(read(name))
            except OSError:
                continue
            if found:
                return found
    return None


def given_by_manifest(site: SiteReading, read: Callable[[str], bytes]) -> Mapping[Tier, Mapping[str, str]]:
    """Of a handed-over site whose server chooses by what a browser accepts: by tier, the file at each address."""
    manifest = previous_manifest(site, read) or {}
    if manifest.get("form") != HandoverForm.SAME_ADDRESSES:
        return {}
    given: dict[Tier, dict[str, str]] = {tier: {} for tier in TIERS}
    of_tier: dict[Tier, dict[str, str]] = {tier: {} for tier in TIERS}
    for file in manifest["files"]:
        if file["tier"] in of_tier and file["path"] in site.files:
            of_tier[file["tier"]][file["original"]] = file["path"]
    for tier in TIERS:
        for older in reversed(and_older(tier)):
            given[tier] |= of_tier[older]
    return given


def made_before(site: SiteReading, read: Callable[[str], bytes]) -> frozenset[str]:
    """The contents (SHA-256) that an earlier handover made, and those it made them of: they are not treated again."""
    previous = previous_manifest(site, read)
    if previous is None:
        return frozenset()
    return frozenset({str(file.get("sha256")) for file in previous["files"]} | {*previous["treated"].values()})


def manifest(
    site: SiteReading,
    deliveries: Collection[Delivery],
    kept: tuple[NewFile, ...],
    decisions: Mapping[str, Sequence[str]],
    rewritten: tuple[str, ...],
    savings: Savings,
    rules: Rules,
    previous: dict[str, Any] | None,
    moved: Mapping[str, str],
) -> bytes:
    """The manifest's bytes. `deliveries`, `kept` and `moved` tell the paths as they leave; `decisions` by old paths."""
    paths = {f.path for f in kept}
    was = {new: old for old, new in moved.items()}
    files = [
        {
            "path": f.path, "original": d.path, **told_fields(f),
            "score": None if f.score is None else round(f.score, 2),
        }
        for d in deliveries for f in d.files if f.path in paths
    ]  # fmt: skip
    earlier = [f for f in (previous or {}).get("files", []) if f.get("path") not in paths]
    used = [d for d in deliveries if any(f.path in paths for f in d.files)]
    content = {
        "kind": MANIFEST_KIND,
        "version": 1,
        "form": rules.form,
        "rules": rules.as_dict(),
        "savings": {"before": savings.before, "after": dict(savings.after)},
        "files": sorted(files + earlier, key=lambda f: str(f["path"])),
        "treated": {
            **(previous or {}).get("treated", {}),
            **{d.path: site.files[was.get(d.path, d.path)].sha256 for d in used},
        },
        "decisions": {d.path: list(decisions.get(was.get(d.path, d.path), ())) for d in deliveries},
        "renamed": dict(sorted(moved.items())),
        "rewritten": sorted({*rewritten, *(previous or {}).get("rewritten", [])}),
    }
    return _json(content)
