"""Forecasts: what files will weigh, what pages will load of them, and how far both may be off."""

from __future__ import annotations

import math
import random
from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from ivory_thistle.core.budgets.policy import PageBudget, Policy
from ivory_thistle.core.errors import PictureError
from ivory_thistle.core.forecast.coefficients import FIXED, PLAIN, PROBED
from ivory_thistle.core.forecast.expected import Before, Expected
from ivory_thistle.core.forecast.files import expect, informed, made, sketched
from ivory_thistle.core.forecast.keeping import kept_on_average
from ivory_thistle.core.forecast.learning import learn
from ivory_thistle.core.forecast.model import Files, Subject
from ivory_thistle.core.forecast.pages import Pages, Range, page_range, totals
from ivory_thistle.core.forecast.probes import Probe, probe
from ivory_thistle.core.formats.table import FormatName
from ivory_thistle.core.formats.tiers import TIERS, Tier, and_older
from ivory_thistle.core.images.detail import detail_of
from ivory_thistle.core.images.facts import ImageFacts, read_facts
from ivory_thistle.core.images.kind import Look
from ivory_thistle.core.references.joining import read_site
from ivory_thistle.core.references.site import Image, SiteFile, SiteReading
from ivory_thistle.core.selection.loads import Loaded
from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.core.treatment.ladder import Plan, Step
from ivory_thistle.core.treatment.rendition import RenditionFacts
from ivory_thistle.core.treatment.roles import Slot
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.treatment.worth import Load
from pictures import encoded, photograph

PHONE = Screen("phone", 400, 800, 2)
DETAIL = ((160, 4_000), (480, 22_000), (1440, 130_000))


def planned(
    path: str = "a.jpg", rules: Rules | None = None, widths: Sequence[int] = (480, 960),
    grain: float = 0.8, detail: Sequence[tuple[int, int]] = DETAIL,
) -> Plan:  # fmt: skip
    """A photograph of 2,000 x 1,000 px with a ladder."""
    facts = ImageFacts("jpeg", 2000, 1000, 900_000, path)
    look = Look("photograph", "", {"grain": grain}, False, "0" * 16, tuple(detail))
    return Plan(Image(facts, (path,), ("index.html",), look=look), "content", tuple(map(Step, widths)),
                rules=rules or Rules())  # fmt: skip


def expect_one(plan: Plan) -> Expected:
    """What is expected of one image."""
    return expect([plan])[plan.image.path]


def total_of(told: Expected, tier: str) -> int:
    """The bytes of all of a tier's files."""
    return sum(told.files.get(tier, {}).values())


def test_a_modern_format_takes_less_and_a_better_look_more() -> None:
    """Facts of the trade (common practice, no source): AVIF under WebP under JPEG; a higher fidelity costs bytes."""
    told = expect_one(planned())
    assert total_of(told, "avif") < total_of(told, "webp") < total_of(told, "baseline") < 900_000
    sums = [
        total_of(expect_one(planned(rules=Rules(fidelity={"content": score}))), "avif") for score in (50, 65, 75, 85)
    ]
    assert sums == sorted(sums) and sums[-1] > 1.5 * sums[0]
    half = [total_of(expect_one(planned(widths=(w,))), "avif") for w in (480, 960)]
    assert 2 < half[1] / half[0] < 6
    assert told.spread > 0 and told.seconds > 0


def test_noise_leaves_little_for_modern_formats_to_save() -> None:
    """Common practice, no source: AVIF is about half of a JPEG on photographs; noise is as dear to keep in any format."""
    noisy = planned(grain=1.0, detail=((160, 7_000), (480, 75_000), (1440, 700_000)))
    for plan, least, most in ((planned(), 0.4, 0.65), (noisy, 0.85, 1.3)):
        model = expect_one(plan).model
        assert model is not None
        assert least < sum(model.files["avif"].values()) / sum(model.files["baseline"].values()) < most


