"""Pages made at random, but the same for the same seed: every layout that may notice a change around an `img`."""

from __future__ import annotations

import random
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from ivory_thistle.core.formats.tiers import Tier
from ivory_thistle.core.references.addresses import FileIndex
from ivory_thistle.core.rewriting.delivery import Delivery, Original, RenditionFacts, plan_delivery
from ivory_thistle.core.treatment.ladder import Step, ladder
from ivory_thistle.core.treatment.rules import Rules
from pictures import encoded, photograph

RASTER = {"a.jpg": (640, 427), "b.jpg": (300, 300), "c.jpg": (221, 333), "d.png": (480, 101), "e.jpg": (1201, 300)}
WIDTHS = {"w1.jpg": 200, "w2.jpg": 400, "w3.jpg": 800}
"""One picture in three widths, for srcsets."""
_SIDES = ("", 'width="120"', 'height="40"', 'width="120" height="60"', 'width="100%"', 'height="80%"', 'width="50%"')
_BOXES = ("", 'viewBox="0 0 300 100"', 'viewBox="0 0 40 90"', 'viewBox="0 0 300 100" preserveAspectRatio="none"')
SVGS = {f"v{n}.svg": (side, box) for n, (side, box) in enumerate((s, b) for s in _SIDES for b in _BOXES)}
_LENGTHS = ("40px", "90px", "210px", "50%", "100%", "auto", "12em", "20vw", "30vh", "calc(50% - 8px)", "max-content",
            "fit-content", "min-content", "80%", "1400px")  # fmt: skip
_PROPERTIES: Mapping[str, Sequence[str]] = {
    "width": _LENGTHS, "height": _LENGTHS, "max-width": ("100%", "200px", "50vw", "none"),
    "max-height": ("80px", "100%", "40vh"), "min-width": ("30px", "50%", "0"), "min-height": ("60px", "100%"),
    "aspect-ratio": ("1", "16/9", "auto 3/2"), "object-fit": ("cover", "contain", "none", "scale-down"),
    "display": ("block", "inline", "inline-block", "flex", "grid", "table-cell", "contents", "flow-root"),
    "float": ("left", "right"), "margin": ("0 auto", "7px", "-4px 3px", "auto"), "padding": ("5px", "0 9px"),
    "border": ("3px solid", "1px solid red"), "flex": ("1", "0 0 auto", "1 1 50%", "none"),
    "align-self": ("stretch", "center", "end"), "justify-self": ("stretch", "center"),
    "vertical-align": ("middle", "top", "40%", "-6px", "text-bottom"), "position": ("relative", "absolute"),
    "box-sizing": ("border-box",), "order": ("-1", "2"), "grid-column": ("span 2", "1"), "line-height": ("0", "2"),
    "font-size": ("0", "150%", "1.4em", "20px"), "border-radius": ("inherit",), "max-inline-size": ("100%",),
    "zoom": ("0.7",), "clear": ("both",), "text-align": ("center", "right"), "inline-size": ("55%",), "color": ("red",),
    "column-span": ("all",), "height ": ("inherit",), "width ": ("inherit",), "visibility": ("hidden",),
}  # fmt: skip
_SELECTORS = (
    "img", "img", "img", ".k img", ".k > img", ".k > *", "img:first-child", "img + p", "p + img", "* + *", ".m",
    ".m:nth-child(2)", "img:only-child", ".k:has(> img)", "a:has(img)", "picture", "picture img", ".k picture", "source",
    "img:not([width])", '[src$=".jpg"]', "img[srcset]", ":first-child img", "img:last-of-type", ".k :nth-child(odd)",
    "a > :only-child", "img ~ p", "p:nth-child(2)", "p:nth-of-type(2)", "img:hover + p", "*", "div *", "p:has(+ img)",
    "img:is(.m, .n)", ".k > :not(p)", "a:empty", "figure > img", "img[sizes]", '[style]', "img:where(:first-child)",
    "picture > img", "picture:first-child", "source + img", "[hidden]", "#one", "img[loading]", "td > img", "li > *",
)  # fmt: skip
_CONTAINERS = (
    "", "display:flex", "display:flex;flex-wrap:wrap;gap:6px", "display:flex;flex-direction:column",
    "display:flex;align-items:center;height:90px", "display:grid;grid-template-columns:1fr 1fr;gap:5px",
    "display:grid;grid-template-columns:repeat(auto-fill,minmax(120px,1fr))", "display:inline-block", "float:left",
    "display:table", "display:inline-flex", "columns:2", "position:relative;height:120px;width:50%", "width:300px",
    "width:max-content", "display:grid;grid-auto-flow:column", "overflow:auto;white-space:nowrap", "width:1500px",
    "display:grid;place-items:stretch;height:150px", "text-align:center;font-size:0", "display:contents",
    "display:-webkit-box;-webkit-line-clamp:2;-webkit-box-orient:vertical", "width:fit-content;max-width:80%",
    "writing-mode:vertical-rl;height:200px", "contain:inline-size", "container-type:inline-size",
)  # fmt: skip
_FRAMES = (
    "{}", "<p>Some words {} and more</p>", "<a href=#>{}</a>", "<figure>{}<figcaption>Told</figcaption></figure>",
    "<table><tr><td>{}<td>Words in a cell</table>", "<ul><li>{}<li>Second</ul>", "<button>{}</button>",
    "<p>{}</p><p>After</p>", "<picture>{}</picture>", "<h2>Title {}</h2>", "<details open><summary>{}</summary>x</details>",
    "<fieldset><legend>{}</legend>x</fieldset>", "<center>{}</center>", "<span>{}</span>", "<label>{} words</label>",
    "<table>{}<tr><td>foster</table>", "<svg width=30 height=20><text>x</text>{}</svg>", "<ruby>{}<rt>r</ruby>",
    "<noscript>{}</noscript>", "<select><option>{}</option></select>", "<object>{}</object>", "<video>{}</video>",
)  # fmt: skip


