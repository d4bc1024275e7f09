"""The library's selection and filters, and drafts in dialogs, through the real interface."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from application import Application
from pictures import write_site

pytestmark = [pytest.mark.browser, pytest.mark.database]
LONG = "a-folder-with-a-long-name/and-another-one-within/the-end.html"


@pytest.fixture(scope="module")
def site(application: Application, tmp_path_factory: pytest.TempPathFactory) -> Iterator[int]:
    """The little site, read and audited."""
    folder = write_site(tmp_path_factory.mktemp("library") / "site")
    (folder / LONG).parent.mkdir(parents=True)
    (folder / LONG).write_text("<title>Far down</title><img src=/img/cat.jpg>")
    made = application.client.post("/api/v1/sites/from-folder", json={"folder": str(folder)}).json()
    application.wait(f"/api/v1/captures/{made['capture']['id']}", ("done",))
    application.audited(made["capture"]["id"])
    yield made["id"]
    application.client.delete(f"/api/v1/sites/{made['id']}")


@pytest.fixture
def library(page: Page, application: Application, site: int) -> Page:
    """The library of that site, with its rows."""
    page.goto(application.access.link())
    page.goto(f"{application.address}/sites/{site}/library")
    expect(page.get_by_role("table", name="Images").get_by_role("row")).to_have_count(7)
    return page


def test_all_means_all_of_one_filter(library: Page) -> None:
    """All but one are five; another filter ends that, and no count is ever below zero."""
    library.get_by_role("button", name="Select all 6").click()
    library.get_by_label("Select img/cat.jpg").uncheck()
    expect(library.get_by_text("5 selected")).to_be_visible()
    library.get_by_label("Find in paths").fill("graphic")
    expect(library.get_by_role("table", name="Images").get_by_role("row")).to_have_count(2)
    expect(library.get_by_role("button", name="Select all 1")).to_be_visible()
    expect(library.get_by_text("selected", exact=False)).to_have_count(0)


def test_single_picks_outlive_a_filter(library: Page) -> None:
    """What was picked one by one stays picked while the list is narrowed, and is still there afterwards."""
    library.get_by_label("Select img/cat.jpg").check()
    library.get_by_label("Find in paths").fill("graphic")
    expect(library.get_by_role("table", name="Images").get_by_role("row")).to_have_count(2)
    expect(library.get_by_text("1 selected")).to_be_visible()
    library.get_by_label("Find in paths").fill("")
    expect(library.get_by_label("Select img/cat.jpg")).to_be_checked()


def test_the_address_holds_the_filter(library: Page, application: Application, site: int) -> None:
    """A reload and a link show the same; "Show all again" empties the field of the search as well."""
    library.get_by_label("Find in paths").fill("cat")
    library.get_by_label("State").select_option("With copies")
    expect(library).to_have_url(f"{application.address}/sites/{site}/library?find=cat&show=copies")
    library.reload()
    expect(library.get_by_label("Find in paths")).to_have_value("cat")
    library.get_by_role("button", name="Show all again").click()
    expect(library.get_by_label("Find in paths")).to_have_value("")
    expect(library).to_have_url(f"{application.address}/sites/{site}/library")


def test_nothing_can_be_selected_while_it_loads(page: Page, application: Application, site: int) -> None:
    """Before the count is known the button tells none, and can't be pressed."""
    page.goto(application.access.link())
    page.route("**/images?*", lambda route: None)
    page.goto(f"{application.address}/sites/{site}/library")
    button = page.get_by_role("button", name="Select all")
    expect(button).to_be_disabled()
    expect(button).to_have_text("Select all")
    page.unroute_all(behavior="ignoreErrors")


def test_a_draft_of_budgets_outlives_a_look_elsewhere(page: Page, application: Application, site: int) -> None:
    """The window loses and gets the focus, and everything is asked anew: what was typed is still there."""
    page.goto(application.access.link())
    page.goto(f"{application.address}/sites/{site}/audit")
    page.get_by_role("button", name="Budgets by page, screen and role").click()
    dialog = page.get_by_role("dialog", name="Budgets")
    dialog.get_by_role("button", name="Add a budget").click()
    dialog.get_by_label("Pages of budget 1").fill("more/*")
    dialog.get_by_text("The same as TOML").click()
    dialog.get_by_label("Budgets as TOML").fill("# being written")
    page.clock.install()
    page.clock.fast_forward("10:00")
    page.evaluate("window.dispatchEvent(new Event('visibilitychange')); window.dispatchEvent(new Event('focus'))")
    page.wait_for_load_state("networkidle")
    expect(dialog.get_by_label("Pages of budget 1")).to_have_value("more/*")
    expect(dialog.get_by_label("Budgets as TOML")).to_have_value("# being written")


def test_a_long_path_shows_its_end(library: Page, application: Application, site: int) -> None:
    """What tells a page from others of its folder is in view; its name for assistive programs is whole."""
    library.goto(f"{application.address}/sites/{site}/audit")
    link = library.get_by_role("link", name=LONG, exact=True)
    words, column = link.locator("bdi").bounding_box(), link.locator("..").bounding_box()
    assert words and column
    assert words["width"] > column["width"]
    assert words["x"] < column["x"] and words["x"] + words["width"] <= column["x"] + column["width"] + 0.5
    expect(link.get_by_title(f"{LONG}: Far down")).to_be_visible()
