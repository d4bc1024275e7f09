"""One image treated: what is made, what is kept, and the reasons in words."""

from __future__ import annotations

import io
import json
import re
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
import pyvips
from PIL import Image, ImageCms, ImageDraw

from ivory_thistle.core.errors import PictureError
from ivory_thistle.core.images.pixels import decode
from ivory_thistle.core.treatment.choice import Treated
from ivory_thistle.core.treatment.form import HandoverForm
from ivory_thistle.core.treatment.ladder import Step
from ivory_thistle.core.treatment.narrowing import FIDELITIES, fields_of
from ivory_thistle.core.treatment.rendition import facts_from, plain_fields
from ivory_thistle.core.treatment.rules import BY_ROLE, FallbackFormat, Rules
from ivory_thistle.core.treatment.treat import treat_image
from ivory_thistle.core.words import kb
from pictures import camera_picture, encoded, facts_of, opened, photograph, translucent_graphic

pytestmark = pytest.mark.slow

FIXED = Rules(fixed=True)


ANY_SAVING = Rules(worth_share=0.0, worth_bytes=0, tier_share=0.0, tier_bytes=0)
"""Whatever saves a byte is kept."""


def treated(data: bytes, *widths: int, rules: Rules = FIXED, **others: object) -> Treated:
    """A file treated at these widths."""
    return treat_image(data, facts_of(data), [Step(w) for w in widths], rules, **others)  # type: ignore[arg-type]


def test_roles_and_kinds_set_the_fidelity() -> None:
    """Hero and content faithful, background and thumbnail everyday, drawings exacting; dense rungs ten points less.

    What is drawn is better kept without loss (common practice, no source).
    """
    rules = Rules()
    assert {BY_ROLE[r] for r in ("hero", "content")} == {FIDELITIES["faithful"]}  # type: ignore[index]
    assert {BY_ROLE[r] for r in ("background", "thumbnail")} == {FIDELITIES["everyday"]}  # type: ignore[index]
    for kind in ("lettering", "graphic", "line art"):
        assert rules.fidelity_for("thumbnail", kind) == FIDELITIES["exacting"]
    assert rules.fidelity_for("hero", "photograph", dense=True) == 65
    assert Rules(**fields_of({"fidelity": 50})).fidelity_for("hero", "photograph", dense=True) == 50


def test_rules_go_to_plain_values_and_back() -> None:
    """Also those that earlier versions kept: one number for all roles, none for fixed qualities."""
    rules = Rules(cap=90_000, formats=("webp",), keep_p3=True, metadata="copyright")
    assert Rules.from_dict(rules.as_dict()) == rules
    assert Rules.from_dict({"fidelity": 65, "gone": 1}) == Rules(fidelity=dict.fromkeys(BY_ROLE, 65))
    assert Rules.from_dict({"fidelity": 0}).fixed


def test_a_narrower_file_that_weighs_more_is_left_out() -> None:
    """A drawing reduced gets new colours at its edges; the wider file then serves narrow places too."""
    drawing = Image.new("RGB", (900, 600), "#f4f1e8")
    draw = ImageDraw.Draw(drawing)
    for n in range(150):
        draw.line((n * 6, 0, 900 - n * 6, 600), fill=("#203040", "#803030")[n % 2])
    found = treated(
        encoded(drawing, "PNG", compress_level=0), 700, 900, rules=Rules(worth_share=0, worth_bytes=0), kind="line art"
    )
    assert "left out: at 900 px it weighs" in " ".join(found.words)
    for tier in {r.tier for r in found.renditions}:
        sizes = [r.bytes for r in found.renditions if r.tier == tier]
        assert sizes == sorted(set(sizes))


