"""The files of a ladder keep the look that was asked for, in every format and at every width, by the full picture."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PIL import Image, ImageDraw
from ssimulacra2 import compute_ssimulacra2

from corvane.photographs import rock
from ivory_thistle.core.formats.tiers import TIERS, Tier
from ivory_thistle.core.images.chroma import chroma_loss
from ivory_thistle.core.images.facts import ImageFacts, read_facts
from ivory_thistle.core.images.pixels import Pixels, reduce
from ivory_thistle.core.quality import prepare, score
from ivory_thistle.core.search import Hint
from ivory_thistle.core.treatment.choice import keep_what_is_worth_it
from ivory_thistle.core.treatment.giving_up import ceiling_of_widest
from ivory_thistle.core.treatment.maker import FINE_COLOUR, Maker
from ivory_thistle.core.treatment.making import make_files, make_worthwhile_files
from ivory_thistle.core.treatment.narrowing import FIDELITIES
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.treatment.wish import Made, Rung, Wish
from ivory_thistle.core.treatment.worth import Load, worthwhile
from pictures import encoded, opened, photograph, translucent_graphic

pytestmark = pytest.mark.slow


def rungs(image: Image.Image, *widths: int) -> list[Rung]:
    """A picture's rungs by rising width."""
    whole = Pixels(np.ascontiguousarray(np.asarray(image)))
    return [Rung(reduce(whole, w)) for w in widths]


def made(
    image: Image.Image, fidelity: int, *widths: int, rules: Rules | None = None, drawn: bool = False
) -> dict[Tier, list[Made]]:
    """The files of all tiers."""
    wish = Wish(rules or Rules(), drawn, lambda rung: fidelity - 10 * rung.dense)
    return make_files(rungs(image, *widths), wish, TIERS)


def pixels(data: bytes) -> np.ndarray:
    """A file decoded by Pillow, another decoder than the search's."""
    image = opened(data)
    return np.asarray(image.convert("RGBA" if "A" in image.getbands() else "RGB"))


@pytest.mark.daily(1)
@pytest.mark.parametrize("name", list(FIDELITIES))
def test_every_lossy_file_keeps_the_fidelity(name: str, tmp_path: Path) -> None:
    """By our score and by the reference package's, at every width; a file that can't says that it does not."""
    fidelity = FIDELITIES[name]  # type: ignore[index]
    image = photograph("coffee")
    for tier, files in made(image, fidelity, 200, 400).items():
        for rung, file in zip(rungs(image, 200, 400), files, strict=True):
            ours = score(prepare(rung.pixels.array), pixels(file.encoded.data))
            assert file.score == pytest.approx(ours, abs=0.3)
            assert file.encoded.width == rung.pixels.width
            # WebP halves chroma always: strong colours at small sizes are beyond it.
            assert file.met is (ours >= fidelity - 0.1) and (file.met or tier == "webp")
            Image.fromarray(rung.pixels.array).save(tmp_path / "a.png")
            Image.fromarray(pixels(file.encoded.data)).save(tmp_path / "b.png")
            assert compute_ssimulacra2(tmp_path / "a.png", tmp_path / "b.png") == pytest.approx(ours, abs=0.5)


def test_a_higher_fidelity_costs_more_bytes() -> None:
    """In every format."""
    rising = [made(photograph("chelsea"), f, 300) for f in (50, 65, 75, 85)]
    for tier in TIERS:
        sizes = [m[tier][0].encoded.bytes for m in rising]
        assert sizes == sorted(sizes) and sizes[0] < 0.7 * sizes[-1]


def test_dense_rungs_may_look_worse() -> None:
    """Each rung keeps its own fidelity."""
    whole = Pixels(np.asarray(photograph("chelsea")))
    ladder = [Rung(reduce(whole, 220)), Rung(whole, dense=True)]
    wish = Wish(Rules(), False, lambda rung: 65 if rung.dense else 75)
    for files in make_files(ladder, wish, TIERS).values():
        assert files[0].score and files[1].score and files[0].score >= 75
        assert 65 <= files[1].score < 72


def test_one_rung_tells_the_next_where_to_begin() -> None:
    """Wider rungs take fewer tries than the first one, and a thorough encode or two."""
    for tier, files in made(photograph("astronaut"), 70, 200, 300, 400, 512).items():
        wide = [sum(not p.probe for p in f.points) for f in files[1:]]
        assert sum(wide) / len(wide) <= (2.5 if tier == "baseline" else 2.0)


def test_graphics_take_the_smallest_that_looks_the_same() -> None:
    """Lossless or near-lossless WebP and a palette PNG; AVIF at 4:4:4, at the fidelity."""
    found = made(translucent_graphic(300), 85, 300, drawn=True)
    settings = {tier: files[0].encoded.settings for tier, files in found.items()}
    assert "4:4:4" in settings["avif"] and "lossless" in settings["webp"] and "palette" in settings["baseline"]
    for files in found.values():
        assert (files[0].score or 0) >= 85


