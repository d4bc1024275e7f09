"""A site's own settings as they are stored, in the shapes that the core takes."""

from __future__ import annotations

from dataclasses import replace

from ivory_thistle.core.budgets.connection import DEFAULT_CONNECTIONS, Connection
from ivory_thistle.core.budgets.policy import PageBudget, Policy
from ivory_thistle.core.references.page import LAZY_ATTRIBUTES
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS, Screen
from ivory_thistle.core.treatment.narrowing import without_look
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.treatment.rules_toml import write_rules
from ivory_thistle.store import tables as t


def site_policy(site: t.Site) -> Policy:
    """The budgets of a site: its page budget for all, narrowed by what it keeps besides."""
    narrowed = Policy.from_dict(site.budgets or {})
    whole = PageBudget("", "", site.page_budget, narrowed.site.requests)
    return Policy(whole, narrowed.pages, narrowed.caps)


def site_screens(site: t.Site) -> list[Screen]:
    """The screens that a site is judged on."""
    return [Screen(**s) for s in site.screens] if site.screens else list(DEFAULT_SCREENS)


def site_rules(site: t.Site) -> Rules:
    """What a site's images are treated by."""
    return Rules.from_dict(site.rules) if site.rules else Rules()


def site_connections(site: t.Site) -> list[Connection]:
    """The lines on which waiting times are told."""
    return [Connection(**c) for c in site.connections] if site.connections else list(DEFAULT_CONNECTIONS)


def lazy_attributes(of: t.Site | t.Capture) -> tuple[str, ...]:
    """The attributes from which the site's scripts load pictures."""
    return tuple(of.lazy_attributes) if of.lazy_attributes is not None else LAZY_ATTRIBUTES


def take_look_back(site: t.Site, path: str, content: str) -> str | None:
    """Takes back another look that was decided for an image; the rules' TOML as it was, None where there was none."""
    rules = site_rules(site)
    narrower = without_look(rules.narrower, path, content)
    if narrower == rules.narrower:
        return None
    site.rules = replace(rules, narrower=narrower).as_dict()
    return write_rules(rules)
