"""The site's pages and style sheets, in markup of several hands."""

from __future__ import annotations

from corvane.pictures import SRCSET_WIDTHS, dot_uri, photos

NAV = [
    ("index.html", "Home"), ("visit.html", "Visit"), ("tonight.html", "Tonight's sky"),
    ("exhibitions/index.html", "Exhibitions"), ("shows/index.html", "Dome shows"), ("gallery.html", "Gallery"),
    ("news/index.html", "News"), ("instruments/index.html", "Instruments"), ("learning.html", "Learning"),
    ("membership.html", "Membership"), ("shop.html", "Shop"), ("press.html", "Press"),
]  # fmt: skip


def _page(path: str, title: str, body: str, card: int = 1, head: str = "") -> str:
    up = "../" * path.count("/")
    links = "\n".join(f'    <a href="{up}{p}">{t}</a>' for p, t in NAV)
    return f"""<!DOCTYPE html>
<html lang="en">
<head>
  <meta charset="utf-8">
  <meta name="viewport" content="width=device-width, initial-scale=1">
  <title>{title} · Corvane Ridge Observatory</title>
  <link rel="icon" href="{up}favicon.ico">
  <link rel="apple-touch-icon" href="{up}img/icons/apple-touch-icon.png">
  <meta property="og:image" content="{up}img/social/card-{card}.jpg">
  {head}<link rel="stylesheet" href="{up}css/site.css">
</head>
<body>
<header class="top">
  <a class="brand" href="{up}index.html"><img src="{up}img/logo.svg" alt="Corvane Ridge Observatory" width="240" height="64"></a>
  <nav>
{links}
  </nav>
</header>
<main>
{body}
</main>
<footer><p>Corvane Ridge Observatory, high above the Ednar valley. Open on every clear night.</p></footer>
</body>
</html>
"""


def _figures(paths: list[str], up: str, columns: str, attributes: str = "", words: str = "") -> str:
    items = "\n".join(
        f'  <figure><img src="{up}{p}" alt="{words} {n}"{attributes}><figcaption>{words} {n}</figcaption></figure>'
        for n, p in enumerate(paths, 1)
    )
    return f'<div class="{columns}">\n{items}\n</div>'


def _home() -> str:
    return _page(
        "index.html",
        "Home",
        f"""
<section class="hero"><img src="img/hero/night-over-the-ridge.jpg" loading="lazy" alt="The night sky over Corvane Ridge"></section>
<h1>The mountain that looks up</h1>
<p>Four domes, a planetarium and a terrace above the clouds: come for the evening, stay for the sky.</p>
<div class="marks"><span class="mark clock"></span><span class="mark ticket"></span><span class="mark moon"></span></div>
<section class="band" style="background-image: url('img/hero/dusk-terrace.jpg')"><h2>Tonight on the terrace</h2></section>
{_figures(["img/exhibitions/moon-room.jpg", "img/shows/show-1.jpg", "img/news/2026-01-1.jpg"], "", "three", words="On the ridge")}
<p><img src="{dot_uri()}" alt=""> Members come in free. <img src="img/icons/star.png" alt="" width="20" height="20"></p>
""",
    )


def _visit() -> str:
    return _page(
        "visit.html",
        "Visit",
        """
<h1>Getting here</h1>
<img class="wide" src="img/camera/DSC_0431.JPG" alt="The road up to the ridge at dusk">
<p>The cable car leaves the valley station every twenty minutes.</p>
<div class="two">
<img src="img/visit/road.jpg" width="560" alt="The last bend before the gate">
<img src="img/visit/terrace.jpg" width="560" alt="The visitors' terrace">
<img src="img/camera/DSC_0502.JPG" width="560" alt="The alpine garden">
<img src="img/visit/garden.jpg" width="560" alt="The garden in July">
</div>
<p class="hours"><img src="img/icons/clock.png" alt="Hours" width="64" height="64"> Tuesday to Sunday, 14:00 to midnight.</p>
<p><img src="img/icons/ticket.png" alt="Tickets" width="64" height="64"> Adults 14, children 7.</p>
""",
        2,
    )


def _tonight() -> str:
    offered = ", ".join(f"img/tonight/sky-{w}.jpg {w}w" for w in SRCSET_WIDTHS)
    return _page(
        "tonight.html",
        "Tonight's sky",
        f"""
<h1>Tonight's sky</h1>
<img src="img/tonight/sky-1600.jpg" srcset="{offered}" sizes="(max-width: 1100px) 100vw, 1100px" width="1600" height="900" alt="The sky to the south at ten this evening">
<div class="two">
<p><img src="img/tonight/phases.gif" width="220" height="220" alt="The Moon through the month"></p>
<p><img src="img/tonight/moon.jpg" alt="The Moon, two days before full"></p>
</div>
<img src="img/tonight/star-map.png" alt="A map of tonight's sky">
<picture><source media="(min-width: 900px)" srcset="img/tonight/ringed.jpg"><img src="img/tonight/ringed.jpg" alt="The ringed planet, low in the west"></picture>
""",
        3,
        '<link rel="preload" as="image" href="img/tonight/moon.jpg">\n  ',
    )