def test_a_palette_takes_most_of_a_translucent_png() -> None:
    """Common practice, no source: about 70 % less, up to 90, with nothing to see."""
    from ivory_thistle.core.formats.encoder import Settings
    from ivory_thistle.core.formats.png import PNG

    graphic = translucent_graphic(600)
    before = PNG.encode(rungs(graphic, 600)[0].pixels, Settings(quick=True)).bytes
    after = made(graphic, 85, 600, drawn=True)["baseline"][0].encoded.bytes
    assert 0.5 <= 1 - after / before <= 0.92


def test_webp_takes_over_the_palette_of_the_fallback() -> None:
    """Pixel by pixel, in fewer bytes: it can hold few colours without a palette's limits."""
    found = made(translucent_graphic(300), 85, 300, drawn=True)
    png, webp = found["baseline"][0].encoded, found["webp"][0].encoded
    before, after = (np.asarray(opened(one.data).convert("RGBA")) for one in (png, webp))
    seen = before[..., 3] > 0
    assert "palette" in png.settings and np.array_equal(before[seen], after[seen])
    assert webp.bytes < png.bytes


def test_every_pixel_is_kept_where_that_is_asked() -> None:
    """A palette would keep the look, but not every pixel."""
    ladder = rungs(translucent_graphic(200), 200)
    for tier in ("webp", "baseline"):
        wish = Wish(Rules(lossless=True), True, lambda rung: 75)
        file = make_files(ladder, wish, (tier,))[tier][0].encoded
        assert np.array_equal(pixels(file.data), ladder[0].pixels.array)


@pytest.mark.parametrize("name", ["chelsea", "coffee"])
def test_a_tier_that_is_given_up_would_have_been_dropped(name: str) -> None:
    """What is kept is the same as if every file had been made, and the reason is told."""
    ladder = rungs(photograph(name), 150, 300)
    wish = Wish(Rules(), False, lambda rung: 75)
    every, worthwhile = make_files(ladder, wish, TIERS), make_worthwhile_files(ladder, wish, TIERS)
    facts = facts_of_original(name)
    kept = [keep_what_is_worth_it(files, facts, Rules(), ()) for files in (every, worthwhile.made)]
    assert [r.sha256 for r in kept[0].renditions] == [r.sha256 for r in kept[1].renditions]
    assert worthwhile.given_up
    assert all(" given up at " in words and " as " in words for words in worthwhile.given_up.values())


@pytest.mark.parametrize(("width", "is_told"), [(960, True), (480, False)])
def test_quick_files_tell_of_large_photographs_that_a_tier_is_no_gain(width: int, is_told: bool) -> None:
    """Far above what may be kept, no thorough file is made; small pictures differ more."""
    large = photograph("coffee").resize((960, 640), Image.Resampling.BICUBIC)
    maker = Maker(rungs(large, width)[0], Wish(Rules(), False, lambda rung: 65), {})
    maker.make("baseline", Hint(50))
    why = maker.no_gain_by_probe("webp", Hint(50), ceiling=1_000)
    assert ("by quick encodes against" in why) is is_told
    assert maker.no_gain_by_probe("webp", Hint(50), ceiling=1e9) == ""


@pytest.mark.parametrize("modern", range(7_990, 8_012))
def test_the_only_width_is_given_up_just_where_it_would_be_dropped(modern: int) -> None:
    """By bytes: a file that saves all it must is kept, and of one more byte, none is."""
    for fallback, older in ((10_000, 9_500), (10_000, 8_000), (9_000, 8_999)):
        ceiling = ceiling_of_widest(min(fallback, older), fallback, Rules(), is_only=True)
        tiers = [Load("webp", "webp", older, older), Load("avif", "avif", modern, modern)]
        kept, _ = worthwhile(Load("baseline", "jpeg", fallback, fallback), tiers, Rules())
        assert (modern < ceiling) is any(load.tier == "avif" for load in kept)


def test_a_tier_is_not_given_up_for_one_that_may_be_dropped() -> None:
    """One of the demo's pictures: WebP saves 12 % at the widest rung and 9 in all, AVIF 11 and 10; sizes as measured."""
    assert ceiling_of_widest(86_380, 98_182, Rules(), is_only=False) > 87_191
    assert ceiling_of_widest(70_000, 98_182, Rules(), is_only=False) == 70_000


def test_a_drawing_is_not_searched_on_where_avif_is_no_gain() -> None:
    """A palette of two colours: the first thorough AVIF tells that none can win, at the only width there is."""
    image = Image.new("RGB", (480, 240), "white")
    draw = ImageDraw.Draw(image)
    for n in range(40):
        draw.line((12 * n, 0, 480 - 9 * n, 240), "black")
    ladder = rungs(image, 480)
    wish = Wish(Rules(), True, lambda rung: 85)
    every, worthwhile = make_files(ladder, wish, TIERS), make_worthwhile_files(ladder, wish, TIERS)
    assert every["avif"][0].encoded.bytes > every["baseline"][0].encoded.bytes
    assert set(worthwhile.made) == {"baseline", "webp"}
    assert worthwhile.given_up["avif"].startswith("AVIF given up at 480 px: ")


