"""Findings: each from the smallest site that has it; whole sentences, places, and bytes at stake."""

from __future__ import annotations

import random
import re
from collections.abc import Sequence
from itertools import combinations
from pathlib import Path

import pytest
from PIL import Image as Pillow

from application import ROOT
from ivory_thistle.core.budgets.policy import PageBudget, Policy
from ivory_thistle.core.findings.audit import Audit, audit_site
from ivory_thistle.core.findings.catalogue import CATALOGUE, Finding
from ivory_thistle.core.findings.duplicates import near_duplicates
from ivory_thistle.core.findings.images import is_poor_name, needed_width
from ivory_thistle.core.findings.pages import PageWeighed
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.images.kind import Look
from ivory_thistle.core.references.site import Image
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS
from ivory_thistle.core.treatment.roles import Slot
from ivory_thistle.intake.folder import Folder
from ivory_thistle.workflows.reading import read_folder
from pictures import encoded, photograph, translucent_graphic

PHONE, TABLET, LAPTOP, DESKTOP = DEFAULT_SCREENS
PLAIN = Policy()
PHOTO = encoded(photograph("chelsea"), "JPEG", quality=80)


def audited(
    root: Path,
    pages: dict[str, str],
    files: dict[str, bytes],
    slots: Sequence[Slot] = (),
    weighed: Sequence[PageWeighed] = (),
    policy: Policy = PLAIN,
) -> Audit:
    """The audit of a site made of these pages and files."""
    for path, content in {**{p: h.encode() for p, h in pages.items()}, **files}.items():
        (root / path).parent.mkdir(parents=True, exist_ok=True)
        (root / path).write_bytes(content)
    folder = Folder(root)
    return audit_site(read_folder(folder), folder.read, slots, weighed, policy)


def of(audit: Audit, code: str) -> list[Finding]:
    """The findings of one code."""
    return [f for f in audit.findings if f.code == code]


def box(path: str, width: float, height: float, **more: object) -> Slot:
    """A measured box on the desktop screen."""
    values = {"page": "index.html", "screen": DESKTOP, "path": path, "kind": "img", "x": 0, "y": 0, "fit": "fill"}
    return Slot(width=width, height=height, **{**values, **more})  # type: ignore[arg-type]


def noisy(width: int, height: int, **options: object) -> bytes:
    """A photograph of that size as JPEG."""
    return encoded(photograph("coffee").resize((width, height)), "JPEG", **{"quality": 85, **options})


def test_every_code_is_documented_and_every_documented_code_exists() -> None:
    """docs/findings.md lists code, title, threshold and mend as the catalogue has them."""
    page = (ROOT / "docs" / "findings.md").read_text()
    assert set(re.findall(r"^\| `([\w-]+)`", page, re.MULTILINE)) == set(CATALOGUE)
    for code, sort in CATALOGUE.items():
        assert f"| `{code}` | {sort.title} | {sort.threshold} | {sort.mend} |" in page


def test_every_code_used_is_in_the_catalogue() -> None:
    """No code without title and mend: all literal codes of the sources are known."""
    sources = "".join(p.read_text() for p in (ROOT / "src/ivory_thistle/core/findings").glob("*.py"))
    used = set(re.findall(r'(?:found|finding|at|Finding)\(\s*"([a-z-]+)"', sources))
    assert used == set(CATALOGUE)


def test_more_pixels_than_any_slot_needs(tmp_path: Path) -> None:
    """The stake is the share of pixels that no slot shows; two pixels a CSS px are granted."""
    big = noisy(1600, 1067)
    slots = [box("a.jpg", 300, 200), box("a.jpg", 390, 260, screen=PHONE)]
    found = of(audited(tmp_path, {"index.html": "<img src=a.jpg>"}, {"a.jpg": big}, slots), "too-many-pixels")
    assert [f.sentence for f in found] == ["a.jpg is 1,600 px wide; 780 would do for its largest slot."]
    assert found[0].stake == round(len(big) * (1 - (780 / 1600) ** 2)) and not found[0].measured
    enough = [box("a.jpg", 800, 533, screen=LAPTOP)]
    assert of(audited(tmp_path, {}, {}, enough), "too-many-pixels") == []


