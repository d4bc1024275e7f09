"""Chromium is the judge: our media conditions and source sizes equal its own, over all features and shapes of them.

Features and values are those of https://drafts.csswg.org/mediaqueries-5/ , shapes those of its grammar and of
https://html.spec.whatwg.org/#parse-a-sizes-attribute .
"""

from __future__ import annotations

import pytest
import tinycss2
from playwright.sync_api import Browser, Page

from ivory_thistle.core.selection.candidates import source_size
from ivory_thistle.core.selection.css_validity import is_void
from ivory_thistle.core.selection.media import matches_media
from ivory_thistle.core.selection.screen import Screen
from recording import Recording

pytestmark = pytest.mark.recorded

SCREENS = (Screen("phone", 390, 844, 3), Screen("laptop", 1440, 900, 2), Screen("square", 800, 800, 1))
LENGTHS = (
    "0", "390px", "800px", "1440px", "-5px", "calc(0)", "calc(800px)", "calc(1px * 3 - 4px)", "50em", "20rem", "1e3px",
    "10cm", "50vw", "max(1px, 800px)", "clamp(1px, 800px, 900px)", "calc(1px * sign(3px))", "abs(-800px)", "auto", "800",
    "round(799px, 10px)", "mod(1607px, 807px)", "hypot(3px, 4px)", "calc(100px * pow(2, 3))", "calc(1px * pi)", "80%",
    "calc(1px * sqrt(640000))", "calc(1px * sin(90deg))", "calc(infinity * 1px)", "min(1px, 2)", "800px 800px", "foo", "",
    "rem(1607px, 807px)", "round(up, 791px, 10px)", "calc(1px + 1)", "calc(800px / 0)", "env(x)", "var(--x)", "calc(4 * )",
)  # fmt: skip
NUMBERS = ("0", "1", "8", "8.0", "-1", "calc(8)", "calc(8.2)", "calc(1 + 7)", "1e1", "2", "foo", "8px", "max(1, 8)")
RATIOS = (
    "1/1",
    "16/9",
    "16 / 10",
    "1",
    "1.6",
    "0",
    "0/0",
    "1/0",
    "0/1",
    "-1/1",
    "1/-1",
    "calc(1)/1",
    "1/1/1",
    "/1",
    "foo",
)
RESOLUTIONS = (
    "1x",
    "2dppx",
    "192dpi",
    "3dppx",
    "-1x",
    "0x",
    "calc(1x * 2)",
    "1",
    "2px",
    "calc(1x + 1dppx)",
    "75.6dpcm",
    "foo",
)
RANGES = {
    **dict.fromkeys(("width", "height", "device-width", "device-height"), LENGTHS),
    **dict.fromkeys(("color", "color-index", "monochrome"), NUMBERS),
    **dict.fromkeys(("aspect-ratio", "device-aspect-ratio"), RATIOS),
    "resolution": RESOLUTIONS,
}
WORDS = {
    "orientation": "portrait landscape", "prefers-color-scheme": "light dark no-preference",
    "update": "none slow fast", "overflow-block": "none scroll paged optional-paged", "overflow-inline": "none scroll",
    "color-gamut": "srgb p3 rec2020", "dynamic-range": "standard high", "scan": "interlace progressive",
    "prefers-reduced-motion": "no-preference reduce", "prefers-reduced-transparency": "no-preference reduce",
    "prefers-contrast": "no-preference less more custom high", "forced-colors": "none active",
    "scripting": "none initial-only enabled", "display-mode": "fullscreen standalone minimal-ui browser",
    "device-posture": "continuous folded", "horizontal-viewport-segments": "0 1 2 1.0 calc(1) -1", "nav-controls": "none back", "grid": "0 1 2 -1 0.5",
    "environment-blending": "opaque additive subtractive", "-webkit-transform-3d": "0 1", "unknown-feature": "yes",
}  # fmt: skip
SHAPES = (
    "", "all", "screen", "print", "not all", "only screen", "not print", "only", "not", "screen and", "and (width)",
    "screen and (width)", "screen and (width) and (height)", "screen and (width) or (height)", "not screen and (width)",
    "(width) and (height)", "(width) or (height)", "(width) and (height) or (color)", "((width))", "(((width)))",
    "not (width)", "not (not (width))", "(not (width))", "(width) and not (height)", "(width) and (not (height))",
    "(])", "not (])", "(width) or (])", "(width) and (\"x\")", "(foo bar)", "not (foo bar)", "(width) or (foo bar)",
    "(width) and (foo bar)", "foo(bar)", "not foo(bar)", "(width) or foo(bar)", "(width), foo", "foo, (width)", ", (width)",
    "(width),", "(WIDTH)", "(Min-Width: 1PX)", "(width) AND (height)", "(width)and(height)", "(width) and(height)",
    "layer", "or", "layer and (width)", "(width:)", "(:)", "()", "(width: 1px: 2px)", "(min-width)", "(max-color)",
    "(min-width > 1px)", "(width > 1px > 2px)", "(1px < width > 2px)", "(1px = width = 1px)", "(1px < width = 9px)",
    "(1px <= width <= 9999px)", "(1px < width < 9999px)", "(9999px > width > 1px)", "(9999px >= width >= 1px)",
    "(width > = 1px)", "(width >= 1px)", "(width < 1px < 2px)", "(1px)", "(1px > 0px)", "(width > height)", "(width !)",
    "(width /* x */ > 1px)", "(/**/width)", "screen/**/and/**/(width)", "(min-orientation: portrait)", "(min-grid: 0)",
    "(orientation > portrait)", "(orientation = portrait)", "(grid = 0)", "(width: 1px) (height: 1px)", "(width;)", "{}",
    "screen and foo(bar)", "[width]", "(width) and [height]", "not(width)", "(width", "((width)", "screen, print",
    "tv", "speech", "(min-resolution: 1x) and (max-resolution: 3x)", "(-webkit-min-device-pixel-ratio: 2)", "(x:y)",
    "(-webkit-max-device-pixel-ratio: 2.5)", "(-webkit-device-pixel-ratio: 2)", "(-webkit-device-pixel-ratio)",
    "(-webkit-min-device-pixel-ratio: -1)", "(-webkit-min-device-pixel-ratio: 2x)", "(--custom)", "not (--custom)",
)  # fmt: skip


