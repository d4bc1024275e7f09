"""The two sites of a check, and how each is served to the visitors of a tier."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field
from urllib.parse import unquote

from ivory_thistle.core.formats.table import FORMATS, extension_of
from ivory_thistle.core.formats.tiers import TIERS, Tier
from ivory_thistle.core.references.addresses import files_at
from ivory_thistle.core.references.site import SiteReading

_TEXTS = frozenset({"html", "htm", "xhtml", "css"})
_UNKNOWN_TYPE = b"image/x-not-shown"


@dataclass(frozen=True, slots=True)
class Side:
    """One of the two sites. `given` leads, by tier, from addresses to the files a server chooses for them."""

    site: SiteReading
    read: Callable[[str], bytes]
    given: Mapping[Tier, Mapping[str, str]] = field(default_factory=dict)

    def aliases(self, tier: Tier) -> Mapping[str, str]:
        """What stands under other addresses than its own, for visitors of a tier."""
        return {**self.site.aliases, **{f"/{path}": file for path, file in self.given.get(tier, {}).items()}}


@dataclass(frozen=True, slots=True)
class Served:
    """A site as it is served to the visitors of a tier."""

    site: SiteReading
    read: Callable[[str], bytes]
    names: Mapping[str, str]

    def gives(self, address: str) -> list[tuple[str, bytes | str]]:
        """The files that an address may lead to, with the content of texts, of which tiers have their own."""
        files = self.site.files
        found = files_at(address, self.names, files)
        return [(path, self.read(path) if extension_of(path) in _TEXTS else files[path].sha256) for path in found]

    def gives_the_same(self, other: Served, addresses: Collection[str]) -> bool:
        """Whether everything at these addresses is the same, byte for byte. Without any, nobody knows."""
        return bool(addresses) and all(self.gives(address) == other.gives(address) for address in addresses)


Name = tuple[str, str]
"""What is loaded: a file of the site, and the query that it is asked for with. It comes once for each query."""


def name_of(address: str, site: SiteReading) -> Name:
    """What an address of the site names, as a browser asks for it; a file that is not there by its path."""
    path, _, query = address.partition("#")[0].partition("?")
    found = files_at(address, site.aliases, site.files)
    return found[0] if found else unquote(path).lstrip("/"), query


def for_tier(tier: Tier, read: Callable[[str], bytes]) -> Callable[[str], bytes]:
    """A reader of the site's files as a browser of the tier takes them."""
    order = list(TIERS)
    hidden = [FORMATS[TIERS[t].format].mime.encode() for t in order[: order.index(tier)] if TIERS[t].in_chromium]
    if not hidden:
        return read

    def of_tier(path: str) -> bytes:
        data = read(path)
        if extension_of(path) in _TEXTS:
            for mime in hidden:
                data = data.replace(mime, _UNKNOWN_TYPE)
        return data

    return of_tier


def checkable_tiers() -> tuple[Tier, ...]:
    """The tiers that Chromium can stand for, the most modern first."""
    return tuple(tier for tier, row in TIERS.items() if row.in_chromium)
