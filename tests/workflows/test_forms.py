"""A handover leaves in four forms; whatever the form, pages look as before and the originals are not lost."""

from __future__ import annotations

import csv
import io
import json
import os
import re
import zipfile
from hashlib import sha256
from pathlib import Path

import jsonschema_rs
import pytest
from PIL import Image

from command_line import run
from ivory_thistle.intake.folder import Folder
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.system.files import write_below
from ivory_thistle.workflows.into_site import backup_of, undo_in_site, write_into_site
from ivory_thistle.workflows.packing import Entry
from pictures import encoded, photograph

pytestmark = [pytest.mark.browser, pytest.mark.usefixtures("two_screens")]
QUICK = ("--quality", "webp=80", "--no-compare")


def contents(folder: Path) -> dict[str, str]:
    """Every file of a folder by path, as a digest."""
    return {
        p.relative_to(folder).as_posix(): sha256(p.read_bytes()).hexdigest() for p in folder.rglob("*") if p.is_file()
    }


SCHEMA = json.loads((Path(__file__).parents[2] / "docs/manifest.schema.json").read_text())


@pytest.mark.whole
def test_same_addresses(site_folder: Path, tmp_path: Path) -> None:
    """Nothing of the site changes; each new file is its original's size, is lighter, and the check passes in each tier."""
    out = tmp_path / "out"
    done = run("handover", str(site_folder), "--out", str(out), "--form", "same-addresses", *QUICK)
    assert (done.returncode, done.stdout.splitlines()[-1]) == (0, f"Written to {out}.")
    before, after = contents(site_folder), contents(out)
    assert before.items() <= after.items()
    manifest = json.loads((out / "manifest.json").read_text())
    jsonschema_rs.validate(SCHEMA, manifest)
    added = set(after) - set(before) - {"manifest.json", "savings.csv", "report.json"}
    assert {"server-snippets/nginx.conf", "server-snippets/apache.htaccess"} < added
    files = manifest["files"]
    assert added - {p for p in added if p.startswith("server")} == {f["path"] for f in files} and len(files) > 5
    for file in files:
        original = out / file["original"]
        with Image.open(original) as a, Image.open(out / file["path"]) as b:
            assert a.size == b.size and file["path"].startswith(f"{file['original']}.light.")
        assert (out / file["path"]).stat().st_size < original.stat().st_size
    checked = run("check", str(site_folder), str(out), "--screens", "phone,desktop", "--json")
    assert checked.returncode == 0, checked.stdout
    told = json.loads(checked.stdout)["pages"]
    weighs = {p["tier"]: p["after"] for p in told if (p["page"], p["screen"]) == ("index.html", "phone")}
    assert len(told) == 12 and weighs["avif"] < weighs["baseline"] < max(p["before"] for p in told)


def test_same_addresses_whatever_the_name_and_the_query(tmp_path: Path) -> None:
    """Servers choose by the file that an address leads to: quoted or not, with any query behind it."""
    site, out = tmp_path / "site", tmp_path / "out"
    site.mkdir()
    (site / "grün é.jpg").write_bytes(encoded(photograph("coffee"), "JPEG"))
    shown = "<img src='grün é.jpg' alt=x width=300><img src='gr%C3%BCn%20%C3%A9.jpg?v=1&amp;w=2' alt=y width=200>"
    (site / "index.html").write_text(f"<!doctype html><meta charset=utf-8><title>t</title>{shown}")
    assert run("handover", str(site), "--out", str(out), "--form", "same-addresses", *QUICK).returncode == 0
    checked = run("check", str(site), str(out), "--screens", "phone", "--json")
    told = {page["tier"]: page for page in json.loads(checked.stdout)["pages"]}
    assert checked.returncode == 0, checked.stdout
    (light,) = (file for file in out.iterdir() if file.suffix == ".avif")
    assert told["avif"]["after"] == told["avif"]["foretold"] == 2 * light.stat().st_size < told["avif"]["before"]


@pytest.mark.slow
def test_in_place(site_folder: Path, tmp_path: Path) -> None:
    """Same names, formats and pixels, fewer bytes; the originals stand in a folder of their own."""
    out = tmp_path / "out"
    assert run("handover", str(site_folder), "--out", str(out), "--form", "in-place", *QUICK).returncode == 0
    before, after = contents(site_folder), contents(out)
    changed = {path for path in before if after[path] != before[path]}
    assert changed and all(path.startswith("img/") for path in changed)
    for path in changed:
        assert after[f"originals/{path}"] == before[path]
        with Image.open(site_folder / path) as a, Image.open(out / path) as b:
            assert (a.size, a.format) == (b.size, b.format)
        assert (out / path).stat().st_size < (site_folder / path).stat().st_size
    assert run("check", str(site_folder), str(out), "--screens", "phone", "--tiers", "avif").returncode == 0