@example(1.0, 60, 63.0, 0.0, (300, 300))
@given(
    st.floats(0.05, 4.0), st.integers(60, 4000), st.floats(30, 95), st.floats(0, 1),
    st.tuples(st.integers(300, 60_000), st.integers(300, 60_000)),
)  # fmt: skip
def test_figures_stay_sound(busy: float, width: int, fidelity: float, grain: float, sizes: tuple[int, int]) -> None:
    """Whatever a picture is like: bytes above nothing, finite, and rising with the fidelity."""
    pixels = 480 * 240
    detail = ((160, int(busy * 160 * 80) + 300), (480, int(busy * pixels) + 300))
    files = {name: [(min(sizes), 40.0), (max(sizes) + 1, 80.0)] for name in ("avif", "jpeg")}
    subject = Subject(detail, grain, 400_000, 4000, 2000, Probe(480, pixels, files))
    for models in (PROBED, PLAIN, FIXED):
        for model in models.values():
            both = Files.of([subject], np.array([0, 0]), [width, width]).asked_for(np.array([fidelity, fidelity + 3]))
            low, high = model.bytes(both)
            assert 0 < low <= high * 1.001 and np.isfinite(high)


def test_fixed_qualities_and_caps() -> None:
    """Another quality moves the bytes the way the encoder does; a cap is never passed."""
    plain = expect_one(planned(rules=Rules(fixed=True)))
    lower = expect_one(planned(rules=Rules(fixed=True, qualities={"webp": 50})))
    assert total_of(lower, "webp") < 0.8 * total_of(plain, "webp")
    assert total_of(lower, "baseline") == total_of(plain, "baseline")
    capped = expect_one(planned(rules=Rules(cap=20_000)))
    assert all(size <= 20_000 for files in capped.files.values() for size in files.values())


def test_what_is_not_worth_a_file_is_not_promised() -> None:
    """A fallback larger than the original, a format that gains nothing, an image that is left alone."""
    small = planned(rules=Rules(formats=()))
    heavy = replace(small, image=replace(small.image, facts=replace(small.image.facts, bytes=5_000)))
    assert expect_one(heavy).files == {}
    alone = Plan(planned().image, reason="Already small.")
    assert expect_one(alone).loaded("avif", 100, 900_000) == (0, 900_000)
    choosy = expect_one(planned(rules=Rules(tier_share=0.9)))
    assert set(choosy.files) == {"baseline"}


FILES: Mapping[str, Mapping[int, int]] = {
    "avif": {480: 10_000, 960: 30_000}, "baseline": {480: 20_000}
}  # fmt: skip


@pytest.mark.parametrize(
    ("tier", "needed", "loads"),
    [
        ("avif", 300, (480, 10_000)), ("avif", 481, (960, 30_000)), ("avif", 3000, (960, 30_000)),
        ("webp", 300, (480, 20_000)), ("baseline", 480, (480, 20_000)),
        # The widest fallback was not worth its file: the original stands there.
        ("baseline", 481, (0, 900_000)), ("webp", 2000, (0, 900_000)),
    ],
)  # fmt: skip
def test_the_narrowest_that_will_do(tier: str, needed: float, loads: tuple[int, int]) -> None:
    """Of the most modern format that there is for the tier; the original where it stays as the widest."""
    assert Expected("a.jpg", 900_000, FILES, top=960).loaded(tier, needed, 900_000) == loads


@pytest.mark.parametrize("share", [0.0, 0.1, 0.3, 0.6])
def test_what_may_not_be_worth_it_counts_for_less(share: float) -> None:
    """The sums are the means over pictures of which the model tells the same: here many are drawn by chance."""
    rules = Rules(tier_share=share, tier_bytes=0)
    told = expect_one(planned(rules=rules))
    assert told.model is not None
    sums = {tier: sum(files.values()) for tier, files in told.model.files.items()}
    chance, off, draws = np.random.default_rng(seed=1), told.model.beside, 20_000
    standing, count, size = np.full(draws, float(sums["baseline"])), np.zeros(draws), np.zeros(draws)
    for tier in ("webp", "avif"):
        kept = sums[tier] * np.exp(off * chance.standard_normal(draws)) <= standing * (1 - share)
        standing[kept] = sums[tier]
        count, size = count + 2 * kept, size + sums[tier] * kept
    assert told.count == pytest.approx(2 + count.mean(), rel=0.02)
    assert told.bytes == pytest.approx(sums["baseline"] + size.mean(), rel=0.02)