def test_the_decision_is_told_with_its_numbers() -> None:
    """What was asked, what each format saves over the next, and all at the same look."""
    data = encoded(photograph("astronaut"), "JPEG", quality=95)
    found = treated(data, 256, 512, rules=Rules(), role="hero", kind="photograph")
    words = list(found.words)
    assert words[0] == "Photograph as hero: kept at a score of 75."
    sizes = {(r.tier, r.width): r.bytes for r in found.renditions}
    total = {t: sum(s for (tier, _), s in sizes.items() if tier == t) for t in ("avif", "webp", "baseline")}
    kept = [t for t in ("avif", "webp", "baseline") if total[t]]
    assert "baseline" in kept and len(kept) >= 2
    name = {"avif": "AVIF", "webp": "WebP", "baseline": "JPEG"}
    for better, next_ in pairwise(kept):
        share = 100 * (1 - total[better] / total[next_])
        says = f"{name[better]} saves {share:.0f} % over {name[next_]} "
        assert any(w.startswith(says) for w in words), (says, words)
    assert re.fullmatch(r"At 512 px \w+ weighs [\d.]+ kB; .*JPEG at the same look [\d.]+ kB\.", words[-1])
    assert all((r.score or 0) >= 75 for r in found.renditions)


def test_what_a_search_tried_is_told() -> None:
    """Each file comes with the settings that made it, and with the points of its own search, its own among them."""
    made = treated(encoded(photograph("coffee").resize((360, 240)), "JPEG", quality=95), 200, 360, rules=Rules())
    lossy = [r for r in made.renditions if r.how and r.how.quality is not None]
    assert len(lossy) > 2
    for r in lossy:
        assert (r.how.quality, r.bytes, r.score) in [(p.setting, p.bytes, p.score) for p in r.points]  # type: ignore[union-attr]
        assert f"quality {r.how.quality}" in r.settings  # type: ignore[union-attr]
        assert facts_from(json.loads(json.dumps(plain_fields(r)))) == facts_from(plain_fields(r))


def test_a_fidelity_out_of_reach_is_said() -> None:
    """Noise that no encoder keeps at that score: the best it can do, in words; formats that fall short are dropped."""
    noise = Image.fromarray(np.random.default_rng(1).integers(0, 255, (120, 160, 3), dtype=np.uint8))
    words = treated(encoded(noise, "PNG"), 160, rules=Rules(**fields_of({"fidelity": 99}))).words
    assert words[0] == "Photograph as content: kept at a score of 99."
    assert "WebP dropped: it can't keep this look." in words
    assert any(re.fullmatch(r"\w+ at 160 px scores \d+ at its best\.", w) for w in words)


def test_a_cap_out_of_reach_is_said() -> None:
    """With the size at the lowest quality."""
    data = encoded(camera_picture(900, 600), "JPEG", quality=92)
    words = treated(data, 900, rules=Rules(cap=4_000)).words
    assert words[0] == "Photograph as content: the best look within 4 kB a file."
    assert any(
        re.fullmatch(r"JPEG at 900 px can't be held to 4 kB: [\d.]+ kB at its lowest quality\.", w) for w in words
    )


def test_a_cap_holds_for_drawn_pictures_too() -> None:
    """Fewer colours until it fits, or a sentence."""
    data = encoded(translucent_graphic(500), "PNG")
    fits = treated(data, 500, kind="graphic", rules=Rules(cap=9_000, tier_bytes=1, tier_share=0.0))
    assert fits.renditions and all(r.bytes <= 9_000 for r in fits.renditions)
    words = treated(data, 500, kind="graphic", rules=Rules(cap=900)).words
    assert any(
        re.fullmatch(r"PNG at 500 px can't be held to 0\.9 kB: [\d.]+ kB at its lowest quality\.", w) for w in words
    )


def test_formats_leave_out_what_they_can_not_hold() -> None:
    """A scroll of 17,000 pixels is beyond WebP and AVIF: the fallback is made all the same."""
    rows = np.random.default_rng(3).integers(0, 255, (1_700, 4, 3), dtype=np.uint8)
    tall = encoded(Image.fromarray(rows).resize((40, 17_000)), "PNG")
    found = treated(tall, 40, kind="photograph")
    assert {r.tier for r in found.renditions} == {"baseline"}
    assert "WebP can't be over 16,383 pixels a side. It is left out." in found.words
    assert "AVIF can't be over 16,384 pixels a side. It is left out." in found.words


