"""A manifest may be anybody's: what is not as we write it is left out, and sinks nothing."""

from __future__ import annotations

import json
from contextlib import suppress
from pathlib import Path

import pytest

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.intake.folder import Folder
from ivory_thistle.workflows.folders import TreatOptions, treat_folder
from ivory_thistle.workflows.manifest import MANIFEST_KIND, read_manifest
from ivory_thistle.workflows.proving import prove

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
