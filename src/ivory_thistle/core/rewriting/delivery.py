"""New files for an original: their names beside it, and which of them a placement offers."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from urllib.parse import quote

from ivory_thistle.core.formats.table import FORMATS
from ivory_thistle.core.formats.tiers import BASELINE, TIERS, Tier
from ivory_thistle.core.references.addresses import FileIndex
from ivory_thistle.core.selection.screen import USEFUL_DENSITY
from ivory_thistle.core.treatment.names import NAMES_PATTERN
from ivory_thistle.core.treatment.rendition import CARD, RenditionFacts, fields_of


@dataclass(frozen=True, slots=True, kw_only=True)
class NewFile(RenditionFacts):
    """One rendition as a file of the site."""

    path: str


@dataclass(frozen=True, slots=True)
class Delivery:
    """An original file of `width` x `height` pixels with the new files that stand for it, by rising width.

    `top` is the widest rung that was planned: the original stays in its place where no new file was worth it. A wider
    file was made for places that take one address and no size.
    """

    path: str
    width: int
    height: int
    files: tuple[NewFile, ...]
    top: int = 0

    def rungs(self, tier: Tier, slot: int = 0) -> tuple[NewFile, ...]:
        """The tier's files; with a slot in CSS px, those up to the first that gives it two pixels each."""
        files = tuple(f for f in self.files if f.tier == tier and f.width <= (self.top or self.width))
        enough = next((n for n, f in enumerate(files) if slot and f.width >= slot * USEFUL_DENSITY), len(files))
        return files[: enough + 1]

    def widest(self, tier: Tier) -> NewFile | None:
        """The largest file of that very tier; None without any."""
        rungs = self.rungs(tier)
        return rungs[-1] if rungs else None

    @property
    def own_size(self) -> NewFile | None:
        """The file of the original's own size that every browser shows; None where none was worth it."""
        return next((f for f in self.files if f.tier == BASELINE and f.width == self.width), None)

    @property
    def card(self) -> NewFile | None:
        """The file for a social card: the widest that every crawler reads and that is no larger than needed."""
        fits = [f for f in self.files if f.tier == BASELINE and f.width <= CARD[0] and f.height <= CARD[1]]
        wide_enough = min(self.width, CARD[0] // 2)
        return next((f for f in reversed(fits) if f.width >= wide_enough), None)


@dataclass(frozen=True, slots=True)
class Original:
    """An original file of `width` x `height` pixels and what was made of it; `top` as in `Delivery`."""

    path: str
    width: int
    height: int
    renditions: tuple[RenditionFacts, ...]
    top: int = 0


_HASH = 8


def plan_delivery(
    originals: Iterable[Original],
    index: FileIndex,
    names: str = NAMES_PATTERN,
    replacing: bool = False,
) -> Mapping[str, Delivery]:
    """Names for new files beside each original, none taken twice.

    By the usual pattern `hills.jpg` at 960 px becomes `hills-960.avif`; `{hash}` is the start of the content's SHA-256.
    Where the site has such a file, or another new one is called so, that is added. `replacing` lets a new file take its
    own original's name. Deterministic for the same originals.
    """
    taken: dict[str, str] = {}
    deliveries = {}
    order = list(TIERS)
    for original in originals:
        path = original.path
        folder, _, own = path.rpartition("/")
        stem = own.rsplit(".", 1)[0] if "." in own[1:] else own
        files = []
        for r in original.renditions:
            fields = {
                "name": stem, "file": own, "width": r.width, "height": r.height, "hash": r.sha256[:_HASH],
                "ext": FORMATS[r.format].extensions[0],
            }  # fmt: skip
            name = f"{folder}/{names.format(**fields)}".lstrip("/")
            occupied = index.taken(name) and not (replacing and name == path)
            if occupied or taken.get(name.casefold(), r.sha256) != r.sha256:
                before, _, extension = name.rpartition(".")
                name = f"{before}-{r.sha256[:_HASH]}.{extension}"
            taken[name.casefold()] = r.sha256
            files.append(NewFile(path=name, **fields_of(r)))
        files.sort(key=lambda f: (order.index(f.tier), f.width))
        if files:
            deliveries[path] = Delivery(path, original.width, original.height, tuple(files), original.top)
    return deliveries


def sibling_address(address: str, path: str) -> str:
    """`address` as written, led to a new file in the same folder: `../a/x.jpg?v=1` -> `../a/x-480.avif?v=1`.

    Blanks and commas are percent-encoded, so that the address may stand in a srcset.
    """
    cut = min((i for i in (address.find("?"), address.find("#")) if i >= 0), default=len(address))
    head, tail = address[:cut].replace("\\", "/"), address[cut:]
    folder = head[: head.rfind("/") + 1]
    before, after = (_without_blanks(part) for part in (folder, tail))
    return before + quote(path.rsplit("/", 1)[-1]) + after


def _without_blanks(part: str) -> str:
    return "".join(quote(c) if c.isspace() or c == "," else c for c in part)