def test_camera_pictures_at_a_quarter_end_95_per_cent_lighter() -> None:
    """Common practice, no source: 40 camera pictures, 104 MB, at a quarter of their sides became 5.4 MB."""
    data = encoded(camera_picture(), "JPEG", quality=95)
    fallback = next(r for r in treated(data, 750).renditions if r.tier == "baseline")
    assert 0.90 <= 1 - fallback.bytes / len(data) <= 0.99


def test_renditions_are_never_larger_nor_wider() -> None:
    """A picture that is small already keeps its file, with the reason in words."""
    tiny = encoded(photograph("coffee").resize((300, 200)), "JPEG", quality=40)
    found = treated(tiny, 150, 300)
    assert {r.width for r in found.renditions} == {150}
    assert max(r.bytes for r in found.renditions) < len(tiny)
    assert any(w.startswith(f"The original ({kb(len(tiny))}) stays as the widest fallback") for w in found.words)


def test_opaque_alpha_is_dropped_and_metadata_too() -> None:
    """An opaque photograph saved with alpha gets a JPEG fallback without any EXIF."""
    exif = Image.Exif()
    exif[0x010F] = "Lumen Works"
    data = encoded(photograph("chelsea").convert("RGBA"), "PNG", exif=exif.tobytes())
    found = treated(data, 451)
    assert [(r.tier, r.format) for r in found.renditions if r.tier == "baseline"] == [("baseline", "jpeg")]
    assert found.renditions and all(b"Lumen" not in r.data for r in found.renditions)


@pytest.mark.parametrize("policy", ["copyright", "keep"])
def test_metadata_by_policy(policy: str) -> None:
    """The copyright stays where asked; all stays where asked, but for the orientation, which is baked in."""
    exif = Image.Exif()
    exif[0x8298], exif[0x010F], exif[0x0112] = "Ida Falk", "Lumen Works", 6
    data = encoded(photograph("chelsea"), "JPEG", quality=95, exif=exif.tobytes())
    facts = facts_of(data)
    assert (facts.width, facts.height) == (300, 451)
    found = treat_image(data, facts, [Step(300)], Rules(metadata=policy))  # type: ignore[arg-type]
    assert len(found.renditions) >= 2
    for rendition in found.renditions:
        read = opened(rendition.data).getexif()
        assert read[0x8298] == "Ida Falk"
        assert (read.get(0x010F) == "Lumen Works") is (policy == "keep")
        assert read.get(0x0112) in (None, 1) and opened(rendition.data).size == (300, 451)


@pytest.mark.daily(2)
@pytest.mark.parametrize(
    ("asked", "photo", "drawing", "translucent"),
    [
        ("suited", "jpeg", "png", "png"),
        ("original", "png", "png", "png"),
        ("jpeg", "jpeg", "jpeg", "png"),
        ("png", "png", "png", "png"),
    ],
)
def test_the_fallbacks_format_is_a_choice(asked: FallbackFormat, photo: str, drawing: str, translucent: str) -> None:
    """All three are PNG files; what JPEG can't hold stays PNG."""
    rules = replace(ANY_SAVING, fallback_format=asked)
    sketch = Image.new("RGB", (400, 300), "#f4f1e8")
    for n in range(8):
        ImageDraw.Draw(sketch).ellipse((20 * n, 15 * n, 390 - 10 * n, 290 - 9 * n), outline="#b22", width=3)
    pictures = (
        (photograph("coffee").resize((400, 300)), "photograph", photo),
        (sketch, "graphic", drawing),
        (translucent_graphic(300), "graphic", translucent),
    )
    for picture, kind, expected in pictures:
        data = encoded(picture, "PNG", compress_level=0)
        made = treated(data, 200, rules=rules, kind=kind).renditions
        assert [r.format for r in made if r.tier == "baseline"] == [expected], kind
    in_place = replace(rules, form=HandoverForm.IN_PLACE)
    kept = treated(encoded(pictures[0][0], "PNG", compress_level=0), 400, rules=in_place, kind="photograph").renditions
    assert [r.format for r in kept] == ["png"]