def test_a_slot_filled_by_cutting_needs_both_sides() -> None:
    """object-fit: cover in a tall box needs the height; a background at its own size needs nothing."""
    assert needed_width([box("a", 100, 400, fit="cover")], 0.5) == 800
    assert needed_width([box("a", 900, 400, fit="contain")], 0.5) == 800
    assert needed_width([box("a", 100, 400)], 0.5) == 100
    assert needed_width([box("a", 100, 400, kind="background", fit="auto")], 0.5) == 0
    assert needed_width([box("a", 100, 50, screen=PHONE)], 0.5) == 200


def test_caps_by_role(tmp_path: Path) -> None:
    """A hero may weigh twice what a content picture may; what is measured decides the role."""
    photo = noisy(1300, 867)
    assert 150_000 < len(photo) < 300_000
    hero = [box("a.jpg", 1920, 900, first_screen=True)]
    content = [box("a.jpg", 700, 467)]
    page = {"index.html": "<img src=a.jpg>"}
    assert of(audited(tmp_path, page, {"a.jpg": photo}, hero), "over-cap") == []
    (found,) = of(audited(tmp_path, page, {"a.jpg": photo}, content), "over-cap")
    assert found.stake == len(photo) - 150_000 and "as content it may weigh 150 kB" in found.sentence


def test_encodings(tmp_path: Path) -> None:
    """A photograph as PNG, a graphic as JPEG, a photograph without loss, and a quality nobody sees."""
    photo = photograph("astronaut")
    drawn = translucent_graphic().convert("RGB")
    files = {
        "portrait.png": encoded(photo, "PNG"),
        "drawn.jpg": encoded(drawn, "JPEG", quality=95),
        "loss.webp": encoded(photo, "WEBP", lossless=True),
        "fine.jpg": encoded(photo, "JPEG", quality=95),
        "good.jpg": encoded(photo, "JPEG", quality=80),
    }
    html = "".join(f"<img src={n} alt=x width=9 height=9>" for n in files)
    audit = audited(tmp_path, {"index.html": html}, files)
    codes = {n: {f.code for f in audit.findings if f.image == n} - {"near-duplicate"} for n in files}
    assert codes == {
        "portrait.png": {"photo-as-png", "over-cap"},
        "drawn.jpg": {"graphic-as-jpeg", "quality-too-high", "old-format"},
        "loss.webp": {"lossless-photo", "over-cap"},
        "fine.jpg": {"quality-too-high", "old-format"},
        "good.jpg": {"old-format"},
    }


def test_a_picture_with_modern_sources_is_no_old_format(tmp_path: Path) -> None:
    """The fallback beside AVIF or WebP is as it should be."""
    html = "<picture><source srcset=a.webp type=image/webp><img src=a.jpg></picture>"
    files = {"a.jpg": PHOTO, "a.webp": encoded(photograph("chelsea"), "WEBP")}
    assert of(audited(tmp_path, {"index.html": html}, files), "old-format") == []


def test_alpha_colour_animation_metadata_and_names(tmp_path: Path) -> None:
    """One file each."""
    exif = Pillow.Exif()
    exif[0x8298] = "© Mara Vell"
    exif.get_ifd(0x8825)[1] = "N"
    exif.get_ifd(0x8825)[2] = (47.0, 1.0, 2.0)
    frames = [Pillow.new("RGB", (80, 80), (n * 60, 0, 0)) for n in range(4)]
    opaque = photograph("chelsea").convert("RGBA")
    files = {
        "opaque.png": encoded(opaque, "PNG"),
        "print.jpg": encoded(photograph("chelsea").convert("CMYK"), "JPEG"),
        "deep.png": encoded(
            Pillow.fromarray(__import__("numpy").arange(65536, dtype="uint16").reshape(256, 256)), "PNG"
        ),
        "moving.gif": encoded(frames[0], "GIF", save_all=True, append_images=frames[1:]),
        "DSC_0431.jpg": encoded(photograph("chelsea"), "JPEG", exif=exif, comment=b"x" * 3000),
        "wrong.png": PHOTO,
    }
    html = "".join(f"<img src={n} alt=x>" for n in files)
    audit = audited(tmp_path, {"index.html": html}, files)
    found = {(f.code, f.image) for f in audit.findings}
    assert {
        ("unused-alpha", "opaque.png"), ("wrong-colour", "print.jpg"), ("wrong-colour", "deep.png"),
        ("animated-gif", "moving.gif"), ("metadata", "DSC_0431.jpg"), ("gps-position", "DSC_0431.jpg"),
        ("poor-name", "DSC_0431.jpg"), ("wrong-extension", "wrong.png"),
    } <= found  # fmt: skip
    (metadata,) = of(audit, "metadata")
    assert metadata.measured and metadata.stake >= 3000 and metadata.evidence["comment"] == 3000


