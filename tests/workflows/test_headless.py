"""The command line: audit and treat a folder, and what comes out."""

from __future__ import annotations

import json
import shutil
import subprocess
from pathlib import Path

import pytest
from PIL import Image

from command_line import run
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.intake.folder import Folder
from ivory_thistle.workflows.folders import treat_folder
from ivory_thistle.workflows.reading import read_folder
from ivory_thistle.workflows.reporting import audit_json
from pictures import camera_picture, opened, photograph, png_that_claims

pytestmark = pytest.mark.usefixtures("two_screens")


def contents(root: Path) -> dict[str, bytes]:
    return {p.relative_to(root).as_posix(): p.read_bytes() for p in root.rglob("*") if p.is_file()}


def test_audit_counts_distinct_files_by_any_reference(site_folder: Path) -> None:
    """A page's bytes are the summed sizes of the distinct local image files that it references."""
    result = run("audit", str(site_folder), "--json")
    assert result.returncode == 0, result.stderr
    told = json.loads(result.stdout)
    size = {p.name: p.stat().st_size for p in (site_folder / "img").iterdir()}
    on_index = ("coffee.jpg", "graphic.png", "cat.jpg", "china.jpg")
    assert told["totals"] == {
        "pages": 2,
        "images": 6,
        "image_bytes": sum(size.values()),
        "unused_images": 1,
        "broken_references": 1,
    }
    assert told["pages"][0] == {
        "path": "index.html",
        "images": 4,
        "bytes": sum(size[n] for n in on_index),
        "broken": ["img/missing.jpg"],
    }
    assert told["pages"][1]["bytes"] == size["coffee.jpg"] + size["coffee-2x.jpg"]
    coffee = next(i for i in told["images"] if i["path"] == "img/coffee.jpg")
    assert (coffee["format"], coffee["width"], coffee["height"], coffee["pages"]) == ("jpeg", 600, 400, 2)


@pytest.mark.slow
def test_treating_writes_a_whole_site_and_keeps_the_original(site_folder: Path, tmp_path: Path) -> None:
    """Originals untouched, new files decode, savings add up, and treating the result changes nothing."""
    (site_folder / "img/bomb.png").write_bytes(png_that_claims(60_000, 60_000))
    index = site_folder / "index.html"
    index.write_text(index.read_text().replace("</body>", "<img src=img/bomb.png></body>"))
    before = contents(site_folder)
    out = tmp_path / "out"
    result = run("treat", str(site_folder), "--out", str(out), "--json", "--quality", "webp=60,jpeg=92")
    assert result.returncode == 0, result.stderr
    told = json.loads(result.stdout)
    after = contents(out)
    assert contents(site_folder) == before
    rewritten = {"index.html", "more/second.html", "css/main.css"}
    assert {p for p in before if after[p] != before[p]} == rewritten
    assert told["failed"] == [
        {
            "path": "img/bomb.png",
            "reason": "It claims 60,000 × 60,000 pixels, more than the 120 million taken.",
        }
    ]
    manifest = json.loads(after["manifest.json"])
    assert {f["path"] for f in manifest["files"]} == set(after) - set(before) - {
        "manifest.json",
        "savings.csv",
        "report.json",
    }
    for made in manifest["files"]:
        assert opened(after[made["path"]]).size == (made["width"], made["height"])
        assert made["bytes"] == len(after[made["path"]]) < len(before[made["original"]])
    assert {f["tier"] for f in manifest["files"]} == {"avif", "webp", "baseline"}
    savings = told["savings"]
    assert savings["after"] < savings["before"] * 0.5
    assert all(p["saved"] == p["before"] - p["after"] and p["saved"] > 0 for p in savings["pages"])
    assert len(after["savings.csv"].splitlines()) == 4

    again = treat_folder(Folder(out), tmp_path / "again", Rules(fixed=True))
    assert contents(tmp_path / "again") == after
    assert not again.handover.new_files and again.site.broken_count == 1 and len(again.failed) == 1


def test_the_handover_leads_nowhere_that_is_not_there(site_folder: Path, tmp_path: Path) -> None:
    """Every address in the rewritten pages is a file, but for the one that was broken before."""
    treat_folder(Folder(site_folder), tmp_path / "out", Rules(fixed=True))
    audit = audit_json(read_folder(Folder(tmp_path / "out")))
    assert [p["broken"] for p in audit["pages"]] == [["img/missing.jpg"], []]


@pytest.mark.parametrize(
    ("arguments", "message"),
    [
        (["audit", "/does/not/exist"], "The folder /does/not/exist does not exist."),
        (["audit"], "Missing argument"),
        (
            ["treat", "{site}", "--out", "{site}/inside"],
            "{site}/inside lies inside the site's own folder; name one outside.",
        ),
        (["treat", "{site}", "--out", "{site}"], "{site} exists and is not empty; name a new folder."),
        (["treat", "{site}", "--out", "/does/not/exist"], "The folder /does/not does not exist."),
        (["treat", "{site}", "--wrong"], "No such option"),
    ],
)
def test_unusable_arguments_are_one_line_and_exit_code_2(site_folder: Path, arguments: list[str], message: str) -> None:
    """What happened and what to do, without a traceback."""
    result = run(*(a.format(site=site_folder) for a in arguments))
    assert result.returncode == 2
    assert message.format(site=site_folder) in result.stderr
    assert len(result.stderr.strip().splitlines()) == 1


