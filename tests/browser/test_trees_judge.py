"""The trees of pages with a `select`, which the published cases build by older rules: Chromium is the judge."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page

from ivory_thistle.core.selection.tree import tree_of

pytestmark = [pytest.mark.whole, pytest.mark.browser]

SELECTS = [
    "<select><img src=a><option>b<img src=c><picture><source srcset=d><img></picture></select><img src=e>",
    "<select><button>a<img src=a></button><div><option><b>x</div><hr><optgroup><option>y</select>",
    "<table><tr><td><select><svg><g>foo</g></svg><p>baz</table><p>quux",
    "<p><select><select><input><img src=a></p>x<table><select><caption>y",
]


@pytest.mark.parametrize("text", SELECTS)
def test_what_stands_in_a_select(page: Page, text: str) -> None:
    """The same elements in the same order, each in the same parent."""
    page.set_content(f"<!doctype html>{text}")
    built = page.evaluate(
        "() => [...document.querySelectorAll('*')].map(e => [e.localName, e.parentElement?.localName ?? ''])"
    )
    root = tree_of(f"<!doctype html>{text}")
    parents = {child: parent.tag for parent in root.iter() for child in parent}
    ours = [[_local(at.tag), _local(parents.get(at, ""))] for at in root.iter()]
    assert ours == built


def _local(tag: str) -> str:
    return tag.rpartition("}")[2]