@dataclass(frozen=True)
class Layout:
    """One page: rules of its style sheet and pieces of its body, so that a failure can be made smaller."""

    rules: tuple[str, ...]
    pieces: tuple[str, ...]
    doctype: str = "<!doctype html>"

    @property
    def html(self) -> str:
        """The page as a file."""
        style = "\n".join(self.rules)
        body = "\n".join(self.pieces)
        return f"{self.doctype}<meta charset=utf-8><title>x</title><style>\n{style}\n</style>\n<body>\n{body}\n"


def layout(seed: int) -> Layout:
    """The page of a seed."""
    chance = random.Random(seed)
    rules = [_rule(chance) for _ in range(chance.randint(0, 5))]
    if chance.random() < 0.4:
        rules.insert(0, chance.choice(("img{max-width:100%;height:auto}", "*{box-sizing:border-box;margin:0}")))
    pieces = [_piece(chance) for _ in range(chance.randint(1, 3))]
    doctype = "" if chance.random() < 0.1 else "<!doctype html>"
    return Layout(tuple(rules), tuple(pieces), doctype)


def _rule(chance: random.Random) -> str:
    selector = ", ".join(chance.sample(_SELECTORS, chance.choice((1, 1, 2))))
    rule = f"{selector}{{{_declarations(chance, 3)}}}"
    kind = chance.random()
    if kind < 0.15:
        return f"@media (min-width: {chance.choice((500, 700, 900))}px) {{{rule}}}"
    if kind < 0.2:
        return f"@supports (display: grid) {{{rule}}}"
    return rule


def _declarations(chance: random.Random, most: int) -> str:
    names = chance.sample(sorted(_PROPERTIES), chance.randint(1, most))
    important = " !important" if chance.random() < 0.06 else ""
    return ";".join(f"{name.strip()}:{chance.choice(_PROPERTIES[name])}{important}" for name in names)


def _piece(chance: random.Random) -> str:
    inside = "\n".join(
        chance.choice(_FRAMES if chance.random() < 0.6 else _FRAMES[:1]).format(_image(chance))
        for _ in range(chance.randint(1, 3))
    )
    style = chance.choice(_CONTAINERS)
    if chance.random() < 0.15:
        style += f";background:url({chance.choice(sorted(RASTER))}){chance.choice(('', ' center/cover', ' no-repeat'))}"
    return f'<div class=k style="{style}">{inside}</div>'


def _image(chance: random.Random) -> str:
    kind = chance.random()
    if kind < 0.15:
        return _tag(chance, f"src={chance.choice(sorted(SVGS))}")
    if kind < 0.3:
        named = dict(WIDTHS)
        if chance.random() < 0.4:
            named["w1.jpg"] = chance.choice((300, 390, 150))
        sizes = chance.choice(("", ' sizes="50vw"', ' sizes="300px"', ' sizes="(min-width: 600px) 400px, 100vw"'))
        listed = ", ".join(f"{name} {width}w" for name, width in named.items())
        return _tag(chance, f'src=w2.jpg srcset="{listed}"{sizes}')
    if kind < 0.38:
        one, other = chance.choice((("w1.jpg", "w2.jpg"), ("b.jpg", "a.jpg")))
        src = chance.choice((f"src={one} ", ""))
        return _tag(chance, f'{src}srcset="{other} 2x"')
    if kind < 0.46:
        media = chance.choice(("", ' media="(min-width: 600px)"'))
        source = f'<source{media} srcset="{chance.choice(("b.jpg", "w1.jpg 200w, w3.jpg 800w"))}">'
        return f"<picture>{source}{_tag(chance, 'src=a.jpg')}</picture>"
    return _tag(chance, f"src={chance.choice(sorted(RASTER))}")