@pytest.mark.whole
def test_a_manifest_of_the_site_is_not_overwritten(site_folder: Path, tmp_path: Path) -> None:
    """A web application's own manifest.json stays; ours takes another name."""
    (site_folder / "manifest.json").write_text('{"name": "theirs"}')
    treat_folder(Folder(site_folder), tmp_path / "out", Rules(fixed=True))
    assert (tmp_path / "out/manifest.json").read_text() == '{"name": "theirs"}'
    assert json.loads((tmp_path / "out/handover-manifest.json").read_text())["kind"] == "ivory-thistle-handover"


def test_a_patch_leads_to_the_handed_over_pages_and_back(site_folder: Path, tmp_path: Path) -> None:
    """By GNU patch, on a copy of the site: every rewritten file, byte for byte."""
    out, patch, copy = (tmp_path / name for name in ("out", "site.patch", "copy"))
    options = ("--quality", "webp=60,jpeg=92", "--no-compare", "--patch", str(patch), "--json")
    done = run("treat", str(site_folder), "--out", str(out), *options)
    assert done.returncode == 0, done.stderr
    shutil.copytree(site_folder, copy)
    rewritten = json.loads((out / "manifest.json").read_text())["rewritten"]
    assert "index.html" in rewritten
    for file, after in ((patch, out), (tmp_path / "site.reverse.patch", site_folder)):
        call = ["patch", "-p1", "--binary", "--quiet", "-i", str(file)]
        subprocess.run(call, cwd=copy, check=True)
        assert all((copy / path).read_bytes() == (after / path).read_bytes() for path in rewritten)


@pytest.mark.whole
def test_a_fidelity_by_name(site_folder: Path, tmp_path: Path) -> None:
    """Every lossy file's score is in the manifest; an unknown name is one line and exit code 2."""
    done = run("treat", str(site_folder), "--out", str(tmp_path / "out"), "--fidelity", "lean", "--json")
    assert done.returncode == 0, done.stderr
    files = json.loads((tmp_path / "out" / "manifest.json").read_text())["files"]
    photographs = [f for f in files if f["format"] == "avif" and "coffee" in f["path"]]
    assert photographs and all(f["score"] >= 50 for f in photographs)
    wrong = run("treat", str(site_folder), "--out", str(tmp_path / "two"), "--fidelity", "splendid")
    assert (wrong.returncode, wrong.stderr.strip()) == (
        2,
        "There is no fidelity 'splendid'; there are exacting, faithful, everyday, lean.",
    )


@pytest.fixture
def pictures_folder(tmp_path: Path) -> Path:
    """Pictures alone, one of them in a folder of its own."""
    folder = tmp_path / "pictures"
    (folder / "trip").mkdir(parents=True)
    camera_picture(1200, 800).save(folder / "trip" / "ridge walk.jpg", quality=92)
    photograph("astronaut").save(folder / "portrait.png")
    return folder


def files_in(folder: Path) -> dict[str, tuple[int, int]]:
    """The pictures below a folder with their sizes in pixels."""
    return {
        p.relative_to(folder).as_posix(): Image.open(p).size
        for p in sorted(folder.rglob("*"))
        if p.suffix in (".avif", ".webp", ".jpg", ".png")
    }