def test_copies_near_copies_and_unused_files(tmp_path: Path) -> None:
    """Equal contents, nearly equal pictures, a ladder that is meant to be alike, and a file that nobody names."""
    photo = photograph("coffee")
    files = {
        "one.jpg": encoded(photo, "JPEG", quality=90),
        "same.jpg": encoded(photo, "JPEG", quality=90),
        "near.jpg": encoded(photo.resize((450, 300)), "JPEG", quality=60),
        "ladder-300.jpg": encoded(photograph("rocket").resize((300, 200)), "JPEG"),
        "ladder-600.jpg": encoded(photograph("rocket").resize((600, 400)), "JPEG"),
        "other.jpg": encoded(photograph("china"), "JPEG"),
    }
    html = '<img src=one.jpg><img src=same.jpg><img src=near.jpg><img src=ladder-300.jpg srcset="ladder-600.jpg 2x">'
    audit = audited(tmp_path, {"index.html": html}, files)
    assert [f.sentence for f in of(audit, "near-duplicate")] == ["near.jpg looks like one.jpg."]
    (copy,) = of(audit, "exact-duplicate")
    assert copy.sentence == "one.jpg stands again at same.jpg." and copy.stake == len(files["one.jpg"])
    assert [(f.image, f.stake) for f in of(audit, "unused-file")] == [("other.jpg", len(files["other.jpg"]))]


def test_near_duplicates_are_those_of_all_pairs() -> None:
    """Held against the plain comparison of all with all; copies of copies belong together."""
    chance, images = random.Random(5), []
    for n in range(300):
        value = chance.choice((0, 2**64 - 1, 0xFF00FF00FF00FF00))
        for bit in chance.sample(range(64), chance.randint(0, 5)):
            value ^= 1 << bit
        kind, height = chance.choice(("photograph", "graphic")), chance.choice((100, 105, 200))
        look = Look(kind, "", {"ground": chance.choice((0.2, 0.95))}, False, f"{value:016x}", ())  # type: ignore[arg-type]
        facts = ImageFacts("png", 300, height, 1000, f"{n}")
        images.append(Image(facts, (f"{n}.png",), ("index.html",), look=look))
    alike = {n: {n} for n in range(300)}
    for a, b in combinations(range(300), 2):
        one, other = images[a], images[b]
        assert one.look and other.look
        bits = bin(int(one.look.hash, 16) ^ int(other.look.hash, 16)).count("1")
        most = 3 if one.look.kind == other.look.kind == "photograph" else 1
        empty = max(one.look.features["ground"], other.look.features["ground"]) > 0.9
        if bits <= most and not empty and {one.facts.height, other.facts.height} in ({100}, {105}, {200}, {100, 105}):
            together = alike[a] | alike[b]
            alike |= dict.fromkeys(together, together)
    expected = {frozenset(group) for group in alike.values() if len(group) > 1}
    found = {frozenset(int(i.facts.sha256) for i in group) for group in near_duplicates(images)}
    assert found == expected and len(found) > 5


def test_markup_of_images(tmp_path: Path) -> None:
    """Dimensions, alternative text, links without a word: with the line where each stands."""
    html = """<img src=a.jpg alt=x width=10 height=10>
<img src=a.jpg alt=x width=10>
<img src=a.jpg>
<a href=/><img src=a.jpg alt="" width=1 height=1></a>
<noscript><img src=a.jpg></noscript><img src=gone.jpg alt=x width=1 height=1>
<img src="https://elsewhere.invalid/x.jpg" alt=x width=1 height=1>"""
    html = f"{html}<meta name=viewport content=width=device-width>"
    audit = audited(tmp_path, {"index.html": html}, {"a.jpg": PHOTO})
    found = [(f.code, f.line, f.sentence) for f in audit.findings if f.page]
    assert found == [
        ("broken-reference", 5, "index.html names gone.jpg, which is not there."),
        ("remote-image", None, "index.html shows https://elsewhere.invalid/x.jpg."),
        ("missing-dimensions", 2, "a.jpg has no height."),
        ("missing-dimensions", 3, "a.jpg has no width and height."),
        ("missing-alt", 3, "a.jpg has no alternative text."),
        ("empty-alt-in-link", 4, "a.jpg stands in a link without a word."),
    ]


