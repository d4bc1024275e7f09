"""Savings by role, format, folder and kind: the same sum as the site's, in other parts."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass
from typing import Any, Literal

from ivory_thistle.core.formats.tiers import TIERS, Tier
from ivory_thistle.core.references.site import Image, SiteReading
from ivory_thistle.core.reports.savings import Savings

By = Literal["role", "format", "folder", "kind"]
_MOST_FOLDERS = 50
_UNKNOWN = "unknown"


@dataclass(frozen=True, slots=True)
class Group:
    """Images that have something in common: how many are in use, their bytes before, and after in each tier."""

    by: By
    name: str
    images: int
    before: int
    after: Mapping[Tier, int]

    def as_dict(self) -> dict[str, Any]:
        """Plain values, for JSON."""
        return asdict(self)


def group_savings(
    site: SiteReading, savings: Savings, new_bytes: Mapping[str, int], origins: Mapping[str, str],
    roles: Mapping[str, str],
) -> tuple[Group, ...]:  # fmt: skip
    """The site's savings in groups. `origins` leads from new files to their originals, `roles` is by image path."""
    sizes = {**{path: f.bytes for path, f in site.files.items()}, **new_bytes}
    ways: dict[By, Callable[[str, Image], str]] = {
        "role": lambda path, image: roles.get(image.path, _UNKNOWN),
        "format": lambda path, image: image.facts.format,
        "folder": lambda path, image: f"{path.rpartition('/')[0]}/".lstrip("/") or "./",
        "kind": lambda path, image: image.look.kind if image.look else _UNKNOWN,
    }
    found = []
    for by, name_of in ways.items():
        before: dict[str, int] = defaultdict(int)
        after: dict[str, dict[Tier, int]] = defaultdict(lambda: dict.fromkeys(TIERS, 0))
        images: dict[str, set[str]] = defaultdict(set)
        for path in savings.given_before:
            image = site.by_path[path]
            name = name_of(path, image)
            before[name] += site.files[path].bytes
            images[name].add(image.facts.sha256)
        for tier, given in savings.given_after.items():
            for path in given:
                origin = origins.get(path, path)
                after[name_of(origin, site.by_path[origin])][tier] += sizes[path]
        names = sorted({*before, *after}, key=lambda n: (-before[n], n))
        some = [Group(by, n, len(images[n]), before[n], after[n]) for n in names]
        found += some if by != "folder" else _few(some)
    return tuple(found)


def _few(folders: list[Group]) -> list[Group]:
    """The heaviest folders; the others as one."""
    some, rest = folders[:_MOST_FOLDERS], folders[_MOST_FOLDERS:]
    if not rest:
        return some
    after = {tier: sum(g.after[tier] for g in rest) for tier in TIERS}
    images, before = sum(g.images for g in rest), sum(g.before for g in rest)
    return [*some, Group("folder", f"{len(rest)} other folders", images, before, after)]