def test_what_was_made_is_told_and_teaches() -> None:
    """Known files are told as they are; others move by what these were off, and everything becomes surer."""
    first, second = planned("a.jpg"), planned("b.jpg")
    told = expect_one(first)
    twice = {tier: {w: 2 * size for w, size in files.items()} for tier, files in told.files.items()}
    renditions = [
        RenditionFacts(
            tier=tier, format=TIERS[tier].format, width=w, height=w // 2, bytes=size, sha256="0" * 64, settings="",
            score=None,
        )
        for tier, files in twice.items() for w, size in files.items()
    ]  # fmt: skip
    known = made(told, renditions, [480, 960])
    assert known.is_known and known.files == twice and known.seconds == 0
    nothing, learnt = learn([]), learn([(told, Before(known.files, 3 * told.seconds))])
    assert learnt.site_spread < nothing.site_spread and learnt.seconds == pytest.approx(3)
    path = second.image.path
    other = informed(expect([second]), [second], learnt)[path]
    for tier in told.files:
        assert 1.2 < total_of(other, tier) / total_of(told, tier) < 2
    assert informed({"a.jpg": known}, [first], learnt)["a.jpg"] is known
    assert informed({path: other}, [second], nothing)[path] is other


def test_images_asked_together_are_told_as_each_alone() -> None:
    """Photographs, drawings, animations and vector drawings by different rules; some were looked at closer."""
    base = planned()
    kinds = [("jpeg", "photograph", 1), ("png", "lettering", 1), ("png", "graphic", 1), ("gif", "animation", 7),
             ("svg", "vector", 1)]  # fmt: skip
    asked = [Rules(), Rules(fixed=True, qualities={"avif": 40}), Rules(cap=30_000), Rules(formats=("webp",))]
    plans, probes = [], {}
    for n, ((form, kind, frames), rules) in enumerate((k, r) for k in kinds for r in asked):
        facts = replace(base.image.facts, format=form, frames=frames, bytes=400_000 + 9_000 * n)
        look = replace(base.image.look, kind=kind, detail=DETAIL[: 3 - n % 3])  # type: ignore[type-var]
        image = replace(base.image, facts=facts, look=look, paths=(f"{n}.x",))
        steps = (Step(300 + n), Step(700 + n, dense=n % 2 == 0))
        plans.append(replace(base, image=image, rules=rules, steps=steps, apart=(2000,) if n % 3 else ()))
        if n % 2:
            probes[f"{n}.x"] = Probe(480, 480 * 240, {f: [(9_000, 40.0), (20_000 + n, 80.0)] for f in ("avif", "jpeg")})
    together = expect(plans, probes)
    assert list(together) == [plan.image.path for plan in plans]
    for plan in plans:
        alone = expect([plan], probes)[plan.image.path]
        assert alone.files == together[plan.image.path].files
        assert alone.seconds == pytest.approx(together[plan.image.path].seconds)
        assert alone.beside == pytest.approx(together[plan.image.path].beside)


@pytest.mark.parametrize("count", [40, 2_000])
def test_however_many_teach_they_teach_the_same(count: int) -> None:
    """Busy pictures came out twice as heavy as told, plain ones as told: others follow those that are like them."""
    detail = {"busy": ((160, 16_000), (1440, 520_000)), "plain": ((160, 1_000), (1440, 33_000))}
    told = {name: expect_one(planned(name, detail=one)) for name, one in detail.items()}
    known = []
    for n in range(count):
        name = "busy" if n % 2 else "plain"
        files = told[name].model.files  # type: ignore[union-attr]
        known.append((told[name], Before({t: {w: s * (1 + n % 2) for w, s in f.items()} for t, f in files.items()})))
    models = [one.model for one in told.values() if one.model]
    assert list(learn(known).shares(models, "avif")) == pytest.approx([2, 1], rel=0.1)


def site() -> SiteReading:
    """Two pages that share a picture; one has a family of two and a picture from nowhere."""
    pages = {
        "index.html": b"<img src=a.jpg><img src=b.jpg>",
        "more.html": b'<img src=a.jpg><img srcset="b-small.jpg 500w, b.jpg 2000w" sizes=100vw>',
    }
    facts = {p: ImageFacts("jpeg", 2000, 1000, 900_000, p) for p in ("a.jpg", "b.jpg", "b-small.jpg")}
    files = [SiteFile(p, p, 900_000, f) for p, f in facts.items()]
    files += [SiteFile(p, p, len(text)) for p, text in pages.items()]
    return read_site(files, lambda path: pages[path])


def slot(page: str, path: str, width: float) -> Slot:
    """A box of some CSS px on the phone."""
    return Slot(page=page, screen=PHONE, path=path, kind="img", x=0, y=0, width=width, height=width / 2)


