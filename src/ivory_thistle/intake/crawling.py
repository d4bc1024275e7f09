"""What a crawl is asked for, and what it brings back."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field
from typing import Any
from urllib.parse import urldefrag

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.faults import Fault
from ivory_thistle.core.references.addresses import host_of, join


@dataclass(frozen=True, slots=True)
class CrawlOptions:
    """How a live site is read. `depth` counts links from the start; patterns are of whole addresses (`*` anything).

    `image_hosts`: other hosts whose images are the site's own; `allow_private`: the start's host may have an address
    that is not public.
    """

    start: str
    depth: int = 8
    pages: int = 500
    bytes: int = 2_000_000_000
    include: tuple[str, ...] = ()
    exclude: tuple[str, ...] = ()
    image_hosts: tuple[str, ...] = ()
    respect_robots: bool = True
    allow_private: bool = False
    seconds_between: float = 0.2

    def as_dict(self) -> dict[str, Any]:
        """Plain values."""
        return asdict(self)

    @classmethod
    def from_dict(cls, values: Mapping[str, Any]) -> CrawlOptions:
        """Options from plain values."""
        known: dict[str, Any] = {
            k: tuple(v) if isinstance(v, list) else v for k, v in values.items() if k in cls.__dataclass_fields__
        }
        return cls(**known)


@dataclass(frozen=True, slots=True)
class Seen:
    """What one address gave, as the journal keeps it: the file's path, and what asks whether it changed."""

    address: str
    path: str
    kind: str
    sha256: str
    etag: str = ""
    modified: str = ""


@dataclass
class Crawl:
    """What a crawl brought: files in the folder, aliases for their addresses, and what could not be read."""

    seen: dict[str, Seen] = field(default_factory=dict)
    aliases: dict[str, str] = field(default_factory=dict)
    faults: list[Fault] = field(default_factory=list)
    pages: int = 0
    bytes: int = 0
    stopped: bool = False
    limits: list[str] = field(default_factory=list)


def start_address(text: str) -> str:
    """The address to start from. Raises UnusableInput for what is none of the web."""
    text = text.strip()
    whole = text if re.match(r"https?://", text, re.IGNORECASE) else f"https://{text}"
    absolute = join(whole, "")
    if not absolute or not host_of(absolute) or " " in text or "://" in whole.split("://", 1)[1]:
        raise UnusableInput(f"{text} is no address of a web site; give one like https://example.org/.")
    return urldefrag(absolute).url
