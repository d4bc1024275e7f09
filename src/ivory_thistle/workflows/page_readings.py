"""Readings of HTML pages, kept by content: the same page is not read twice."""

from __future__ import annotations

import json
from collections.abc import Callable
from contextlib import suppress
from dataclasses import astuple, replace
from functools import cache
from hashlib import sha256

from ivory_thistle.core.faults import Fault
from ivory_thistle.core.references.page import Link, PageReading, Reference, read_page
from ivory_thistle.core.references.source import read_html_source
from ivory_thistle.core.selection.markup_faults import markup_faults
from ivory_thistle.core.selection.viewport import viewport_faults
from ivory_thistle.store.blobs import Blobs, StorageError
from ivory_thistle.workflows.versions import code_version


def reading_of(path: str, data: bytes, lazy: tuple[str, ...]) -> PageReading:
    """What a page names, with the faults of its markup; of its links, each page or file that they lead to once.

    `lazy` are the attributes from which the site's scripts load images.
    """
    source = read_html_source(data)
    reading = read_page(source, lazy)
    # Many links lead to places of the same page.
    leads_to = dict.fromkeys(link.address.partition("#")[0] for link in reading.links)
    faults = [*markup_faults(path, source), *viewport_faults(path, source)]
    return replace(reading, links=[Link(address) for address in leads_to], faults=faults)


def kept_reading(path: str, digest: str, read: Callable[[], bytes], lazy: tuple[str, ...], blobs: Blobs) -> PageReading:
    """The reading of a page by the SHA-256 of its content: what is kept, else `read` now and kept where that can be."""
    name = sha256(f"page {digest} {lazy} {_version()}".encode()).hexdigest()
    reading = _from_note(path, blobs.note(name) or b"")
    if reading is None:
        reading = reading_of(path, read(), lazy)
        # What is kept saves work and nothing else.
        with suppress(StorageError):
            blobs.put_note(name, _as_note(reading))
    return reading


def _as_note(reading: PageReading) -> bytes:
    values = {
        "references": [astuple(reference) for reference in reading.references],
        "links": [link.address for link in reading.links],
        "faults": [(fault.kind, fault.message, fault.line) for fault in reading.faults],
        **{name: getattr(reading, name) for name in _PLAIN},
    }
    return json.dumps(values).encode()


def _from_note(path: str, note: bytes) -> PageReading | None:
    """A reading from its note, for a page of that path; None for what is none."""
    with suppress(ValueError, TypeError, KeyError):
        values = json.loads(note)
        return PageReading(
            references=[Reference(*reference) for reference in values["references"]],
            links=[Link(address) for address in values["links"]],
            faults=[Fault(kind, path, message, line) for kind, message, line in values["faults"]],
            **{name: values[name] for name in _PLAIN},
        )
    return None


_PLAIN = ("stylesheets", "manifests", "base", "title", "has_script", "data_bytes", "encoding")


@cache
def _version() -> str:
    return code_version(("references", "selection"))
