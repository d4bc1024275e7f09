"""Where treatments are kept for other runs, sites and the command line, and how much of them."""

from __future__ import annotations

import os
from collections.abc import Collection, Iterator
from contextlib import contextmanager
from hashlib import sha256
from pathlib import Path

import structlog

from ivory_thistle.core.treatment.choice import Treated
from ivory_thistle.core.treatment.rendition import facts_of
from ivory_thistle.store.blobs import Blobs, StorageError
from ivory_thistle.store.kept import Kept, KeptTreatment

log = structlog.get_logger()

PLACE, LIMIT = "THISTLE_KEPT", "THISTLE_KEPT_LIMIT"
"""Environment variables: a folder or fsspec URL (empty: nothing is kept), and a number of bytes."""
DEFAULT_LIMIT = 2_000_000_000


def kept_url() -> str:
    """Where treatments are kept; empty for nowhere."""
    return os.environ.get(PLACE, "")


def kept_folder() -> Path | None:
    """The folder where treatments are kept; None for nowhere, and for places that are no folder of this machine."""
    url = kept_url()
    return Path(url).absolute() if url and "://" not in url else None


def kept_limit() -> int:
    """How many bytes of renditions are kept at most."""
    said = os.environ.get(LIMIT, "")
    return int(said) if said.isdigit() else DEFAULT_LIMIT


def open_kept(url: str) -> Kept | None:
    """The store at a URL; None for nowhere, and where it is out of order."""
    if url:
        with _unless_out_of_order():
            return Kept(url)
    return None


def kept_keys(kept: Kept | None) -> Collection[str]:
    """The keys of all treatments; none where the store is out of order."""
    if kept:
        with _unless_out_of_order():
            return frozenset(kept.blobs.note_keys())
    return frozenset()


def find_kept(kept: Kept | None, key: str) -> KeptTreatment | None:
    """A treatment's facts by its key; None where there is none, or where the store is out of order."""
    if kept:
        with _unless_out_of_order():
            return kept.find(key)
    return None


def told_of_kept(kept: Kept | None, key: str) -> KeptTreatment | None:
    """A treatment's facts by its key, without a look at its contents, which would take most of the time."""
    if kept:
        with _unless_out_of_order():
            return kept.read(key)
    return None


def take_kept(url: str, key: str, blobs: Blobs) -> KeptTreatment | None:
    """A kept treatment, its contents put into `blobs`; None where there is none, or where it can't be read.

    Raises StorageError for `blobs` alone.
    """
    contents = dict[str, bytes]()
    whole: KeptTreatment | None = None
    with _unless_out_of_order():
        kept = Kept(url)
        found = kept.find(key)
        for rendition in found.renditions if found else ():
            contents[rendition.sha256] = kept.blobs.get(rendition.sha256)
        if all(sha256(data).hexdigest() == digest for digest, data in contents.items()):
            whole = found
    if whole:
        for digest, data in contents.items():
            blobs.put(data, digest)
    return whole


def keep(url: str, key: str, treated: Treated, seconds: float) -> None:
    """Keeps a treatment that took so long, where that can be."""
    with _unless_out_of_order():
        kept = Kept(url)
        for rendition in treated.renditions:
            kept.blobs.put(rendition.data, rendition.sha256)
        kept.keep(key, KeptTreatment(tuple(facts_of(r) for r in treated.renditions), treated.words, seconds))


def let_go_of_the_oldest() -> None:
    """Holds what is kept to its limit."""
    if url := kept_url():
        with _unless_out_of_order():
            Kept(url).hold_to(kept_limit())


@contextmanager
def _unless_out_of_order() -> Iterator[None]:
    """What is kept saves work and nothing else: where its place is full or away, the work is done."""
    try:
        yield
    except (StorageError, OSError) as error:
        log.warning("renditions are not kept", reason=str(error))
