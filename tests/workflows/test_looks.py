"""What was seen of pages when they were measured is what later comparisons hold against them."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest

from ivory_thistle.core.quality.likeness import Likeness
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS, Screen
from ivory_thistle.intake.comparing import SWEEP, Closeness, Pair, compare_sites
from ivory_thistle.intake.differences import Seen
from ivory_thistle.intake.folder import Folder
from ivory_thistle.intake.known import Known
from ivory_thistle.intake.site_server import serve_site
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.workflows.looks import Looks
from ivory_thistle.workflows.measuring import measure_folder
from ivory_thistle.workflows.reading import read_folder

pytestmark = pytest.mark.browser
PHONE, DESKTOP = DEFAULT_SCREENS[0], DEFAULT_SCREENS[-1]
NOWHERE = "http://127.0.0.1:9"


def alike(old: Seen, new: Seen) -> Likeness:
    """Both must have a picture."""
    return Likeness(100.0 if old.picture == new.picture else 0.0, 100.0)


def compared(site_folder: Path, known: Known) -> list[Pair]:
    """The site against one that is not served at all: what is not known of that is a problem."""
    site, pairs = read_folder(Folder(site_folder)), list[Pair]()
    with serve_site(site.files, Folder(site_folder).read) as address:
        compare_sites(
            NOWHERE, address, ["index.html"], [PHONE, DESKTOP], known, pairs.append, closeness=Closeness(judge=alike)
        )
    return sorted(pairs, key=lambda pair: pair.screen)


def test_measured_pages_are_not_loaded_again(site_folder: Path, tmp_path: Path) -> None:
    """Boxes at all widths, files, messages and picture are those of the measurement, until they shall not count."""
    site = read_folder(Folder(site_folder))
    looks = Looks(site, Blobs(str(tmp_path / "looks")))
    measured = measure_folder(Folder(site_folder), site, [PHONE, DESKTOP], looks=looks)
    assert not any(m.problem for m, _ in measured)
    desktop, phone = compared(site_folder, Known(looks.find))
    assert (desktop.different, phone.different) == ((), ())
    assert desktop.old.swept.keys() == set(SWEEP) and phone.old.swept == {}
    assert [pair.likeness for pair in (desktop, phone)] == [Likeness(100.0, 100.0)] * 2
    (weighed,) = (m for m, _ in measured if (m.page, m.screen) == ("index.html", "phone"))
    assert sum(phone.old.images.values()) == weighed.scrolled_bytes
    assert sum(phone.old.at_opening.values()) == weighed.opening_bytes
    known = Known(looks.find)
    known.look_afresh("index.html")
    assert all("could not be loaded" in pair.old.problem for pair in compared(site_folder, known))


def test_looks_are_those_of_one_content_on_one_screen(site_folder: Path, tmp_path: Path) -> None:
    """Another file in the site, another size of the screen, or a note that was not written here: nothing is known."""
    site, blobs = read_folder(Folder(site_folder)), Blobs(str(tmp_path / "looks"))
    looks = Looks(site, blobs)
    looks.keep("index.html", PHONE, Seen(picture=b"x", images={"/a.png": 3}))
    found = looks.find("index.html", PHONE)
    assert found == Seen(picture=b"x", images={"/a.png": 3})
    other = {path: replace(file, sha256="0" * 64) for path, file in site.files.items()}
    assert Looks(replace(site, files=other), blobs).find("index.html", PHONE) is None
    assert looks.find("index.html", Screen(PHONE.name, PHONE.width + 1, PHONE.height)) is None
    for page, seen in (("a.html", Seen(picture=b"x", problem="It hangs.")), ("b.html", Seen())):
        looks.keep(page, PHONE, seen)
        assert looks.find(page, PHONE) is None
    for note in (tmp_path / "looks/.notes").rglob("*.json"):
        note.write_bytes(b"{}")
    assert looks.find("index.html", PHONE) is None