def _exhibitions() -> dict[str, str]:
    wrong = "../img/exhibitions/giants-480.jpg 960w, ../img/exhibitions/giants-960.jpg 480w, ../img/exhibitions/giants-1600.jpg 1600w"
    return {
        "exhibitions/index.html": _page(
            "exhibitions/index.html",
            "Exhibitions",
            f"""
<h1>Exhibitions</h1>
{_figures(["img/exhibitions/meteor-case.jpg", "img/exhibitions/orrery.png", "img/exhibitions/moon-room.jpg", "img/exhibitions/giants.jpg"], "../", "two", words="Room")}
""",
            4,
        ),
        "exhibitions/giants.html": _page(
            "exhibitions/giants.html",
            "The giants",
            f"""
<h1>The giants</h1>
<img src="../img/exhibitions/giants-1600.jpg" srcset="{wrong}" sizes="100vw" alt="A banded giant planet">
<p>Four planets without ground. <img src="../img/exhibitions/missing-ring.jpg" alt="A ring that was never uploaded"></p>
""",
            4,
        ),
        "exhibitions/stones.html": _page(
            "exhibitions/stones.html",
            "Stones from the sky",
            """
<h1>Stones from the sky</h1>
<div class="band stone"><h2>Touch one</h2></div>
<img src="../img/exhibitions/meteor-case.jpg" alt="">
<img src="../img/Exhibitions/orrery.png" alt="The orrery, named in the wrong case">
""",
            4,
        ),
    }


def _shows() -> dict[str, str]:
    names = ["The first light", "Rings and storms", "A year in one hour"]
    pages = {
        "shows/index.html": _page(
            "shows/index.html",
            "Dome shows",
            f"""
<section class="hero hall"></section>
<h1>Dome shows</h1>
{_figures([f"img/shows/show-{n}.{'png' if n in (2, 7) else 'jpg'}" for n in range(1, 10)], "../", "three", words="Show")}
""",
            5,
        )
    }
    for n, name in enumerate(names, 1):
        pictures = [f"img/shows/show-{k}.{'png' if k in (2, 7) else 'jpg'}" for k in (n, n + 3, n + 6)]
        pages[f"shows/show-{n}.html"] = _page(
            f"shows/show-{n}.html",
            name,
            f"""
<h1>{name}</h1>
{_figures(pictures, "../", "one", words=name)}
<p>Forty minutes, daily at 16:00 and 20:00.</p>
""",
            5,
        )
    return pages


def _gallery() -> str:
    paths = [p.path for p in photos() if p.path.startswith("img/gallery/")]
    items = "\n".join(
        f'  <a href="{p}"><img src="{p}" alt="Gallery picture {n}" loading="lazy" width="360" height="{540 if n == 11 else 240}"></a>'
        for n, p in enumerate(paths, 1)
    )
    return _page("gallery.html", "Gallery", f'<h1>Gallery</h1>\n<div class="tiles">\n{items}\n</div>')


def _news() -> dict[str, str]:
    titles = [
        "The road is open again",
        "Two nights of shooting stars",
        "A new mirror for the east dome",
        "The alpine garden in flower",
        "What the winter showed",
    ]
    cards = "\n".join(
        f'<article><a href="post-{n}.html"><IMG SRC=../img/news/2026-0{n}-1.jpg ALT="{t}" CLASS=card></a><h2>{t}</h2></article>'
        for n, t in enumerate(titles, 1)
    )
    pages = {
        "news/index.html": _page(
            "news/index.html",
            "News",
            f'<h1>News</h1>\n<div class="three">\n{cards}\n</div>\n<img src="../img/news/moonrise-copy.jpg" alt="Moonrise">\n<img src="../img/news/ridge-again.jpg" alt="The ridge, once more">',
        )
    }
    for n, title in enumerate(titles, 1):
        body = "\n".join(
            f'<p>Notes from the ridge, part {k}.</p>\n<img src="/img/news/2026-0{n}-{k}.jpg">' for k in range(1, 4)
        )
        pages[f"news/post-{n}.html"] = _page(f"news/post-{n}.html", title, f"<h1>{title}</h1>\n{body}", n)
    return pages


def _instruments() -> dict[str, str]:
    return {
        "instruments/index.html": _page(
            "instruments/index.html",
            "Instruments",
            f"""
<h1>Instruments</h1>
{_figures(["img/instruments/refractor.png", "img/instruments/finder.jpg", "img/instruments/east-dome.jpg", "img/instruments/spectrograph.jpg", "img/instruments/mount.jpg"], "../", "two", words="Instrument")}
""",
        ),
        "instruments/control.html": _page(
            "instruments/control.html",
            "Control room",
            f"""
<h1>The control room</h1>
{_figures([f"img/instruments/screen-{n}.png" for n in range(1, 5)], "../", "one", words="Screen")}
""",
        ),
        "instruments/refractor.html": _page(
            "instruments/refractor.html",
            "The great refractor",
            """
<h1>The great refractor</h1>
<img src="../img/instruments/refractor.png" style="width:100%" alt="The refractor on its mount">
<img src="../img/instruments/refractor-lens.webp" width="600" alt="Through its lens">
<img src="../img/camera/DSC_0437.JPG" height="400" alt="Its dome">
""",
        ),
    }