def test_the_kind_decides_what_stays_lossless() -> None:
    """Looked at or told, the same drawing gives the same files; a drawing that JPEG has spoilt is treated with loss."""
    drawn = translucent_graphic(300)
    png = encoded(drawn, "PNG")
    looked, told = (treated(png, 300, kind=kind) for kind in (None, "graphic"))
    assert [r.sha256 for r in looked.renditions] == [r.sha256 for r in told.renditions]
    assert looked.words[0] == "Graphic as content: fixed qualities, what is drawn without loss where that is smaller."
    jpeg = encoded(drawn.convert("RGB"), "JPEG", quality=96)
    assert treated(jpeg, 300, kind="graphic").words[0] == "Graphic as content: fixed qualities."


def patches(profile: str) -> bytes:
    """A picture of 24 patches in a colour profile: Pillow's own for sRGB, libvips' for Display P3, or made here."""
    colours = [(r, g, b) for r in (40, 128, 220) for g in (40, 128, 220) for b in (60, 200)][:18]
    image = Image.new("RGB", (6 * 40, 3 * 40))
    for n, colour in enumerate(colours):
        image.paste(colour, (n % 6 * 40, n // 6 * 40, n % 6 * 40 + 40, n // 6 * 40 + 40))
    return encoded(image, "PNG", icc_profile=PROFILES[profile])


def rgb_profile(primaries: tuple[tuple[float, float], ...], gamma: float) -> bytes:
    """An ICC profile (version 2) of RGB primaries with white D65 and a plain gamma."""
    import struct

    def xyz(x: float, y: float) -> np.ndarray:
        return np.array([x / y, 1.0, (1 - x - y) / y])

    white = xyz(0.3127, 0.3290)
    columns = np.stack([xyz(*p) for p in primaries], axis=1)
    matrix = columns * np.linalg.solve(columns, white)
    bradford = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
    d50 = np.array([0.96422, 1.0, 0.82521])
    adapt = np.linalg.solve(bradford, np.diag(bradford @ d50 / (bradford @ white)) @ bradford)
    adapted = adapt @ matrix

    def fixed(values: np.ndarray) -> bytes:
        return b"".join(struct.pack(">i", round(float(v) * 65536)) for v in values)

    name = b"Wide RGB\0"
    tags = {
        b"desc": b"desc\0\0\0\0" + struct.pack(">I", len(name)) + name + b"\0" * (79 + (-len(name) - 79 - 12) % 4),
        b"cprt": b"text\0\0\0\0none\0\0\0\0",
        b"wtpt": b"XYZ \0\0\0\0" + fixed(d50),
        **{t: b"XYZ \0\0\0\0" + fixed(adapted[:, n]) for n, t in enumerate((b"rXYZ", b"gXYZ", b"bXYZ"))},
        **{
            t: b"curv\0\0\0\0" + struct.pack(">IH", 1, round(gamma * 256)) + b"\0\0"
            for t in (b"rTRC", b"gTRC", b"bTRC")
        },
    }
    at, table, body = 128 + 4 + 12 * len(tags), struct.pack(">I", len(tags)), b""
    for tag, block in tags.items():
        table += tag + struct.pack(">II", at + len(body), len(block))
        body += block + b"\0" * (-len(block) % 4)
    size = 128 + len(table) + len(body)
    head = struct.pack(">I4sI4s4s4s", size, b"none", 0x02400000, b"mntr", b"RGB ", b"XYZ ") + b"\0" * 12 + b"acsp"
    head += b"\0" * (68 - len(head)) + fixed(d50)
    return head + b"\0" * (128 - len(head)) + table + body


# The primaries and the gamma of 2.19921875 of opRGB (IEC 61966-2-5), the wide RGB of many cameras.
PROFILES = {
    "p3": bytes(pyvips.Image.profile_load("p3")),
    "wide": rgb_profile(((0.64, 0.33), (0.21, 0.71), (0.15, 0.06)), 2.19921875),
}


def lab(data: bytes) -> np.ndarray:
    """The colours that Pillow's colour management (Little CMS) reads from a file, in CIELAB."""
    image = opened(data)
    source = ImageCms.ImageCmsProfile(io.BytesIO(image.info["icc_profile"])) if image.info.get("icc_profile") else None
    space = ImageCms.createProfile("LAB", 6504)
    source = source or ImageCms.createProfile("sRGB")
    transform = ImageCms.buildTransform(source, space, "RGB", "LAB", renderingIntent=1)
    raw = np.asarray(ImageCms.applyTransform(image.convert("RGB"), transform)).astype(float)
    signed = np.where(raw[:, :, 1:] > 127, raw[:, :, 1:] - 256, raw[:, :, 1:])
    return np.dstack([raw[:, :, :1] * 100 / 255, signed])


def middles(values: np.ndarray) -> np.ndarray:
    """The means of the patches' middles."""
    return np.array(
        [[values[y : y + 20, x : x + 20].mean(axis=(0, 1)) for x in range(10, 240, 40)] for y in range(10, 120, 40)]
    )


@pytest.mark.parametrize("profile", PROFILES)
def test_wide_gamuts_keep_their_look(profile: str) -> None:
    """CIE 1976 difference within 2 on patches that sRGB can show, whether converted to sRGB or kept as Display P3."""
    data = patches(profile)
    before = middles(lab(data))
    srgb = ImageCms.buildTransform(
        ImageCms.ImageCmsProfile(io.BytesIO(PROFILES[profile])), ImageCms.createProfile("sRGB"), "RGB", "RGB",
        renderingIntent=1,
    )  # fmt: skip
    within = np.asarray(ImageCms.applyTransform(opened(data).convert("RGB"), srgb))
    inside = np.array(
        [[((within[y, x] > 4) & (within[y, x] < 251)).all() for x in range(20, 240, 40)] for y in range(20, 120, 40)]
    )
    assert inside.sum() >= 6
    for keep in (False, True):
        pixels = decode(data, facts_of(data, "x.png"), keep_p3=keep)
        assert bool(pixels.profile) is (keep and profile == "p3")
        after = middles(lab(encoded(Image.fromarray(pixels.array), "PNG", icc_profile=pixels.profile or None)))
        apart = np.sqrt(((after - before) ** 2).sum(axis=2))
        counted = apart if pixels.profile else apart[inside]
        assert counted.max() < 2, (profile, keep, counted.round(1))


DRAWING = b"""<?xml version="1.0"?>
<!-- made by hand -->
<svg xmlns="http://www.w3.org/2000/svg" xmlns:draft="https://draft.example/ns" viewBox="0 0 120 60" draft:zoom="1.5">
  <metadata><draft:author>Ida</draft:author></metadata>
  <defs></defs>
  <g draft:layer="one">
    <rect x="4.123456" y="6.000001" width="40.55555" height="20" fill="#6b4a80"/>
    <path d="M 60.123456 10.654321 L 110.000001 10 L 85.333333 50.987654 Z" fill="#47664f"/>
    <text x="10" y="50" font-size="8">Dome   two</text>
  </g>
</svg>
"""


def drawn(data: bytes) -> np.ndarray:
    """A drawing rendered at 480 px by libvips."""
    return np.asarray(pyvips.Image.svgload_buffer(data, scale=4).numpy()).astype(int)


def test_vector_drawings_lose_only_what_draws_nothing() -> None:
    """Fewer bytes, the same drawing, lettering untouched; what is foreign is gone."""
    found = treated(DRAWING, 120, rules=Rules())
    file = found.renditions[0]
    assert (file.tier, file.format, len(found.renditions)) == ("baseline", "svg", 1)
    assert file.bytes < 0.65 * len(DRAWING)
    assert b"draft" not in file.data and b"<!--" not in file.data and b">Dome   two<" in file.data
    assert np.abs(drawn(file.data) - drawn(DRAWING)).mean() < 0.1
    assert found.words[0].startswith("Vector drawing: ") and found.words[0].endswith(" kB).")
    again = treat_image(file.data, facts_of(file.data, "x.svg"), [Step(120)], Rules())
    assert again.renditions == () and again.words == ("Vector drawing: nothing worth taking out.",)


def test_scripts_in_drawings_are_told_and_taken_out_when_asked() -> None:
    """Reported always, removed only on request."""
    live = DRAWING.replace(b"<g ", b"<script>go()</script><g onclick='go()' ")
    kept = treated(live, 120, rules=Rules())
    assert "It holds 1 script and 1 event attribute; they are kept." in kept.words
    assert b"go()" in kept.renditions[0].data
    gone = treated(live, 120, rules=Rules(svg_scripts=True))
    assert "It holds 1 script and 1 event attribute; they are taken out." in gone.words
    assert b"go()" not in gone.renditions[0].data and b"<script" not in gone.renditions[0].data


def test_a_drawing_that_can_not_be_drawn_is_refused() -> None:
    """Nobody could say whether it stays the same."""
    broken = DRAWING[:200]
    with pytest.raises(PictureError, match="The drawing can't be drawn"):
        treat_image(broken, facts_of(DRAWING, "x.svg"), [Step(120)], Rules())


def test_a_drawing_that_would_change_stays_as_it_was() -> None:
    """Where figures are so small that rounding would show, they are kept."""
    tiny = b"""<svg xmlns="http://www.w3.org/2000/svg" width="300" height="300" viewBox="0 0 0.3 0.3">
      <!-- a long comment that draws nothing and is worth taking out, so that the file is smaller without it -->
      <path d="M 0.0123 0.0456 L 0.2871 0.0333 L 0.1234 0.2777 Z" fill="#8f5e12"/></svg>"""
    file = treated(tiny, 300, rules=Rules(worth_bytes=1, worth_share=0.01)).renditions[0]
    assert b"0.0123" in file.data and b"<!--" not in file.data
    assert (drawn(file.data) == drawn(tiny)).all()


BAD = {
    "cut off": lambda: encoded(photograph("chelsea"), "JPEG", quality=90)[:9000],
    "not a picture": lambda: b"\xff\xd8\xff\xe0" + b"rubbish" * 50,
    "invalid profile": lambda: encoded(photograph("chelsea"), "JPEG", quality=90, icc_profile=b"no profile" * 20),
}


@pytest.mark.parametrize("name", BAD)
def test_bad_input_is_refused_in_words_or_comes_out_right(name: str) -> None:
    """A clear refusal, or the same picture as before; the bytes that went in stay as they were."""
    data = BAD[name]()
    copy = bytes(data)
    try:
        found = treated(data, 300)
    except PictureError as error:
        assert str(error).startswith("The picture ") and str(error).endswith(".")
        assert name != "invalid profile"
    else:
        assert name == "invalid profile" and found.renditions
        fallback = np.asarray(opened(found.renditions[-1].data).convert("RGB")).astype(int)
        assert np.abs(fallback - np.asarray(photograph("chelsea").resize((300, 200)))).mean() < 8
    assert data == copy


def test_pictures_at_the_edges_of_what_there_is() -> None:
    """One pixel, 30,000 pixels wide, nothing but transparency, 16 bits: files of the right size, nothing enlarged."""
    dot = encoded(Image.new("RGB", (1, 1), "#6b4a80"), "BMP")
    assert {(r.width, r.height) for r in treated(dot, 1, rules=ANY_SAVING).renditions} == {(1, 1)}
    strip = encoded(Image.fromarray(np.random.default_rng(2).integers(90, 160, (12, 30_000), dtype=np.uint8)), "PNG")
    wide = treated(strip, 1920, 30_000, kind="photograph", rules=Rules(fixed=True, formats=()))
    assert wide.renditions and {r.height for r in wide.renditions} <= {1, 12}
    empty = encoded(Image.new("RGBA", (400, 300), (255, 0, 0, 0)), "TIFF")
    for r in treated(empty, 400, rules=Rules()).renditions:
        assert opened(r.data).convert("RGBA").getextrema()[3] == (0, 0) or r.format == "jpeg"
    deep = np.linspace(0, 65535, 300 * 200 * 3).reshape(200, 300, 3).astype(np.uint16)
    sixteen = bytes(pyvips.Image.new_from_array(deep).copy(interpretation="rgb16").pngsave_buffer())
    first = treated(sixteen, 300, kind="photograph", rules=Rules()).renditions[-1]
    assert np.abs(np.asarray(opened(first.data).convert("RGB")).astype(int) - deep // 257).mean() < 5