def test_in_place_for_an_upload_folder(site_folder: Path, tmp_path: Path) -> None:
    """A folder of pictures alone keeps all names; a WebP file stays WebP, and a GIF stays as it is."""
    uploads = site_folder / "img"
    with Image.open(uploads / "cat.jpg") as cat:
        cat.save(uploads / "cat.webp", quality=100)
        cat.save(uploads / "cat.gif")
    assert run("handover", str(uploads), "--out", str(tmp_path / "out"), "--form", "in-place", *QUICK).returncode == 0
    before, after = contents(uploads), contents(tmp_path / "out")
    assert before.keys() <= after.keys() and after["cat.gif"] == before["cat.gif"]
    assert after["originals/cat.webp"] == before["cat.webp"] != after["cat.webp"]
    with Image.open(tmp_path / "out/cat.webp") as cat:
        assert cat.format == "WEBP"


def test_files_only_as_a_zip(site_folder: Path, tmp_path: Path) -> None:
    """The new files by the pattern that was asked for, without anything of the site; hashes tell their content."""
    target = tmp_path / "new.zip"
    pattern = "{name}-{width}.{hash}.{ext}"
    options = ("--zip", str(target), "--form", "files-only", "--name", pattern, *QUICK)
    assert run("handover", str(site_folder), *options).returncode == 0
    with zipfile.ZipFile(target) as archive:
        assert archive.testzip() is None
        names = set(archive.namelist())
        files = json.loads(archive.read("manifest.json"))["files"]
        assert names == {"manifest.json", "savings.csv", "report.json"} | {f["path"] for f in files} and files
        for file in files:
            digest = sha256(archive.read(file["path"])).hexdigest()
            folder, _, name = file["original"].rpartition("/")
            stem, kind = name.rsplit(".", 1)[0], {"avif": "avif", "webp": "webp", "jpeg": "jpg", "png": "png"}
            assert file["path"] == f"{folder}/{stem}-{file['width']}.{digest[:8]}.{kind[file['format']]}"


@pytest.mark.whole
def test_words_are_written_and_files_renamed(site_folder: Path, tmp_path: Path) -> None:
    """As a CSV says that was edited; old addresses lead to the new ones, the check passes, and nothing else changes."""
    page = site_folder / "index.html"
    page.write_text(page.read_text().replace("</body>", "<p>Sea<p><img src=img/IMG_7.jpg></body>"))
    other = site_folder / "more/second.html"
    ruled = "<style>img:not([alt]) + i{color:red}</style><img src=../img/IMG_7.jpg><i>x</i></body>"
    other.write_text(other.read_text().replace("</body>", ruled))
    (site_folder / "img/IMG_7.jpg").write_bytes((site_folder / "img/china.jpg").read_bytes() + b"\0")
    table, out = tmp_path / "words.csv", tmp_path / "out"
    listed = run("wording", str(site_folder), "--out", str(table))
    assert listed.stdout == "Images without alternative text: 2. Files with a better name: 1 of 6.\n"
    rows = list(csv.DictReader(table.open(newline="")))
    missing = [row for row in rows if row["kind"] == "alternative"]
    assert ("index.html", "img/IMG_7.jpg") in [(row["page"], row["path"]) for row in missing]
    for row in rows:
        if row["path"] == "img/IMG_7.jpg":
            row["text"] = "Hills in mist" if row["kind"] == "alternative" else "misty-hills"
    with table.open("w", newline="") as file:
        writer = csv.DictWriter(file, rows[0])
        writer.writeheader()
        writer.writerows(rows)
    done = run("handover", str(site_folder), "--out", str(out), "--wording", str(table), "--quality", "webp=80")
    assert done.returncode == 0, done.stderr
    assert re.search(r"more/second.html, line \d+: no alternative text is written, since a style rule", done.stdout)
    assert "Hills in mist" not in (out / "more/second.html").read_text()
    text = (out / "index.html").read_text()
    assert 'alt="Hills in mist"' in text and "img/misty-hills" in text and "IMG_7" not in text
    assert (out / "img/misty-hills.jpg").read_bytes() == (site_folder / "img/IMG_7.jpg").read_bytes()
    assert not (out / "img/IMG_7.jpg").exists()
    manifest = json.loads((out / "manifest.json").read_text())
    jsonschema_rs.validate(SCHEMA, manifest)
    assert manifest["renamed"] == {"img/IMG_7.jpg": "img/misty-hills.jpg"}
    assert all((out / file["path"]).is_file() for file in manifest["files"])
    assert (out / "redirects.csv").read_text().splitlines()[1] == "/img/IMG_7.jpg,/img/misty-hills.jpg"
    checked = run("check", str(site_folder), str(out), "--screens", "phone")
    assert checked.returncode == 0, checked.stdout