def test_sketches_are_told_until_files_are_made() -> None:
    """What quick files promise, more surely than the model alone, and with all the time that making them takes."""
    told = expect_one(planned())
    kept = [RenditionFacts(tier="avif", format="avif", width=w, height=w, bytes=w * 20, sha256="") for w in (480, 960)]
    drawn = sketched(told, kept, [480, 960])
    assert drawn.files == {"avif": {480: 9_600, 960: 19_200}} and drawn.has_files and not told.has_files
    assert 0 < drawn.spread < told.spread and drawn.seconds == told.seconds
    assert sketched(told, (), [480, 960]).loaded("avif", 960, 900_000) == (0, 900_000)


def test_confirmed_sketches_teach_the_others() -> None:
    """Files of half as much again as their sketches: other sketches are told larger, the more of them the nearer."""
    told = {path: expect_one(planned(path)) for path in ("a.jpg", "b.jpg", "c.jpg", "d.jpg")}
    tier, promised = "avif", {480: 10_000, 960: 20_000}
    true = Before({tier: {480: 15_000, 960: 30_000}})
    kept = [RenditionFacts(tier=tier, format="avif", width=w, height=w, bytes=w * 20, sha256="") for w in (480, 960)]
    shares = []
    for known in ("a", "ab", "abc"):
        paths = [f"{name}.jpg" for name in known]
        learnt = learn([(told[path], true) for path in paths], {path: Before({tier: promised}) for path in paths})
        shares.append(total_of(sketched(told["d.jpg"], kept, [480, 960], learnt=learnt), tier) / (1440 * 20))
        # Nothing was sketched in another format: it stays as it is.
        assert learnt.share_of_sketch(told["d.jpg"].model, "webp") == 1  # type: ignore[arg-type]
    assert 1 < shares[0] < shares[1] < shares[2] < 1.5


def test_the_seconds_of_a_sketch_tell_those_of_making() -> None:
    """On a machine half as fast both take twice as long; what was made after its sketch tells how long others take."""
    told = {path: expect_one(planned(path)) for path in ("a.jpg", "b.jpg", "c.jpg", "d.jpg")}
    fast, slow = (sketched(told["d.jpg"], (), [480, 960], took).seconds for took in (1.0, 2.0))
    assert slow == pytest.approx(2 * fast)
    seconds = [fast]
    for known in ("a", "abc"):
        paths = [f"{name}.jpg" for name in known]
        sketches = {path: Before({}, 1.0) for path in paths}
        learnt = learn([(told[path], Before({}, 2 * fast)) for path in paths], sketches)
        seconds.append(sketched(told["d.jpg"], (), [480, 960], 1.0, learnt).seconds)
    assert fast < seconds[1] < seconds[2] < 2 * fast
    # Files that were there already took no time: they tell nothing of it.
    learnt = learn([(told["a.jpg"], Before({}))], {"a.jpg": Before({}, 1.0)})
    assert sketched(told["d.jpg"], (), [480, 960], 1.0, learnt).seconds == fast
    assert sketched(told["d.jpg"], (), [480, 960]).seconds == told["d.jpg"].seconds


def test_pages_load_what_their_boxes_ask_for() -> None:
    """An image that another one's ladder stands for loads that one's file; what is not treated stays as it is."""
    reading = site()
    a = Expected("a.jpg", 900_000, {"avif": {480: 10_000, 960: 30_000}}, top=960, spread=0.2)
    b = Expected("b.jpg", 900_000, {"avif": {480: 11_000}}, top=480)
    expected = {"a.jpg": a, "b.jpg": b, "b-small.jpg": b}
    slots = [
        slot("index.html", "a.jpg", 200), slot("index.html", "a.jpg", 400), slot("index.html", "b.jpg", 100),
        slot("more.html", "a.jpg", 200), slot("more.html", "b-small.jpg", 100),
    ]  # fmt: skip
    weights = {
        ("index.html", "phone", tier): (
            Loaded("/a.jpg", "a.jpg", 900_000, True), Loaded("/b.jpg", "b.jpg", 900_000, False),
            Loaded("/c.jpg", "c.jpg", 77, True),
        ) for tier in TIERS
    } | {
        ("more.html", "phone", tier): (
            Loaded("/a.jpg", "a.jpg", 900_000, True), Loaded("/b-small.jpg", "b-small.jpg", 90_000, True),
        ) for tier in TIERS
    }  # fmt: skip
    pages = {(p.page, p.tier): p for p in Pages(reading, expected, slots).of(weights)}
    index = pages["index.html", "avif"]
    # Two boxes ask for two rungs of one picture; what lies below the fold comes only after scrolling.
    assert (index.before(True), index.after(True)) == (900_077, 40_077)
    assert (index.before(False), index.after(False)) == (1_800_077, 51_077)
    assert pages["more.html", "avif"].after(True) == 21_000
    assert pages["more.html", "baseline"].after(True) == 990_000
    policy = Policy(PageBudget("", "", 30_000, 60))
    found = {(t.tier, t.opening): t for t in totals(pages.values(), expected, policy, 0.1)}
    total = found["avif", True]
    assert (total.before, total.after.likely, total.pages) == (1_890_077, 61_077, 2)
    assert total.over_before == 2 and total.over_after == Range(0, 1, 1)
    assert total.after.low < 61_077 < total.after.high
    # Only a.jpg is unsure: by a fifth of what both pages load of it, and by a tenth in common with others.
    assert total.after.high - 61_077 == round(1.28 * ((0.2 * 50_000) ** 2 + (0.1 * 50_000) ** 2) ** 0.5)
    assert page_range(pages["more.html", "avif"], {"a.jpg": b, "b.jpg": b}, 0.0, True) == Range(21_000, 21_000, 21_000)