def conditions() -> list[str]:
    """Every feature with every value, by colon and by sign, plain and negated, and every shape."""
    found = list(SHAPES)
    for name, values in RANGES.items():
        found += [f"({name})", f"not ({name})"]
        for value in values:
            found += [f"({name}: {value})", f"not (min-{name}: {value})", f"(max-{name}: {value})"]
            found += [f"({name} >= {value})", f"({value} > {name})"]
    for name, words in WORDS.items():
        found += [f"({name})", f"not ({name})", f"({name}: none)", f"not ({name}: nonsense)"]
        found += [f"{start}({name}: {word})" for word in words.split() for start in ("", "not ")]
    return found


@pytest.fixture(params=SCREENS, ids=lambda s: s.name)
def screen(request: pytest.FixtureRequest) -> Screen:
    """One screen after another."""
    assert isinstance(request.param, Screen)
    return request.param


def opened(request: pytest.FixtureRequest, screen: Screen) -> Page:
    """An empty page on a screen."""
    browser: Browser = request.getfixturevalue("browser")
    size = {"width": screen.width, "height": screen.height}
    emulated = {"viewport": size, "device_scale_factor": screen.density, "has_touch": screen.touch}
    return browser.new_context(**emulated).new_page()  # type: ignore[arg-type]


def matched(request: pytest.FixtureRequest, screen: Screen, asked: list[str]) -> list[bool]:
    """Whether Chromium says that each matches."""
    page = opened(request, screen)
    answers: list[bool] = page.evaluate("(all) => all.map((one) => matchMedia(one).matches)", asked)
    page.context.close()
    return answers


def test_media_conditions(request: pytest.FixtureRequest, recording: Recording, screen: Screen) -> None:
    """All of some 1,200 conditions: whether each matches."""
    asked = conditions()
    theirs = recording.answer("matchMedia", lambda: matched(request, screen, asked))
    assert len(asked) > 1_000 and len(set(theirs)) == 2
    ours = [matches_media(one, screen) for one in asked]
    assert [(q, a, b) for q, a, b in zip(asked, ours, theirs, strict=True) if a != b] == []


SIZES = (
    "", "100vw", "300px", "-1px", "calc(-1px)", "min(-5px, 3px)", "max(-5px, -3px)", "calc(10px - 90vw)", "0", "calc(0)",
    "calc(0px)", "80%", "calc(80%)", "calc(50vw + 10%)", "(min-width: 500px) 200px, 100px", "(max-width: 500px) 200px, 100px",
    "(min-width: 500px) 200px", "garbage, 150px", "150px, garbage", "(]) 150px, 90px", "not (foo) 150px, 90px", "120px 90px",
    "(foo) 150px, 90px", "screen 150px, 90px", "screen and (width) 150px, 90px", "(width) and (height) 150px, 90px",
    "(width) or (foo) 150px, 90px", "(min-width: calc(0)) 150px, 90px", "calc(1px * sign(-7)), 90px", "12em", "10vmin", ",",
    ", 150px", "150px,", "150px /* c */", "/* c */ 150px", "(width) /* c */ 150px", "clamp(50px, 30vw, 200px)", "50dvw",
    "round(up, 151px, 10px)", "hypot(30px, 40px)", "calc(100px * pi)", "attr(x)", "var(--x)", "env(x, 9px)", "150", "1e2px",
    "+150px", "150PX", "150 px", "(min-width: 0) calc((100vw - 3rem) / 4)", "((width)) 150px", "(width)150px", "150px 150px",
    "not print 150px, 90px", "(not (width)) 150px, 90px", "not (width) 150px, 90px", "calc(infinity * 1px)", "1in", "inherit",
)  # fmt: skip