def test_srcset_against_files_and_slots(tmp_path: Path) -> None:
    """Wrong labels, gaps, and sizes that are not the slot's, with the bytes that the wrong pick costs."""
    files = {f"a-{w}.jpg": noisy(w, w * 2 // 3) for w in (300, 600, 1800)}
    html = '<img src=a-300.jpg srcset="a-300.jpg 300w, a-600.jpg 500w, a-1800.jpg 1800w" sizes=100vw>'
    slots = [box("a-1800.jpg", 290, 193)]
    audit = audited(tmp_path, {"index.html": html}, files, slots)
    assert [f.sentence for f in of(audit, "srcset-mislabelled")] == ["a-600.jpg is labelled 500w but is 600 px wide."]
    assert [f.sentence for f in of(audit, "srcset-too-few")] == ["Only 300, 500, 1800 px are offered for a-300.jpg."]
    (wrong,) = of(audit, "sizes-wrong")
    assert wrong.sentence == "sizes says 1920 px for a-300.jpg on desktop; the slot is 290."
    assert wrong.stake == len(files["a-1800.jpg"]) - len(files["a-300.jpg"])
    without = {"index.html": html.replace(" sizes=100vw", "")}
    assert of(audited(tmp_path, without, {}, slots), "sizes-missing")[0].stake == wrong.stake
    right = {"index.html": html.replace("100vw", "290px")}
    assert of(audited(tmp_path, right, {}, slots), "sizes-wrong") == []
    many = ", ".join(f"a-300.jpg {w}w" for w in range(300, 411, 10))
    crowded = {"index.html": f'<img src=a-300.jpg srcset="{many}" sizes=9px>'}
    assert [f.sentence for f in of(audited(tmp_path, crowded, {}), "srcset-too-many")] == [
        "12 widths are offered for a-300.jpg."
    ]


def test_pages_on_screens(tmp_path: Path) -> None:
    """Budgets on the worst screen with the budget that holds, requests, shifts, and the largest picture."""
    page = (
        "<img src=a.jpg loading=lazy alt=x width=9 height=9><link rel=preload as=image href=b.jpg><img src=b.jpg alt=x>"
    )
    weighed = [
        PageWeighed("index.html", PHONE, 10, 2_000_000, 3, "a.jpg", 0.3, ("img http://x/a.jpg",)),
        PageWeighed("index.html", DESKTOP, 10, 4_000_000, 70, "b.jpg"),
    ]
    slots = [
        box("a.jpg", 300, 200, screen=PHONE, lazy=True, first_screen=True), box("a.jpg", 300, 200, y=100, lazy=True),
        box("b.jpg", 300, 200, y=5000), box("b.jpg", 300, 200, y=5000, screen=PHONE),
    ]  # fmt: skip
    policy = Policy(pages=(PageBudget("index.html", "phone", 500_000), PageBudget("*", "", 3_900_000)))
    files = {"a.jpg": PHOTO, "b.jpg": noisy(300, 200)}
    audit = audited(tmp_path, {"index.html": page}, files, slots, weighed, policy)
    (over,) = of(audit, "page-over-budget")
    assert (over.screen, over.stake) == ("phone", 1_500_000)
    assert over.sentence == (
        "index.html loads 2.0 MB of images on phone; 0.5 MB are allowed by the budget of index.html on phone."
    )
    assert [f.sentence for f in of(audit, "too-many-requests")] == [
        "index.html asks for 70 images; 60 are allowed by the budget of the whole site."
    ]
    assert [f.sentence for f in of(audit, "layout-shift")] == ["index.html shifts by 0.30 on phone (a.jpg)."]
    assert [(f.image, f.screen) for f in of(audit, "lazy-lcp")] == [("a.jpg", "phone")]
    assert of(audit, "lcp-priority") == []
    assert [f.image for f in of(audit, "eager-below")] == ["b.jpg"]
    hasty = {"index.html": page.replace("<link rel=preload as=image href=b.jpg>", "")}
    assert [f.image for f in of(audited(tmp_path, hasty, {}, slots, weighed), "lcp-priority")] == ["b.jpg"]


def test_shapes(tmp_path: Path) -> None:
    """Stretched, or shown larger than it is; what object-fit cuts is neither."""
    page = {"index.html": "<img src=a.jpg>"}
    files = {"a.jpg": PHOTO}  # 451 x 300
    stretched = audited(tmp_path, page, files, [box("a.jpg", 300, 300)])
    assert [f.sentence for f in of(stretched, "distorted")] == [
        "a.jpg (451 × 300) is stretched to 300 × 300 on desktop, in index.html."
    ]
    assert of(audited(tmp_path, page, {}, [box("a.jpg", 300, 300, fit="cover")]), "distorted") == []
    assert of(audited(tmp_path, page, {}, [box("a.jpg", 300, 200)]), "distorted") == []
    large = audited(tmp_path, page, {}, [box("a.jpg", 902, 600)])
    assert [f.sentence for f in of(large, "upscaled")] == ["a.jpg has 451 px and is shown 902 CSS px wide on desktop."]


def test_vector_ballast_and_data_uris(tmp_path: Path) -> None:
    """Bytes that draw nothing are counted exactly; what is written into a page is told."""
    ballast = "<!-- made by hand -->" + "<metadata>" + "x" * 600 + "</metadata>"
    drawing = f'<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9">{ballast}<path d="M0 0h9v9z"/></svg>'
    page = f"<img src=a.svg alt=x><img alt=x width=1 height=1 src='data:image/png;base64,{'A' * 12_000}'>"
    audit = audited(tmp_path, {"index.html": page}, {"a.svg": drawing.encode()})
    assert [f.stake for f in of(audit, "svg-ballast")] == [len(ballast)]
    assert [f.sentence for f in of(audit, "large-data-uri")] == ["index.html holds 12 kB of images in data: URIs."]


@pytest.mark.parametrize(
    ("name", "poor"),
    [
        ("DSC_0431.JPG", True), ("IMG-2024.jpg", True), ("image.png", True), ("photo-2.jpg", True), ("123.jpg", True),
        ("untitled (3).png", True), ("3f2a9c1e77b04d55a1.webp", True), ("a/b/screenshot 2.png", True),
        ("dome-at-dusk.jpg", False), ("orrery.png", False), ("moon-480.avif", False), ("team-2024.jpg", False),
    ],
)  # fmt: skip
def test_names_that_say_nothing(name: str, poor: bool) -> None:
    """What cameras, programs and haste give (common practice, no source)."""
    assert is_poor_name(name) is poor


def test_a_hand_made_role_counts_and_is_said(tmp_path: Path) -> None:
    """The choice for a path beats a pattern, a longer pattern a shorter one."""
    from ivory_thistle.core.treatment.roles import RoleChoice

    (tmp_path / "g").mkdir()
    for n in ("g/a.jpg", "g/b.jpg", "c.jpg"):
        (tmp_path / n).write_bytes(noisy(300 + ord(n[-5]), 200))
    (tmp_path / "index.html").write_text("<img src=g/a.jpg><img src=g/b.jpg><img src=c.jpg>")
    folder = Folder(tmp_path)
    choices = [RoleChoice("*", "logo"), RoleChoice("g/*", "thumbnail"), RoleChoice("g/b.jpg", "hero")]
    roles = audit_site(read_folder(folder), folder.read, [], [], Policy(), choices).roles
    assert {p: (r.role, r.why) for p, r in roles.items()} == {
        "g/a.jpg": ("thumbnail", "Chosen by hand for g/*."),
        "g/b.jpg": ("hero", "Chosen by hand."),
        "c.jpg": ("logo", "Chosen by hand for *."),
    }
    assert [r.by_hand for r in roles.values()] == [True] * 3
    found = audit_site(read_folder(folder), folder.read, [], [], Policy(), []).roles
    assert [r.by_hand for r in found.values()] == [False] * 3