def facts_of_original(name: str) -> ImageFacts:
    """A large JPEG of that name."""
    facts = read_facts(f"{name}.jpg", encoded(photograph("chelsea"), "JPEG", quality=98))[0]
    assert facts is not None
    return replace(facts, bytes=3_000_000)


def lettering() -> Image.Image:
    """Red letters on blue: what halved chroma spoils first."""
    image = Image.new("RGB", (320, 120), "#1020c0")
    draw = ImageDraw.Draw(image)
    for line in range(6):
        draw.text((6, 4 + line * 18), "Tonight Saturn rises at 21:40, dome two", fill="#e01010")
    return image


def test_lettering_and_strong_edges_get_full_chroma() -> None:
    """By content: red on blue loses its colour when halved, a calm photograph does not."""
    strong, calm = (
        chroma_loss(rungs(lettering(), 320)[0].pixels),
        chroma_loss(rungs(photograph("chelsea"), 451)[0].pixels),
    )
    assert strong.strong > 0.05 and calm.strong < 0.01 and calm.seen < strong.seen
    for tier in ("avif", "baseline"):
        assert "4:4:4" in made(lettering(), 75, 320)[tier][0].encoded.settings
        assert "4:2:0" in made(photograph("chelsea"), 65, 451)[tier][0].encoded.settings
    assert chroma_loss(Pixels(np.zeros((9, 9, 1), np.uint8))).seen == 0


def test_half_chroma_where_thorough_encodes_spoil_whole_chroma() -> None:
    """Weathered stone: texture that halving would cost, but slow AVIF takes a quarter more for it at whole chroma."""
    stone = Image.fromarray(rock(np.random.default_rng(5), 640, 960)).resize((480, 320))
    assert chroma_loss(rungs(stone, 480)[0].pixels).seen > FINE_COLOUR
    (file,) = made(stone, 75, 480)["avif"]
    (whole,) = made(stone, 75, 480, rules=Rules(full_chroma=True))["avif"]
    assert file.met and file.encoded.how.chroma == "4:2:0" and whole.encoded.how.chroma == "4:4:4"
    assert file.encoded.bytes < 0.8 * whole.encoded.bytes


def test_exacting_photographs_get_ten_bits() -> None:
    """AVIF does with fewer bytes so (docs/decisions/0009)."""
    assert "10 bit" in made(photograph("chelsea"), 85, 200)["avif"][0].encoded.settings
    assert "10 bit" not in made(photograph("chelsea"), 75, 200)["avif"][0].encoded.settings


def test_fixed_qualities_are_taken_as_they_are() -> None:
    """One encode each, not judged."""
    rules = Rules(fixed=True, qualities={"avif": 40, "webp": 61, "baseline": 72})
    files = made(photograph("chelsea"), 75, 200, rules=rules)
    assert [files[t][0].encoded.settings.split(",")[0] for t in TIERS] == ["quality 40", "quality 61", "quality 72"]
    assert all(f[0].score is None and f[0].points == () for f in files.values())


def test_a_cap_is_held_in_every_format() -> None:
    """The best look within the bytes, close to them."""
    for files in made(photograph("coffee"), 75, 300, 600, rules=Rules(cap=20_000)).values():
        for file in files:
            assert file.met and file.encoded.bytes <= 20_000 and file.score
        assert files[1].encoded.bytes >= 18_000


def test_files_are_the_same_twice() -> None:
    """The same picture and wish give the same bytes."""
    first, second = (made(photograph("rocket"), 65, 160, 320) for _ in range(2))
    assert [[f.encoded.data for f in fs] for fs in first.values()] == [
        [f.encoded.data for f in fs] for fs in second.values()
    ]


def test_what_can_be_asked_of_encoders_besides() -> None:
    """Quick encoders, bits, whole colours, few colours in a palette, and no loss at all."""
    photo, drawing = photograph("coffee"), translucent_graphic()

    def of(rules: Rules, image: Image.Image = photo, drawn: bool = False) -> dict[Tier, list[Made]]:
        return made(image, 75, 200, rules=rules, drawn=drawn)

    fixed, quick = of(Rules(fixed=True)), of(Rules(fixed=True, effort="quick"))
    assert sum(f[0].encoded.bytes for f in quick.values()) > sum(f[0].encoded.bytes for f in fixed.values())
    assert all(f[0].encoded.how.quick for f in quick.values())
    ten = of(Rules(fixed=True, bits=10, full_chroma=True))
    assert (ten["avif"][0].encoded.how.depth, ten["avif"][0].encoded.how.chroma) == (10, "4:4:4")
    assert (ten["baseline"][0].encoded.how.depth, ten["baseline"][0].encoded.how.chroma) == (8, "4:4:4")
    few = of(Rules(colours=4), drawing, drawn=True)["baseline"][0]
    assert opened(few.encoded.data).getcolors(4) is not None and (few.score or 100) < 100
    whole = of(Rules(lossless=True), photo, drawn=True)["webp"][0]
    assert whole.encoded.how.quality is None
