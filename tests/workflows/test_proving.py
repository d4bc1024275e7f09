"""A proof of a handed-over folder: one page of its own, the spoilt picture first, originals in the same place."""

from __future__ import annotations

import json
from pathlib import Path

import html5lib
import pytest
from PIL import Image
from playwright.sync_api import Page, expect

from axe import violations
from command_line import run
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.intake.folder import Folder
from ivory_thistle.workflows.folders import TreatOptions, treat_folder
from pictures import opened, photograph

pytestmark = pytest.mark.browser


def test_a_proof_of_a_handover(site_folder: Path, tmp_path: Path, page: Page) -> None:
    """Strict HTML without network and script; what was planted comes first; holding a picture shows the original."""
    out, held = tmp_path / "out", tmp_path / "proof.html"
    treat_folder(Folder(site_folder), out, Rules(fixed=True), TreatOptions(compare=False))
    files = json.loads((out / "manifest.json").read_text())["files"]
    spoilt = [f for f in files if f["original"] == "img/coffee.jpg" and f["tier"] == "avif"]
    for file in spoilt:
        picture = opened((out / file["path"]).read_bytes()).convert("RGB")
        picture.paste((250, 40, 40), (40, 40, 90, 90))
        picture.save(out / file["path"], "AVIF", quality=80)
    (site_folder / "img/logo.svg").unlink(missing_ok=True)
    done = run("proof", str(site_folder), str(out), "--out", str(held), "--title", "<Tea & house>")
    assert done.returncode == 0 and "ask for eyes" in done.stdout, done.stderr
    text = held.read_text()
    html5lib.HTMLParser(strict=True).parse(text)
    assert "<script" not in text and "http" not in text.replace("http-equiv", "")
    page.goto(held.as_uri())
    expect(page.get_by_role("heading", level=1)).to_have_text("Proof of <Tea & house>")
    first = page.locator("article").first
    expect(first.get_by_role("heading")).to_have_text("1. img/coffee.jpg")
    expect(first.get_by_text("colour shifted").first).to_be_visible()
    assert violations(page) == []
    swap = first.get_by_role("button")
    before, after = (box.bounding_box() for box in swap.locator("img").all())
    assert before == after
    swap.focus()
    expect(swap.locator("img").nth(1)).to_be_visible()
    page.keyboard.down("Space")
    expect(swap.locator("img").nth(1)).to_be_hidden()
    page.keyboard.up("Space")
    expect(swap.locator("img").nth(1)).to_be_visible()


def test_what_is_no_handover_is_refused(site_folder: Path, tmp_path: Path) -> None:
    """And a rendition that is broken is listed with why; the rest is judged, drawings and animations too."""
    refused = run("proof", str(site_folder), str(site_folder), "--out", str(tmp_path / "p.html"))
    assert refused.returncode == 2 and "holds no manifest of a handover" in refused.stderr
    out = tmp_path / "out"
    drawing = "<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 9 9'><!-- {} --><path d='M1 1h7v7z'/></svg>"
    (site_folder / "img/plan.svg").write_text(drawing.format("ballast " * 900))
    frames = [photograph("coffee").resize((160, 120)).rotate(30 * n) for n in range(4)]
    frames[0].save(site_folder / "img/turn.gif", save_all=True, append_images=frames[1:], duration=90)
    home = site_folder / "index.html"
    home.write_text(
        home.read_text().replace("<body>", "<body><img src=img/plan.svg alt=P><img src=img/turn.gif alt=T>")
    )
    treat_folder(Folder(site_folder), out, Rules(fixed=True), TreatOptions(compare=False))
    for file in json.loads((out / "manifest.json").read_text())["files"]:
        if file["original"] == "img/coffee.jpg":
            (out / file["path"]).write_bytes(b"nothing")
        elif file["original"] == "img/cat.jpg":
            Image.new("RGB", (9, 7)).save(out / file["path"], "JPEG")
    done = run("proof", str(site_folder), str(out), "--out", str(tmp_path / "p.html"))
    assert done.returncode == 0, done.stderr
    text = (tmp_path / "p.html").read_text()
    assert "The file is no picture of pixels." in text and "it can&#39;t be held against the whole picture" in text
    for path in ("img/plan.svg", "img/turn.gif"):
        assert f". {path}</h2>" in text, path