def _others() -> dict[str, str]:
    shop = (
        [f"img/shop/item-{n:02d}.jpg" for n in range(1, 11)]
        + [f"img/shop/badge-{n}.png" for n in range(1, 5)]
        + ["img/shop/moon-poster.jpg"]
    )
    press = [
        "img/press/ridge-16bit.png", "img/press/observatory-print.jpg", "img/press/night-walk.jpg",
        "img/press/director-s-telescope.jpg", "img/press/broken-upload.jpg", "img/press/terrace.jpg",
        "img/press/not-a-picture.jpg", "img/press/huge-claim.png", "img/press/visitors.jpg", "img/logo-large.png",
    ]  # fmt: skip
    return {
        "learning.html": _page("learning.html", "Learning", """
<h1>Learning</h1>
<p><img src="img/learning/classroom.jpg" alt="The classroom under the dome" width="1100" height="733"></p>
<p><img src="img/learning/visitors.png" alt="Visitors by month"></p>
<p><img src="img/learning/star-map-summer.png" alt="The summer sky"></p>
<p><img src="img/learning/garden.jpg" alt="The teaching garden"></p>
<noscript><img src="img/icons/moon.png" alt=""></noscript>
""", 2),
        "membership.html": _page("membership.html", "Membership", """
<h1>Membership</h1>
<img src="img/membership/evening.jpg" width="640" height="360" alt="A members' evening">
<img src="img/membership/guests.jpg" width="480" height="320" alt="Guests in the hall" loading="lazy">
<p>From 30 a year.</p>
""", 3),
        "shop.html": _page("shop.html", "Shop", "<h1>Shop</h1>\n" + _figures(shop, "", "tiles", ' width="300"', "Article"), 4),
        "press.html": _page("press.html", "Press", "<h1>Press pictures</h1>\n" + _figures(press, "", "two", words="Press picture") + '\n<p><img src="https://pictures.example/agency/ridge.jpg" alt="From an agency"></p>', 5),
    }  # fmt: skip


SITE_CSS = """@charset "utf-8";
@import "parts/type.css";
:root { --night: #171328; --paper: #fbf9f3; }
* { box-sizing: border-box; }
body { margin: 0; background: var(--paper); color: #221f2b; }
img { max-width: 100%; height: auto; }
.top { display: flex; flex-wrap: wrap; gap: 16px; align-items: center; padding: 12px 24px; border-bottom: 1px solid #ddd3c0; }
.top nav { display: flex; flex-wrap: wrap; gap: 14px; }
main { max-width: 1100px; margin: 0 auto; padding: 24px; }
.hero img { width: 100%; height: 460px; object-fit: cover; display: block; }
.hero.hall { height: 380px; background: #171328 url(../img/hero/hall.jpg) center / cover no-repeat; }
.band { padding: 90px 32px; background-size: cover; background-position: center; color: #fff; }
.band.stone { background-image: url("../img/textures/stone.jpg"); }
.wide { width: 100%; }
.one, .two, .three, .tiles { display: grid; gap: 20px; }
.two { grid-template-columns: repeat(auto-fill, minmax(320px, 1fr)); }
.three { grid-template-columns: repeat(auto-fill, minmax(260px, 1fr)); }
.tiles { grid-template-columns: repeat(auto-fill, minmax(240px, 1fr)); }
figure { margin: 0; } figure img { display: block; width: 100%; }
.card { width: 100%; height: 180px; object-fit: cover; }
.mark { display: inline-block; width: 64px; height: 64px; background: url(../img/icons/sprite.png) no-repeat; }
.mark.ticket { background-position: -64px 0; } .mark.moon { background-position: -128px 0; }
footer { padding: 32px 24px; background: var(--night) url('../img/hero/dome-evening.jpg') center / cover; color: #fff; }
@media (min-width: 1200px) { .band { padding: 140px 32px; } }
"""

TYPE_CSS = """/* Lettering */
body { font: 17px/1.55 Georgia, serif; }
h1, h2 { font-weight: 400; color: #5b3f7a; }
"""


def pages() -> dict[str, str]:
    """Every page and style sheet, by path."""
    return {
        "index.html": _home(), "visit.html": _visit(), "tonight.html": _tonight(), "gallery.html": _gallery(),
        **_exhibitions(), **_shows(), **_news(), **_instruments(), **_others(),
        "css/site.css": SITE_CSS, "css/parts/type.css": TYPE_CSS,
        "robots.txt": "User-agent: *\nAllow: /\n",
    }  # fmt: skip