def _tag(chance: random.Random, source: str) -> str:
    parts = [source]
    for name, values in (("width", ("90", "200", "50%")), ("height", ("60", "133", "40%"))):
        if chance.random() < 0.25:
            parts.append(f'{name}="{chance.choice(values)}"')
    if chance.random() < 0.4:
        parts.append(f'class="{chance.choice(("m", "n", "m n"))}"')
    if chance.random() < 0.15:
        parts.append(f'style="{_declarations(chance, 2)}"')
    if chance.random() < 0.1:
        parts.append("loading=lazy")
    if chance.random() < 0.05:
        parts.append("id=one")
    parts.append(chance.choice(("", "alt=Words", 'alt=""')))
    return f"<img {' '.join(parts).strip()}>"


def smaller(whole: Layout, fails: Callable[[Sequence[Layout]], int | None]) -> Layout:
    """The page without whatever is not needed to fail; `fails` gives the first of some pages that still does."""
    while True:
        tries = [replace(whole, rules=_without(whole.rules, n)) for n in range(len(whole.rules))]
        tries += [replace(whole, pieces=_without(whole.pieces, n)) for n in range(len(whole.pieces))]
        first = fails(tries) if tries else None
        if first is None:
            return whole
        whole = tries[first]


def _without(parts: tuple[str, ...], number: int) -> tuple[str, ...]:
    return (*parts[:number], *parts[number + 1 :])


def write_pictures(folder: Path) -> Mapping[str, tuple[int, int]]:
    """The pictures that layouts name; their sizes in pixels."""
    names = ("coffee", "astronaut", "chelsea", "rocket", "china")
    sizes = dict(RASTER)
    for (name, size), photo in zip(RASTER.items(), names, strict=True):
        form = "PNG" if name.endswith("png") else "JPEG"
        options = {} if form == "PNG" else {"quality": 95}
        (folder / name).write_bytes(encoded(photograph(photo).resize(size), form, **options))
    for name, width in WIDTHS.items():
        sizes[name] = (width, round(width * 0.66))
        (folder / name).write_bytes(encoded(photograph("flower").resize(sizes[name]), "JPEG", quality=95))
    for name, (side, box) in SVGS.items():
        drawn = f'<svg xmlns="http://www.w3.org/2000/svg" {side} {box}><!-- {"ballast " * 400} -->'
        (folder / name).write_text(f'{drawn}<rect width="90%" height="80%" fill="teal"/></svg>')
    return sizes


def made_of(folder: Path, sizes: Mapping[str, tuple[int, int]]) -> tuple[dict[str, Delivery], dict[str, bytes]]:
    """Quickly made files for every picture as a treatment would make them, and their contents by path.

    Not all have all: one lacks its widest fallback, one WebP, one everything modern, one its own size.
    """
    originals, contents = [], {}
    for name, (width, height) in sizes.items():
        whole = _opened(folder / name)
        widest = 800 if name == "e.jpg" else width
        found: list[RenditionFacts] = []
        for tier, form in _tiers(name):
            steps = ladder([Step(round(widest * share)) for share in (0.3, 0.6, 1.0)], width, Rules(), height)
            for step in steps:
                if tier == "baseline" and name == "c.jpg" and step == steps[-1]:
                    continue
                size = (step.width, max(1, round(step.width * height / width)))
                data = encoded(whole.resize(size), form.upper(), quality=35)
                digest = f"{name}{tier}{step.width}"
                contents[digest] = data
                kind = "jpeg" if form == "jpeg" else form
                made = {"width": size[0], "height": size[1], "bytes": len(data), "sha256": digest}
                found.append(RenditionFacts(tier=tier, format=kind, **made))
        originals.append(Original(name, width, height, tuple(found), steps[-1].width))
    for name, (side, box) in SVGS.items():
        plain = (
            f'<svg xmlns="http://www.w3.org/2000/svg" {side} {box}><rect width="90%" height="80%" fill="teal"/></svg>'
        )
        contents[name] = plain.encode()
        drawn = RenditionFacts(tier="baseline", format="svg", width=300, height=150, bytes=len(plain), sha256=name)
        originals.append(Original(name, 300, 150, (drawn,), 300))
    files = [*sizes, *SVGS]
    deliveries = dict(plan_delivery(originals, FileIndex(files)))
    return deliveries, {f.path: contents[f.sha256] for d in deliveries.values() for f in d.files}


def _opened(path: Path):  # type: ignore[no-untyped-def]
    from PIL import Image

    return Image.open(path).convert("RGB")


def _tiers(name: str) -> Iterable[tuple[Tier, str]]:
    modern: list[tuple[Tier, str]] = [("avif", "avif"), ("webp", "webp")]
    if name == "b.jpg":
        modern = modern[:1]
    if name == "d.png":
        modern = []
    return [*modern, ("baseline", "jpeg")]