def test_a_folder_of_pictures_alone(pictures_folder: Path, tmp_path: Path) -> None:
    """Fixed qualities, two formats, widths and a pattern of names: folders kept, originals untouched, nothing enlarged."""
    before = {p: p.read_bytes() for p in pictures_folder.rglob("*") if p.is_file()}
    out = tmp_path / "out"
    done = run(
        "treat", str(pictures_folder), "--out", str(out), "--quality", "webp=70,avif=45", "--formats", "avif,webp",
        "--widths", "300,900", "--name", "{name}_{width}x{height}.{ext}", "--metadata", "copyright",
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert files_in(out) == {
        "portrait_300x300.avif": (300, 300), "portrait_300x300.webp": (300, 300),
        "portrait_512x512.avif": (512, 512), "portrait_512x512.webp": (512, 512),
        "trip/ridge walk_300x200.avif": (300, 200), "trip/ridge walk_300x200.webp": (300, 200),
        "trip/ridge walk_900x600.avif": (900, 600), "trip/ridge walk_900x600.webp": (900, 600),
    }  # fmt: skip
    assert {p: p.read_bytes() for p in before} == before
    listed = json.loads((out / "manifest.json").read_text())["files"]
    assert {f["settings"].split(",")[0] for f in listed} == {"quality 45", "quality 70"}


def test_a_cap_and_a_box(pictures_folder: Path, tmp_path: Path) -> None:
    """The best look within the bytes, cut square around a point; names may be those of the originals."""
    out = tmp_path / "out"
    done = run(
        "treat", str(pictures_folder), "--out", str(out), "--cap", "20kB", "--fill", "400x400", "--focus", "0.2,0.5",
        "--name", "{name}.{ext}", "--json",
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    made = files_in(out)
    assert set(made.values()) == {(400, 400)} and {"trip/ridge walk.jpg", "portrait.jpg"} <= set(made)
    assert all((out / path).stat().st_size <= 20_000 for path in made)


WRONG = {
    ("--cap", "many"): "'many' is no size; write 100kB or 1.5MB (kB = 1,000 bytes).",
    ("--quality", "gif=3"): "'gif=3' is no quality; write avif=56, webp=80 or jpeg=80, each from 1 to 100.",
    ("--formats", "bmp"): "There is no format 'bmp' to write; there are avif, webp, fallback.",
    ("--widths", "wide"): "--widths takes whole numbers of pixels, not 'wide'.",
    ("--fit", "12"): "--fit takes width and height in pixels like 1200x800, not '12'.",
    ("--focus", "0.5,0.5"): "--focus goes with --fill.",
    ("--metadata", "some"): "Metadata can't be 'some'; there are none, copyright and keep.",
    ("--cap", "9kB", "--fidelity", "lean"): "Give one of --fidelity, --cap and --quality.",
    ("--longest", "9", "--percent", "5"): "Give one of --longest, --percent, --fit and --fill.",
    ("--name", "../{name}.{ext}"): (
        "A pattern of names holds {name}, ends in .{ext}, and may hold {name}, {width}, {height}, {hash}, {ext};"
        " not '../{name}.{ext}'."
    ),
}


@pytest.mark.parametrize("arguments", WRONG, ids=" ".join)
def test_what_can_not_be_asked_for_is_said(arguments: tuple[str, ...], pictures_folder: Path, tmp_path: Path) -> None:
    """One line, exit code 2, and nothing is written."""
    done = run("treat", str(pictures_folder), "--out", str(tmp_path / "out"), *arguments)
    assert (done.returncode, done.stderr.strip()) == (2, WRONG[arguments])
    assert not (tmp_path / "out").exists()


def test_sizes_are_for_pictures_alone(site_folder: Path, tmp_path: Path) -> None:
    """A site's widths follow from where it shows its images."""
    done = run("treat", str(site_folder), "--out", str(tmp_path / "out"), "--widths", "300")
    assert done.returncode == 2
    assert done.stderr.strip().endswith("They can be given for folders of pictures alone.")


def test_rules_of_a_file_decide_image_by_image(site_folder: Path, tmp_path: Path) -> None:
    """By path and role; other options win over what holds for all; what is wrong is told before anything is read."""
    rules = tmp_path / "rules.toml"
    rules.write_text(
        '[all]\nquality = { webp = 70 }\nmetadata = "keep"\n[[rule]]\npath = "img/cat.jpg"\nleave = true\n'
        '[[rule]]\npath = "img/coffee*"\nformats = ["webp"]\nmax_width = 300\n'
    )
    out = tmp_path / "out"
    done = run("handover", str(site_folder), "--out", str(out), "--rules", str(rules), "--no-compare")
    assert done.returncode == 0, done.stderr
    made = json.loads((out / "manifest.json").read_text())
    assert made["rules"]["metadata"] == "keep"
    originals = {f["original"] for f in made["files"]}
    assert "img/cat.jpg" not in originals and "img/china.jpg" in originals
    coffee = [f for f in made["files"] if f["original"] == "img/coffee.jpg"]
    assert {f["tier"] for f in coffee} <= {"webp", "baseline"} and max(
        f["width"] for f in coffee if f["tier"] == "webp"
    ) <= 300
    said = made["decisions"]["img/coffee.jpg"][0]
    assert said == "By the rule for images at img/coffee*: WebP with a fallback, no wider than 300 px."
    rules.write_text("[all]\nformat = 3\n")
    refused = run("treat", str(site_folder), "--out", str(tmp_path / "no"), "--rules", str(rules))
    assert refused.returncode == 2 and refused.stderr.startswith("Line 2, all.format: there is no 'format'; there are ")
    assert not (tmp_path / "no").exists()
    missing = run("treat", str(site_folder), "--out", str(tmp_path / "no"), "--rules", str(tmp_path / "gone.toml"))
    assert missing.stderr.strip() == f"{tmp_path / 'gone.toml'} can't be read: No such file or directory."


def test_formats_can_be_chosen_for_sites_too(site_folder: Path, tmp_path: Path) -> None:
    """Pages have the fallback besides."""
    out = tmp_path / "out"
    done = run(
        "treat", str(site_folder), "--out", str(out), "--formats", "webp", "--quality", "webp=70", "--no-compare"
    )
    assert done.returncode == 0, done.stderr
    tiers = {f["tier"] for f in json.loads((out / "manifest.json").read_text())["files"]}
    assert tiers == {"webp", "baseline"}
