"""Rules: which hold for an image, in words and as TOML; a text that is wrong is refused in one line."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.images.kind import Look
from ivory_thistle.core.references.joining import read_site
from ivory_thistle.core.references.site import Image, SiteFile
from ivory_thistle.core.treatment.form import HandoverForm
from ivory_thistle.core.treatment.ladder import plan_treatment
from ivory_thistle.core.treatment.narrowing import Rule
from ivory_thistle.core.treatment.own_size import plan_own_size
from ivory_thistle.core.treatment.rules import BY_ROLE, Rules
from ivory_thistle.core.treatment.rules_toml import read_rules, rules_of_tables, write_rules
from ivory_thistle.core.words import bytes_of, counted

TEXT = """
[site]
background_widths = true
[all]
metadata = "copyright"
max_width = 1600

[[rule]]
role = "hero"
fidelity = 80

[[rule]]
folder = "press"
cap = "150kB"
formats = ["webp"]

[[rule]]
path = "press/logo.png"
leave = true

[[rule]]
kind = "photograph"
page = "news/*"
quality = { webp = 70, avif = 50 }
"""


def image(path: str, *pages: str, kind: str = "photograph", format_: Any = "jpeg") -> Image:
    """An image of 2,000 x 1,000 px."""
    facts = ImageFacts(format_, 2000, 1000, 900_000, path)
    return Image(facts, (path,), pages or ("index.html",), look=Look(kind, "", {}, False, 0))  # type: ignore[arg-type]


def test_the_most_specific_decides() -> None:
    """What a narrower rule does not say, wider ones and the site say; of looks, only the narrowest is left."""
    rules = read_rules(TEXT)
    assert rules.background_widths and rules.metadata == "copyright"
    plain = rules.for_image(image("a.jpg"), "content")
    assert (plain.rules, plain.words, plain.leave) == (replace(rules, narrower=()), (), False)
    hero = rules.for_image(image("a.jpg"), "hero")
    assert hero.rules.fidelity_for("hero", "lettering") == 80
    assert hero.words == ("By the rule for hero images: fidelity 80.",)
    press = rules.for_image(image("press/deep/a.jpg"), "hero")
    assert (press.rules.cap, press.rules.formats, press.rules.max_width) == (150_000, ("webp",), 1600)
    assert press.words == ("By the rule for images at press/*: at most 150 kB a file, WebP with a fallback.",)
    logo = rules.for_image(image("press/logo.png"), "logo")
    assert logo.leave and logo.words[-1] == "By the rule for images at press/logo.png: left as they are."
    news = rules.for_image(image("a.jpg", "index.html", "news/1.html"), "content")
    assert news.rules.fixed and (news.rules.quality_for("webp"), news.rules.quality_for("avif")) == (70, 50)
    drawn = rules.for_image(image("a.jpg", "news/1.html", kind="line art"), "content")
    assert not drawn.rules.fixed


def test_of_equals_the_last_decides() -> None:
    """And an exact path before any pattern."""
    rules = Rules(
        narrower=(
            Rule(path="img/a.jpg", settings={"fidelity": 90}),
            Rule(path="img/long-pattern-*", settings={"fidelity": 60}),
            Rule(path="img/*", settings={"fidelity": 70}),
            Rule(path="img/*", settings={"fidelity": 71}),
        )
    )
    for path, score in (("img/a.jpg", 90), ("img/long-pattern-1.jpg", 60), ("img/b.jpg", 71)):
        assert rules.for_image(image(path), "content").rules.fidelity_for("content", "photograph") == score


def test_plans_follow_their_own_rules() -> None:
    """In markup and in their own size: what is left alone says so, and by which rule."""
    facts = {p: ImageFacts("jpeg", 2000, 1000, 900_000, p) for p in ("a.jpg", "press/b.jpg", "press/logo.png")}
    page = b"<img src=a.jpg><img src=press/b.jpg><img src=press/logo.png>"
    files = [SiteFile(p, p, 900_000, f) for p, f in facts.items()] + [SiteFile("index.html", "x", len(page))]
    site = read_site(files, lambda path: page)
    rules = read_rules(TEXT)
    for plans in (plan_treatment(site, rules), plan_own_size(site, replace(rules, form=HandoverForm.SAME_ADDRESSES))):
        by_path = {p.image.path: p for p in plans}
        assert (
            by_path["press/logo.png"].reason == "The rules leave it as it is." and not by_path["press/logo.png"].steps
        )
        assert by_path["press/b.jpg"].rules.cap == 150_000 and by_path["press/b.jpg"].decided
        assert by_path["a.jpg"].rules.cap == 0 and by_path["a.jpg"].decided == ()
    assert max(s.width for s in {p.image.path: p for p in plan_treatment(site, rules)}["a.jpg"].steps) == 1440


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("[all", "This is no TOML: Expected ']' at the end of a table declaration (at end of document)."),
        ("[everything]\nx=1", "Line 1, everything: there is no 'everything'; there are all, site and rule."),
        ("all = 1", "Line 1, all: it must be a table."),
        ("[all]\nfidelity = 'nice'",
         "Line 2, all.fidelity: 'nice' is no score from 1 to 100 and none of exacting, faithful, everyday, lean."),
        ("[all]\nfidelity = 75\ncap = '1MB'", "Line 3, all.cap: give one of fidelity, cap."),
        ("[all]\n\ncap = '1 GB'", "Line 3, all.cap: '1 GB' is no size; write 150_000, \"150kB\" or \"1.5MB\"."),
        ("[[rule]]\nrole = 'hero'\nfidelity = 70\n[[rule]]\nrole = 'herp'\nleave = true",
         "Line 5, rule 2.role: 'herp' is none of hero, background, content, thumbnail, logo, icon, decoration, social card."),
        ("[[rule]]\nleave = true", "Line 1, rule 1: it needs one of role, kind, format, path, page, content and folder."),
        ("[[rule]]\npath = 'a'", "Line 1, rule 1: it asks for nothing."),
        ("[[rule]]\npath = 'a'\nleave = 1", "Line 3, rule 1.leave: 1 is neither true nor false."),
        ("[[rule]]\npath = 'a'\nformats = ['jxl']",
         "Line 3, rule 1.formats: ['jxl'] is no list of avif, webp; the fallback is always made."),
        ("[[rule]]\npath = 'a'\nwidths = [0]", "Line 3, rule 1.widths: 0 is no whole number from 1 to 20,000."),
        ("[[rule]]\npath = 'a'\nquality = {png = 3}",
         "Line 3, rule 1.quality: there is no 'png'; there are avif, webp, baseline."),
        ("[[rule]]\npath = 'a'\nfidelity = {hero = 3}", "Line 3, rule 1.fidelity: fidelities by role go into [all]."),
        ("rule = 3", "Rules are tables under [[rule]], 1,000 at most."),
        ("#" * 200_001, "TOML may have 200 kB."),
        ("x = " + "[" * 9_000, "This is no TOML: "),
    ],
)  # fmt: skip
def test_what_is_wrong_is_told_in_one_line(text: str, says: str) -> None:
    """With its line; nothing is taken over by half."""
    with pytest.raises(UnusableInput) as told:
        read_rules(text)
    assert str(told.value).startswith(says) and "\n" not in str(told.value)


def test_half_letters_and_scores_in_scores_are_refused() -> None:
    """JSON can write both; nothing of them is dropped in silence."""
    for tables in ({"rule": [{"path": "\ud800", "leave": True}]}, {"all": {"fidelity": {"hero": {"hero": 70}}}}):
        with pytest.raises(UnusableInput):
            rules_of_tables(tables)


def test_toml_goes_round() -> None:
    """What is written reads as it was, an entry a line; rules by default are an empty text."""
    assert write_rules(Rules()) == ""
    assert write_rules(read_rules(TEXT)).startswith(
        '[site]\nbackground_widths = true\n\n[all]\nmax_width = 1600\nmetadata = "copyright"\n\n'
        '[[rule]]\nrole = "hero"\nfidelity = 80\n\n[[rule]]\npath = "press/*"\ncap = 150000\nformats = ["webp"]\n'
    )
    for rules in (
        read_rules(TEXT),
        Rules(fidelity={**BY_ROLE, "hero": 90}),
        Rules(cap=99_999, formats=(), keep_p3=True, svg=False, tier_share=0.2),
        Rules(fixed=True, qualities={"avif": 56, "webp": 80, "baseline": 80}),
        read_rules('[all]\nfidelity = "lean"'),
        read_rules(
            '[site]\nnames = "{name}.{hash}.{ext}"\n[all]\nsize = {fill = "80x60"}\nfocus = [0.25, 1]\nbits = 10'
        ),
        read_rules("[all]\npicture_widths = [300, 900]\ndensity = 1.5\ncolours = 16\nsize = {height = 400}"),
        read_rules('[all.fidelity]\nhero = "exacting"\nicon = 40'),
        read_rules('[all]\nfallback_format = "png"\nreplacement_share = 0.3\nmost_widths = 2\ndense_less = 0'),
    ):
        again = read_rules(write_rules(rules))
        assert write_rules(again) == write_rules(rules)
        assert again.for_image(image("press/x.jpg"), "hero") == rules.for_image(image("press/x.jpg"), "hero")
        assert Rules.from_dict(rules.as_dict()) == rules


NAMES = st.text("abcxyz*/.-_ éß\"'\\[]", min_size=1, max_size=12).filter(lambda text: text.strip())
SETTINGS = st.fixed_dictionaries(
    {},
    optional={
        "cap": st.integers(1, 10**9), "max_width": st.integers(1, 20_000), "leave": st.booleans(),
        "formats": st.lists(st.sampled_from(["avif", "webp"]), unique=True).map(lambda f: sorted(f)),
        "metadata": st.sampled_from(["none", "copyright", "keep"]), "format_share": st.floats(0, 0.99),
        "density": st.floats(1, 4), "focus": st.lists(st.floats(0, 1), min_size=2, max_size=2),
        "size": st.sampled_from([{"longest": 9}, {"height": 7}, {"percent": 12.5}, {"fill": "800x600"}]),
        "effort": st.sampled_from(["thorough", "quick"]), "bits": st.sampled_from([0, 8, 10]),
        "colours": st.sampled_from([2, 4, 16, 256]), "fallback": st.booleans(),
        "fallback_format": st.sampled_from(["suited", "original", "jpeg", "png"]), "dense_less": st.integers(0, 100),
        "replacement_share": st.floats(0, 0.99), "replacement_bytes": st.integers(1, 10**9),
        "most_widths": st.integers(1, 20),
    },
).filter(bool)  # fmt: skip


@given(st.lists(st.builds(Rule, path=NAMES, page=NAMES, settings=SETTINGS), max_size=5))
@settings(max_examples=60)
def test_any_rules_go_round(narrower: list[Rule]) -> None:
    """Whatever characters patterns hold."""
    rules = Rules(narrower=tuple(narrower))
    assert read_rules(write_rules(rules)).narrower == rules.narrower


@given(st.text(max_size=300))
@settings(max_examples=100)
def test_any_text_is_rules_or_a_sentence(text: str) -> None:
    """Nothing else comes of it."""
    try:
        read_rules(text)
    except UnusableInput as error:
        assert str(error)


def test_counts_in_words() -> None:
    """One is no plural; thousands are grouped."""
    assert [counted(n, "page") for n in (0, 1, 2, 1500)] == ["0 pages", "1 page", "2 pages", "1,500 pages"]


def test_sizes_in_words() -> None:
    """As people write them; nothing is no size."""
    found = {text: bytes_of(text) for text in ("100kB", "1.5 MB", "800", "7 b", "0", "0.0001kB", "1 GB", "-3", "x")}
    assert found == {
        "100kB": 100_000, "1.5 MB": 1_500_000, "800": 800, "7 b": 7, "0": None, "0.0001kB": None, "1 GB": None,
        "-3": None, "x": None,
    }  # fmt: skip
