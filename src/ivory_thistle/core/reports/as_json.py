"""A report as plain values for JSON, described by docs/report.schema.json, and read again from these."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from ivory_thistle.core.budgets.connection import Connection
from ivory_thistle.core.budgets.policy import Policy
from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.formats.tiers import TIERS
from ivory_thistle.core.reports.audience import Audience
from ivory_thistle.core.reports.groups import Group
from ivory_thistle.core.reports.report import (
    ByReference,
    Change,
    Checked,
    ImageLine,
    MadeFile,
    PageRow,
    Report,
    expected,
    states,
    totals,
)
from ivory_thistle.core.reports.weight import Measured, Weight
from ivory_thistle.core.selection.loads import Loaded
from ivory_thistle.core.selection.screen import Screen

REPORT_KIND = "ivory-thistle-report"


def report_json(report: Report) -> dict[str, Any]:
    """The whole report; sizes in bytes, times in milliseconds. `changes` name files by their place in `files`."""
    files: dict[tuple[str, int], int] = {}

    def number(loaded: Loaded | None) -> list[int] | None:
        if loaded is None:
            return None
        return [files.setdefault((loaded.path, loaded.bytes), len(files)), int(loaded.opening)]

    pages = [
        {
            **_figures(row, report.policy),
            "changes": [[number(c.before), number(c.after)] for c in row.changes],
        }
        for row in report.rows
    ]  # fmt: skip
    return {
        "kind": REPORT_KIND,
        "version": 1,
        "site": report.site,
        "form": report.form,
        "screens": [asdict(s) for s in report.screens],
        "tiers": list(report.tiers),
        "audience": {
            "tiers": dict(report.audience.tiers), "screens": dict(report.audience.screens),
            "views": {page: dict(found) for page, found in report.audience.views.items()},
        },
        "budgets": report.policy.as_dict(),
        "connections": [asdict(c) for c in report.connections],
        "checked": asdict(report.checked) if report.checked else None,
        "by_reference": asdict(report.by_reference),
        "expected": asdict(expected(report)),
        "totals": {
            "opening": [asdict(t) for t in totals(report, opening=True)],
            "scrolled": [asdict(t) for t in totals(report, opening=False)],
        },
        "pages": pages,
        "files": [{"path": path, "bytes": size} for path, size in files],
        "images": [asdict(i) for i in report.images],
    }  # fmt: skip


def _figures(row: PageRow, policy: Policy) -> dict[str, Any]:
    state_before, state_after = states(row, policy)
    return {
        "page": row.page, "screen": row.screen, "tier": row.tier,
        "before": asdict(row.before), "after": asdict(row.after),
        "measured": row.measured.as_dict() if row.measured else None,
        "allowed": policy.allowed(row.page, row.screen).bytes,
        "state_before": state_before, "state_after": state_after,
    }  # fmt: skip


def read_report(values: Any) -> Report:
    """The report that these values tell. Raises UnusableInput where they are none."""
    if not isinstance(values, Mapping) or values.get("kind") != REPORT_KIND or values.get("version") != 1:
        raise UnusableInput("This is no report of version 1.")
    try:
        report = _report(values)
        is_whole = _is_whole(report)
    except (KeyError, TypeError, ValueError, IndexError, AttributeError) as error:
        raise UnusableInput(f"This report can't be read: {type(error).__name__}, {error}.") from error
    if not is_whole:
        raise UnusableInput("This report can't be read: it lacks tiers, their sums, or connections.")
    return report


def _is_whole(report: Report) -> bool:
    """Whether what every view of a report asks for is there."""
    connected = report.connections and all(c.bits > 0 for c in report.connections)
    known = report.tiers and all(tier in TIERS for tier in report.tiers)
    return bool(connected and known) and all(set(report.tiers) <= set(g.after) for g in report.by_reference.groups)


def _report(values: Mapping[str, Any]) -> Report:
    files = [(str(f["path"]), int(f["bytes"])) for f in values["files"]]

    def loaded(place: list[int] | None) -> Loaded | None:
        if place is None:
            return None
        path, size = files[place[0]]
        return Loaded(f"/{path}", path, size, bool(place[1]))

    audience, by_reference = values["audience"], values["by_reference"]
    groups = tuple(Group(**g) for g in by_reference["groups"])
    return Report(
        site=str(values["site"]),
        form=str(values["form"]),
        screens=tuple(Screen(**s) for s in values["screens"]),
        tiers=tuple(values["tiers"]),
        rows=tuple(
            PageRow(
                page=p["page"], screen=p["screen"], tier=p["tier"],
                before=Weight(**p["before"]), after=Weight(**p["after"]),
                measured=Measured.from_dict(p["measured"]) if p["measured"] else None,
                changes=tuple(Change(loaded(b), loaded(a)) for b, a in p["changes"]),
            )
            for p in values["pages"]
        ),
        by_reference=ByReference(**{**by_reference, "groups": groups}),
        audience=Audience(audience["tiers"], audience["screens"], audience["views"]),
        policy=Policy.from_dict(values["budgets"]),
        connections=tuple(Connection(**c) for c in values["connections"]),
        images=tuple(
            ImageLine(**{**i, "files": tuple(MadeFile(**f) for f in i["files"])}) for i in values["images"]
        ),
        checked=Checked(**values["checked"]) if values["checked"] else None,
    )  # fmt: skip