@pytest.mark.whole
def test_what_fails_the_check_is_not_written(
    site_folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """With `--check`, a handover whose new files are spoilt says what is wrong, and leaves nothing."""
    spoilt = Blobs.get

    def grey(blobs: Blobs, digest: str) -> bytes:
        data = spoilt(blobs, digest)
        out = io.BytesIO()
        if data[4:12] != b"ftypavif":
            return data
        with Image.open(io.BytesIO(data)) as image:
            Image.new("RGB", image.size, "grey").save(out, "AVIF")
        return out.getvalue()

    monkeypatch.setattr(Blobs, "get", grey)
    done = run("handover", str(site_folder), "--zip", str(tmp_path / "x.zip"), "--check", *QUICK)
    assert done.returncode == 1 and "The page looks different" in done.stdout
    assert not list(tmp_path.glob("*.zip"))


def test_into_the_site_and_back(site_folder: Path) -> None:
    """What is replaced is kept; undoing gives the very site that was, and what somebody changed since stays."""
    before = contents(site_folder)
    assert run("handover", str(site_folder), "--into-site", *QUICK).returncode == 0
    written = contents(site_folder)
    assert written["index.html"] != before["index.html"] and len(written) > len(before)
    again = run("handover", str(site_folder), "--into-site", *QUICK)
    assert again.returncode == 2 and "undo that first" in again.stderr
    page = site_folder / "index.html"
    page.write_bytes(page.read_bytes() + b"<!-- by hand -->")
    undone = run("handover", str(site_folder), "--undo")
    assert (undone.returncode, undone.stdout.splitlines()[-1]) == (
        1, "Left as it is, for it was changed since: index.html",
    )  # fmt: skip
    assert contents(site_folder).keys() == before.keys()
    page.write_bytes((backup_of(site_folder) / "files/index.html").read_bytes())
    assert run("handover", str(site_folder), "--undo").returncode == 0
    assert contents(site_folder) == before and not backup_of(site_folder).exists()
    nothing = run("handover", str(site_folder), "--undo")
    assert nothing.returncode == 2 and nothing.stderr.startswith("There is nothing to undo: ")


@pytest.mark.parametrize("dies_after", range(4))
def test_what_dies_halfway_can_be_undone(site_folder: Path, dies_after: int) -> None:
    """Whatever was written until then is taken back."""
    before = contents(site_folder)
    what = [Entry("index.html", b"new"), Entry("css/main.css", b"new"), Entry("a/b.txt", b"new"), Entry("z", b"new")]

    class DiedError(Exception):
        """The machine went away."""

    writes = iter(range(100))

    def dying(root: Path, path: str, content: bytes, like: os.stat_result | None = None) -> None:
        # The copies of the two files that are replaced are the first.
        if next(writes) > dies_after + 1:
            raise DiedError
        write_below(root, path, content, like)

    with pytest.MonkeyPatch.context() as patch, pytest.raises(DiedError):
        patch.setattr("ivory_thistle.workflows.into_site.write_below", dying)
        write_into_site(site_folder, what, lambda new: b"")
    undo_in_site(site_folder)
    assert contents(site_folder) == before


@pytest.mark.parametrize(
    ("options", "words"),
    [
        ((), "Give one of --out, --zip, --into-site and --undo.\n"),
        (("--zip", "x.zip", "--undo"), "Give one of --out, --zip, --into-site and --undo.\n"),
        (
            ("--zip", "x.zip", "--form", "cloud"),
            "There is no form 'cloud'; there are markup, same-addresses, files-only, in-place.\n",
        ),
        (("--zip", "/does/not/exist/x.zip"), "The folder /does/not/exist does not exist.\n"),
    ],
)
def test_what_can_not_be_asked(site_folder: Path, options: tuple[str, ...], words: str) -> None:
    """Is said in one line, before anything is read."""
    done = run("handover", str(site_folder), *options)
    assert (done.returncode, done.stderr) == (2, words)


def test_a_page_that_leads_out_of_the_site_is_refused(site_folder: Path, tmp_path: Path) -> None:
    """A folder of the site that became a link to elsewhere is not written through."""
    (tmp_path / "elsewhere").mkdir()
    (site_folder / "linked").symlink_to(tmp_path / "elsewhere")
    with pytest.raises(Exception, match="leads out of"):
        write_into_site(Folder(site_folder).root, [Entry("linked/x", b"x")], lambda new: b"")
    assert not list((tmp_path / "elsewhere").iterdir())
