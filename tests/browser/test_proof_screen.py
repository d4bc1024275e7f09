"""Proof through the real interface, by keyboard: the same place swapped, verdicts, undo, settings tried, pairs."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from application import PHONE, Application
from axe import violations
from pictures import opened, write_site

pytestmark = [pytest.mark.browser, pytest.mark.database]


@pytest.fixture(scope="module")
def site(application: Application, tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[int, int]]:
    """The little site, treated: the site and its run."""
    folder = write_site(tmp_path_factory.mktemp("proof") / "site")
    made = application.client.post("/api/v1/sites/from-folder", json={"folder": str(folder)}).json()
    application.client.patch(f"/api/v1/sites/{made['id']}", json={"screens": PHONE})
    capture = made["capture"]["id"]
    application.wait(f"/api/v1/captures/{capture}", ("done",))
    application.audited(capture)
    run = application.client.post(f"/api/v1/captures/{capture}/runs").json()["id"]
    application.wait(f"/api/v1/runs/{run}", ("done",))
    yield made["id"], run
    application.client.delete(f"/api/v1/sites/{made['id']}")


@pytest.fixture
def proof(page: Page, application: Application, site: tuple[int, int]) -> Page:
    """The Proof of that site, all of it scored."""
    page.goto(application.access.link())
    page.goto(f"{application.address}/sites/{site[0]}/proof")
    expect(page.locator("[data-stage] img").first).to_be_visible()
    expect(page.locator("header").get_by_text("scores:")).to_have_count(0, timeout=60_000)
    page.locator("section[aria-label^=Judge]").focus()
    return page


def path_of(page: Page) -> str:
    return page.locator("section[aria-label^=Judge] a").first.inner_text()


def test_the_swap_shows_the_same_place(proof: Page) -> None:
    """Space held shows the original in the rendition's very box; the pixels differ a little and lie where they lay."""
    stage = proof.locator("[data-stage]")
    proof.keyboard.press("o")
    boxes = [image.bounding_box() for image in stage.locator("img").all()]
    assert boxes[0] == boxes[1]
    after = np.asarray(opened(stage.screenshot()).convert("L"), float)
    proof.keyboard.down(" ")
    expect(stage.get_by_text("original", exact=True)).to_be_visible()
    before = np.asarray(opened(stage.screenshot()).convert("L"), float)
    proof.keyboard.up(" ")
    expect(stage.get_by_text("rendition", exact=True)).to_be_visible()
    inner = np.s_[60:-20, 20:-20]
    assert np.abs(before[inner] - after[inner]).mean() < 6
    assert np.corrcoef(before[inner].ravel(), after[inner].ravel())[0, 1] > 0.97


@pytest.mark.slow
def test_a_queue_is_judged_by_keyboard_alone(proof: Page, application: Application, site: tuple[int, int]) -> None:
    """Accept, hold, make anew, undo and a note; what is judged is left for the next that is not."""
    first = path_of(proof)
    proof.keyboard.press("a")
    expect(proof.locator("header")).to_contain_text("1 of")
    expect(proof.locator("section[aria-label^=Judge] a").first).not_to_have_text(first)
    second = path_of(proof)
    proof.keyboard.press("h")
    expect(proof.locator("header")).to_contain_text("1 held", timeout=20_000)
    proof.keyboard.press("u")
    expect(proof.locator("header")).not_to_contain_text("held", timeout=20_000)
    rules = application.client.get(f"/api/v1/sites/{site[0]}/rules.toml").json()
    accepted_after_all(proof, second)
    assert application.client.get(f"/api/v1/sites/{site[0]}/rules.toml").json() == rules
    proof.keyboard.press("n")
    proof.keyboard.type("look at the ears")
    proof.keyboard.press("Enter")
    expect(
        proof.get_by_text("is noted").or_(proof.get_by_text(f"{first.rsplit('/', 1)[-1]} is accepted"))
    ).to_have_count(2)
    said = application.client.get(f"/api/v1/runs/{site[1]}/proof").json()["items"]
    assert [one["note"] for one in said if one["note"]] == ["look at the ears"]
    assert next(one for one in said if one["path"] == second)["said"] is None
    expect(proof.get_by_role("link", name="Proof")).to_contain_text(f"of {len(said)} judged")


def accepted_after_all(proof: Page, path: str) -> None:
    """An image that was to be tighter is accepted as it is: the rules lose what was asked; undone, they have it again."""
    anew = proof.get_by_role("button", name="Make 1 image anew")
    shown = proof.locator("section[aria-label^=Judge] a").first
    expect(shown).to_have_text(path)
    proof.keyboard.press("t")
    expect(anew).to_be_visible()
    expect(shown).not_to_have_text(path)
    proof.keyboard.press(",")
    expect(shown).to_have_text(path)
    proof.keyboard.press("a")
    expect(anew).to_have_count(0)
    # Undo goes back step by step, and shows the image again.
    expect(shown).not_to_have_text(path)
    proof.keyboard.press("u")
    expect(anew).to_be_visible()
    expect(shown).to_have_text(path)
    proof.keyboard.press("u")
    expect(anew).to_have_count(0)
    expect(shown).to_have_text(path)


@pytest.mark.slow
def test_settings_are_tried_and_taken(proof: Page) -> None:
    """Moving along the curve shows the new picture; taking it makes a decision against the rules."""
    proof.get_by_role("slider", name="quality").fill("30")
    expect(proof.get_by_text("The whole:")).to_be_visible(timeout=60_000)
    expect(proof.locator("[data-stage]").get_by_text("tried", exact=True)).to_be_visible()
    proof.get_by_label("Fidelity, quality or size to try").fill("much")
    proof.get_by_role("button", name="Try it").click()
    expect(proof.get_by_text('Write a fidelity like 70, "q 55", or "60 kB".').first).to_be_visible()
    proof.get_by_role("button", name="Ask for").click()
    expect(proof.get_by_role("button", name="Make 1 image anew")).to_be_visible()
    proof.locator("section[aria-label^=Judge]").focus()
    proof.keyboard.press("u")
    expect(proof.get_by_role("button", name="Make 1 image anew")).to_have_count(0)


@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_nothing_is_out_of_reach(proof: Page, scheme: str) -> None:
    """Pairs and single images in both themes, and on a narrow screen nothing runs out of the page."""
    proof.emulate_media(color_scheme=scheme)  # type: ignore[arg-type]
    assert violations(proof) == []
    proof.get_by_text("Pairs", exact=True).click()
    expect(proof.get_by_role("region", name="Pairs").get_by_role("listitem").first).to_be_visible()
    assert violations(proof) == []
    proof.set_viewport_size({"width": 640, "height": 800})
    assert proof.evaluate("document.documentElement.scrollWidth") <= 640
