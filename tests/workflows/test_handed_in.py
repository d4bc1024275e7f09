"""A manifest and a report may be anybody's: what is not as we write it is left out or refused, and sinks nothing."""

from __future__ import annotations

import json
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any

import pytest

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.reports.as_csv import report_csv
from ivory_thistle.core.reports.as_json import report_json
from ivory_thistle.core.reports.as_markdown import report_markdown
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.intake.folder import Folder
from ivory_thistle.workflows.folders import TreatOptions, treat_folder
from ivory_thistle.workflows.manifest import MANIFEST_KIND, read_manifest
from ivory_thistle.workflows.proving import prove
from ivory_thistle.workflows.report_page import report_html
from ivory_thistle.workflows.reported import report_in

ODD = [
    "[" * 5_000, "null", '"x"', "{}", json.dumps({"kind": MANIFEST_KIND}),
    json.dumps({"kind": MANIFEST_KIND, "files": 5, "treated": [1], "renamed": "x", "rewritten": {"a": 1}, "rules": 3}),
    json.dumps(
        {
            "kind": MANIFEST_KIND, "files": [3, {"path": "a"}, {"path": ["a"], "tier": ["avif"], "original": {}}],
            "treated": {"a": 1}, "rewritten": [1, None], "form": "same-addresses",
        }
    ),
]  # fmt: skip


@pytest.mark.parametrize("text", ODD)
def test_odd_manifests_sink_no_treatment(text: str, site_folder: Path, tmp_path: Path) -> None:
    """A site that brings one is treated all the same, and its own stays or is written anew."""
    (site_folder / "manifest.json").write_text(text)
    treat_folder(Folder(site_folder), tmp_path / "out", Rules(fixed=True), TreatOptions(compare=False))
    written = [
        found
        for name in ("manifest.json", "handover-manifest.json")
        if (tmp_path / "out" / name).is_file() and (found := read_manifest((tmp_path / "out" / name).read_bytes()))
    ]
    assert any(found["files"] for found in written)
    with suppress(UnusableInput):
        assert prove(Folder(site_folder), Folder(site_folder)).proven == ()


def test_any_report_is_shown_or_refused(site_folder: Path, tmp_path: Path) -> None:
    """Whatever stands in place of a value: of another type, too large, not finite, no text, or nothing."""
    treat_folder(Folder(site_folder), tmp_path / "out", Rules(fixed=True), TreatOptions(compare=False))
    place = tmp_path / "out" / "report.json"
    plain = json.loads(place.read_text())
    plain["pages"], plain["images"] = plain["pages"][:1], plain["images"][:1]
    shown = refused = 0
    odds = (None, "x", 0, 10**400, float("nan"), "\ud800", [], {})
    for n, at in enumerate(places(plain)):
        # Each place gets two of them, each of them comes to a quarter of all places.
        for odd in (odds[n % 8], odds[(n + 3) % 8]):
            place.write_text(json.dumps(put(plain, at, odd)))
            try:
                report = report_in(Folder(tmp_path / "out"))
            except UnusableInput as error:
                assert str(error)
                refused += 1
                continue
            shown += 1
            assert report_csv(report) and report_markdown(report) and report_json(report)
            assert report_html(report)
    assert shown > 20 and refused > 100


def places(value: object, at: tuple[str | int, ...] = ()) -> Iterator[tuple[str | int, ...]]:
    """Where the values in a value stand, one of each list."""
    inner = value.items() if isinstance(value, dict) else enumerate(value[:1]) if isinstance(value, list) else ()
    for name, one in inner:
        yield (*at, name)
        yield from places(one, (*at, name))


def put(value: Any, at: tuple[str | int, ...], odd: object) -> Any:
    """A copy with something else in a place."""
    if not at:
        return odd
    copy = value.copy()
    copy[at[0]] = put(value[at[0]], at[1:], odd)
    return copy


def test_a_path_that_leads_out_of_the_folder_is_not_followed(site_folder: Path, tmp_path: Path) -> None:
    """No picture from elsewhere gets into a proof."""
    secret = tmp_path / "secret.jpg"
    secret.write_bytes((site_folder / "img/coffee.jpg").read_bytes())
    out = tmp_path / "out"
    out.mkdir()
    said = {"path": "../secret.jpg", "original": "img/coffee.jpg", "tier": "baseline", "width": 480, "bytes": 9}
    content = {"kind": MANIFEST_KIND, "files": [said], "rules": Rules().as_dict()}
    (out / "manifest.json").write_text(json.dumps(content))
    proof = prove(Folder(site_folder), Folder(out))
    assert proof.proven == () and proof.unjudged == {"img/coffee.jpg": "Its new files are not there."}