def chosen_widths(request: pytest.FixtureRequest, screen: Screen) -> list[int]:
    """The candidates that Chromium chooses by each of SIZES."""
    page = opened(request, screen)
    page.route("http://site.invalid/**", lambda route: route.fulfill(body="", content_type="text/html"))
    page.goto("http://site.invalid/")
    script = """(all) => Promise.all(all.map(async (sizes) => {
      const img = new Image();
      const top = 5200;
      img.sizes = sizes;
      img.srcset = Array.from({length: top}, (_, n) => `p${n + 1} ${n + 1}w`).join(', ');
      for (let n = 0; n < 200 && !img.currentSrc; n++) await new Promise((done) => setTimeout(done, 10));
      return Number(img.currentSrc.split('/p')[1]);
    }))"""
    chosen: list[int] = page.evaluate(script, list(SIZES))
    page.context.close()
    return chosen


def test_source_sizes(request: pytest.FixtureRequest, recording: Recording, screen: Screen) -> None:
    """The size that `sizes` gives, told by the candidate that is chosen of a ladder without gaps of more than a px."""
    theirs = recording.answer("currentSrc", lambda: chosen_widths(request, screen))
    ours = [min(source_size(s, screen) * screen.density, 1e6) for s in SIZES]
    wrong = [
        (s, round(mine, 2), chosen)
        for s, mine, chosen in zip(SIZES, ours, theirs, strict=True)
        if chosen not in (max(1, -int(-mine // 1)), max(1, round(mine)), min(5200, int(mine)))
    ]
    assert wrong == [] and len({*theirs}) > 10


def test_features_are_answered_for_people(screen: Screen) -> None:
    """What a headless browser lacks, a visitor has: a mouse, and browsers that know these features."""
    asked = [f"({name})" for name in ("pointer", "hover", "any-pointer", "any-hover")]
    asked += ["(pointer: fine)", "(hover: hover)", "(inverted-colors: none)", "(video-dynamic-range: standard)"]
    assert [q for q in asked if not matches_media(q, screen)] == []
    assert not matches_media("not (pointer: nonsense)", screen)
    assert not any(matches_media(f"({name}: none)", screen) for name in ("hover", "pointer"))


BACKGROUNDS = (
    "cross-fade(url(a), url(b), 50%)", "-webkit-cross-fade(url(a), url(b), 50%)", "image(url(a))", "image('a.png')",
    "image(red)", "element(#x)", "filter(url(a), blur(2px))", "-moz-element(#x)", "-webkit-image-set(url(a) 1x)",
    "image-set('a' 1x)", "image-set('a' -1x)", "image-set('a' 1x, 'b' 2dppx)", "-webkit-canvas(x)", "src('a')",
    "-webkit-gradient(linear, 0 0, 0 100%, from(red), to(blue))", "-moz-linear-gradient(red, blue)", "url('a' x)",
    "-webkit-linear-gradient(red, blue)", "-o-linear-gradient(red, blue)", "repeating-conic-gradient(red, blue 10%)",
    "url('a' crossorigin(anonymous))", "stripes(red, blue)", "foo(url(a))", "light-dark(url(a), url(b))", "url(a)",
    "env(x, url(a))", "var(--x)", "var(--x, foo(url(a)))", "attr(x)", "url(a) min(1px, 2px)", "url(a) foo(1)",
    "url(a) color-mix(in srgb, red, blue)", "url(a) rgb(from red r g b)", "url(a) oklch(0.5 0.1 20)", "url(a) hwb(1 1% 1%)",
    "-webkit-foo(url(a))", "toggle(url(a))", "first-valid(url(a))", "url(a) device-cmyk(0 0 0 0)", "url(a) hypot(1px)",
)  # fmt: skip


def supported(request: pytest.FixtureRequest) -> list[bool]:
    """Which of BACKGROUNDS Chromium takes."""
    page = request.getfixturevalue("browser").new_page()
    answers: list[bool] = page.evaluate("(all) => all.map((one) => CSS.supports('background', one))", list(BACKGROUNDS))
    page.close()
    return answers


def test_functions_that_void_a_background(request: pytest.FixtureRequest, recording: Recording) -> None:
    """What `CSS.supports` refuses has a function that Chromium does not know, or knows otherwise."""
    theirs = recording.answer("supports", lambda: supported(request))
    ours = [not is_void("background-image", tinycss2.parse_component_value_list(one)) for one in BACKGROUNDS]
    assert [(v, a, b) for v, a, b in zip(BACKGROUNDS, ours, theirs, strict=True) if a != b] == []


def test_touch_screens_have_no_mouse(request: pytest.FixtureRequest, recording: Recording) -> None:
    """Fingers are coarse and don't hover."""
    screen = Screen("phone", 390, 844, 3, touch=True)
    asked = [
        f"({name}{value})"
        for name, words in (("pointer", "none coarse fine odd"), ("hover", "none hover odd"))
        for name in (name, f"any-{name}")
        for value in ("", *(f": {word}" for word in words.split()))
    ]
    theirs = recording.answer("matchMedia", lambda: matched(request, screen, asked))
    assert [matches_media(one, screen) for one in asked] == theirs and len(set(theirs)) == 2