def test_without_a_measurement_pages_are_counted_as_named() -> None:
    """Each file that a page names, once, on no screen."""
    expected = {"a.jpg": Expected("a.jpg", 900_000, {"avif": {480: 10_000}}, top=480)}
    pages = Pages(site(), expected, ()).of({})
    assert {(p.page, p.screen) for p in pages} == {("index.html", ""), ("more.html", "")}
    index = next(p for p in pages if p.page == "index.html" and p.tier == "avif")
    assert (index.before(True), index.after(True)) == (1_800_000, 910_000)
    assert {p.tier for p in pages} == set(and_older("avif"))


def test_detail_rises_with_width_and_business() -> None:
    """A picture's plain JPEGs; a flat one weighs far less than a busy one."""
    busy = np.asarray(photograph("coffee").convert("RGB"))
    flat = np.full_like(busy, 200)
    widths, sizes = zip(*detail_of(busy), strict=True)
    assert list(widths) == [160, 480] and list(sizes) == sorted(sizes)
    assert detail_of(flat)[-1][1] < sizes[-1] / 5
    assert detail_of(busy[:1, :1])[0][0] == 1


def test_a_closer_look() -> None:
    """Two small files of each format; more quality is more bytes and a higher score. A broken picture is said to be."""
    data = encoded(photograph("coffee"), "JPEG")
    facts = read_facts("a.jpg", data)[0]
    assert facts
    found = probe(data, facts)
    assert found.width == 480 and set(found.files) == {"avif", "jpeg"}
    for (low, low_score), (high, high_score) in found.files.values():
        assert low < high and low_score < high_score < 100
    assert Probe.from_dict(found.as_dict()) == replace(found, files={k: list(v) for k, v in found.files.items()})
    assert found.log_bytes("avif", 60) < found.log_bytes("avif", 80)
    with pytest.raises(PictureError):
        probe(b"\xff\xd8 no picture", facts)


@pytest.mark.parametrize("sizes", [(30_000, 24_000, 20_000), (30_000, 25_500, 24_500), (9_000, 5_500, 4_500)])
def test_what_is_kept_on_average(sizes: tuple[int, int, int]) -> None:
    """Files and bytes as in many draws, in each of which a tier is off by chance beside what stands."""
    names: tuple[tuple[Tier, FormatName], ...] = (("baseline", "jpeg"), ("webp", "webp"), ("avif", "avif"))
    loads = [Load(tier, form, size, size, files=2) for (tier, form), size in zip(names, sizes, strict=True)]
    fallback, *modern = loads
    rules, off, chance, draws = Rules(), 0.2, random.Random(4), 20_000
    count = together = 0
    for _ in range(draws):
        kept = [fallback]
        for mine in modern:
            seen, before = round(mine.together * math.exp(chance.gauss(0, off))), kept[-1].together
            if rules.tier_is_worth_it(before, seen, mine.files):
                kept.append(mine)
            elif len(kept) > 1 and seen < before:
                kept[-1] = mine
        count += sum(one.files for one in kept[1:])
        together += sum(one.together for one in kept[1:])
    # An image without modern files beside it changes nothing, and keeps none.
    counts, sums = kept_on_average([loads, [fallback]], [rules, rules], [off, off])
    assert list(counts) == pytest.approx([count / draws, 0], rel=0.02)
    assert list(sums) == pytest.approx([together / draws, 0], rel=0.02)
