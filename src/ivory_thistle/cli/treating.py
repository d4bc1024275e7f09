"""The command that treats a folder: what can be asked for, and how it is said."""

from __future__ import annotations

import re
from dataclasses import replace
from pathlib import Path
from typing import Annotated, Any

import typer

from ivory_thistle.cli.options import (
    Cap,
    Compare,
    Fidelity,
    Formats,
    Measure,
    PatchFile,
    Quality,
    RulesFile,
    SiteFolder,
)
from ivory_thistle.cli.output import print_json, progress
from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.formats.tiers import BASELINE, TIERS, Tier, measured_tier, modern_tiers
from ivory_thistle.core.images.resize import Mode, Resize
from ivory_thistle.core.reports.sentences import less
from ivory_thistle.core.treatment.names import NAMES_PATTERN, names_of
from ivory_thistle.core.treatment.narrowing import FIDELITIES, fields_of
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.treatment.rules_toml import read_rules
from ivory_thistle.core.words import bytes_of, counted, kb
from ivory_thistle.intake.folder import Folder
from ivory_thistle.workflows.folders import FolderTreated, TreatOptions, treat_folder, treat_json
from ivory_thistle.workflows.packing import patch_stream
from ivory_thistle.workflows.settling import Comparison

_FALLBACK = "fallback"
_MOST_TOLD = 5
_SIZES = "For pictures alone"


def treat(
    folder: SiteFolder,
    out: Annotated[Path, typer.Option(help="The new folder to write.", show_default=False)],
    as_json: Annotated[bool, typer.Option("--json", help="Print the result as JSON.")] = False,
    fidelity: Fidelity = "",
    cap: Cap = "",
    quality: Quality = "",
    formats: Formats = "",
    rules_file: RulesFile = None,
    widths: Annotated[str, typer.Option(help="Widths in pixels, e.g. 480,960.", rich_help_panel=_SIZES)] = "",
    longest: Annotated[int, typer.Option(help="Pixels of the longer side.", rich_help_panel=_SIZES)] = 0,
    percent: Annotated[float, typer.Option(help="Share of width and height.", rich_help_panel=_SIZES)] = 0,
    fit: Annotated[str, typer.Option(help="Within a box, e.g. 1200x800.", rich_help_panel=_SIZES)] = "",
    fill: Annotated[str, typer.Option(help="Cut to fill a box, e.g. 800x800.", rich_help_panel=_SIZES)] = "",
    focus: Annotated[
        str,
        typer.Option(help="With --fill: what to cut around, e.g. 0.5,0.3.", rich_help_panel=_SIZES),
    ] = "",
    name: Annotated[
        str, typer.Option(help=f"How new files are called, e.g. {NAMES_PATTERN}.", show_default=False)
    ] = "",
    metadata: Annotated[str, typer.Option(help="What to keep: none, copyright or keep (all).")] = "",
    keep_p3: Annotated[bool, typer.Option("--keep-p3", help="Leave Display P3 pictures in their wide gamut.")] = False,
    sharpen: Annotated[bool, typer.Option("--sharpen", help="Sharpen a little after strong reduction.")] = False,
    svg_scripts: Annotated[
        bool, typer.Option("--remove-svg-scripts", help="Take scripts and event attributes out of SVG files.")
    ] = False,
    measure: Measure = False,
    compare: Compare = True,
    patch: PatchFile = None,
) -> None:
    """Treat a site's images, or a folder of pictures, and write everything to a new folder."""
    if sum(map(bool, (fidelity, cap, quality))) > 1:
        raise UnusableInput("Give one of --fidelity, --cap and --quality.")
    if patch and not patch.absolute().parent.is_dir():
        raise UnusableInput(f"The folder {patch.absolute().parent} does not exist.")
    wanted = formats_of(formats)
    asked = {"keep_p3": keep_p3, "sharpen": sharpen, "svg_scripts": svg_scripts}
    rules = rules_of(
        fidelity, cap, quality, rules_file, **formats_asked(formats),
        **{name: True for name, on in asked.items() if on},
        **({"metadata": metadata_of(metadata)} if metadata else {}),
        **({"tier_share": 0.0, "tier_bytes": 1, "fallback": BASELINE in wanted} if formats else {}),
        **({"picture_widths": tuple(_number(w, "--widths") for w in _listed(widths))} if widths else {}),
        **({"size": size} if (size := _size(longest, percent, fit, fill, focus)) else {}),
        **({"names": names_of(name)} if name else {}),
    )  # fmt: skip
    options = TreatOptions(measure=measure, compare=compare)
    stages = ("Reading files", "Measuring pages", "Treating images", "Comparing pages")
    with progress(stages) as bars:
        done = treat_folder(Folder(folder), out, rules, options, (bars[0], bars[1], bars[2], bars[3]))
    if patch:
        write_patch(done, patch)
    if as_json:
        print_json(treat_json(done))
        return
    tell(done)


def write_patch(done: FolderTreated, patch: Path) -> None:
    """Writes the changed lines as a unified diff, and the way back beside it."""
    back = patch.with_name(f"{patch.stem}.reverse{patch.suffix}")
    for place, reverse in ((patch, False), (back, True)):
        place.write_bytes(b"".join(patch_stream(done.handover, done.folder.read, reverse)))


def tell(done: FolderTreated) -> None:
    """What came of it, in sentences."""
    handover, tier = done.handover, measured_tier()
    before, after = handover.savings.before, handover.savings.after[tier]
    texts = "page or style sheet" if len(handover.rewritten) == 1 else "pages and style sheets"
    typer.echo(f"{counted(len(handover.new_files), 'new file')}, {len(handover.rewritten):,} {texts} rewritten.")
    sums = f"{kb(before)} before, {kb(after)} after{f', {less(before, after)}' if before else ''}"
    typer.echo(f"Images in use: {sums} ({tier}; kB = 1,000 bytes).")
    for load in done.report.totals:
        if load.tier == tier:
            more = f"{kb(load.before)} before, {kb(load.after)} after, {counted(load.requests_after, 'file')}"
            typer.echo(f"All pages as loaded on {load.screen} (predicted): {more}.")
    compared = done.report.comparison
    if compared:
        pages, screens = counted(compared.pages, "page"), counted(compared.screens, "screen")
        typer.echo(f"{pages} compared in Chromium on {screens}: {_verdict(compared)}.")
    for page, why in done.report.unknown.items():
        typer.echo(f"{page} stays as it was: {why}")
    for fault in handover.faults[:_MOST_TOLD]:
        typer.echo(fault.message)
    for failure in done.failed:
        typer.echo(f"Not treated: {failure.path}. {failure.reason}")
    for still in done.report.still_loaded[:_MOST_TOLD]:
        where = counted(still.pages, "page")
        typer.echo(f"Still loaded as it was, on {where}: {still.path}, {kb(still.bytes)}. {still.reason}")


def _verdict(compared: Comparison) -> str:
    if compared.different:
        return f"{len({d.page for d in compared.different})} still look different"
    safer = f"; {counted(compared.safer, 'image')} took a safer form for that" if compared.safer else ""
    unsure = f"; {len(compared.unsure)} can't be compared and took safe forms" if compared.unsure else ""
    return f"every box is as before{safer}{unsure}"


def rules_of(fidelity: str, cap: str, quality: str, rules_file: Path | None = None, **others: Any) -> Rules:
    """Rules of a file, where one is given, and by what was asked for. Raises UnusableInput for what there is not."""
    rules = read_rules(_text(rules_file)) if rules_file else Rules()
    looks: dict[str, Any] = {}
    if fidelity:
        score = next((score for name, score in FIDELITIES.items() if name == fidelity), None)
        if score is None:
            raise UnusableInput(f"There is no fidelity {fidelity!r}; there are {', '.join(FIDELITIES)}.")
        looks = fields_of({"fidelity": score})
    elif cap:
        looks = fields_of({"cap": _bytes(cap)})
    elif quality:
        looks = fields_of({"quality": _qualities(quality)})
    return replace(rules, **looks, **others)


def formats_asked(formats: str) -> dict[str, Any]:
    """The modern tiers that were asked for; nothing where none were."""
    wanted = formats_of(formats)
    return {"formats": tuple(t for t in modern_tiers() if t in wanted)} if formats else {}


def _text(place: Path) -> str:
    try:
        return place.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        why = error.strerror if isinstance(error, OSError) else "it is not in UTF-8"
        raise UnusableInput(f"{place} can't be read: {why}.") from error


def _bytes(text: str) -> int:
    size = bytes_of(text)
    if size is None:
        raise UnusableInput(f"{text!r} is no size; write 100kB or 1.5MB (kB = 1,000 bytes).")
    return size


def _qualities(text: str) -> dict[Tier, int]:
    tiers = {row.format: tier for tier, row in TIERS.items()}
    found: dict[Tier, int] = {}
    for part in _listed(text):
        format_, _, value = part.partition("=")
        if format_ not in tiers or not value.isdecimal() or not 1 <= int(value) <= 100:
            *ways, last = (f"{name}={TIERS[tier].making.fixed}" for name, tier in tiers.items())
            raise UnusableInput(f"{part!r} is no quality; write {', '.join(ways)} or {last}, each from 1 to 100.")
        found[tiers[format_]] = int(value)
    return found


def formats_of(text: str) -> tuple[Tier, ...]:
    tiers = {_FALLBACK if tier == BASELINE else tier: tier for tier in TIERS}
    names = _listed(text) or list(tiers)
    unknown = next((n for n in names if n not in tiers), None)
    if unknown:
        raise UnusableInput(f"There is no format {unknown!r} to write; there are {', '.join(tiers)}.")
    return tuple(tiers[n] for n in names)


def metadata_of(text: str) -> str:
    if text not in ("none", "copyright", "keep"):
        raise UnusableInput(f"Metadata can't be {text!r}; there are none, copyright and keep.")
    return text


def _listed(text: str) -> list[str]:
    return [part.strip() for part in text.split(",") if part.strip()]


def _number(text: str, option: str) -> int:
    if not text.isdecimal() or not int(text):
        raise UnusableInput(f"{option} takes whole numbers of pixels, not {text!r}.")
    return int(text)


def _size(longest: int, percent: float, fit: str, fill: str, focus: str) -> Resize | None:
    """The new size that was asked for; None for none. Raises UnusableInput for two or for nonsense."""
    given = [
        (mode, value)
        for mode, value in (("longest", longest), ("percent", percent), ("fit", fit), ("fill", fill))
        if value
    ]
    if len(given) > 1:
        raise UnusableInput("Give one of --longest, --percent, --fit and --fill.")
    if focus and not fill:
        raise UnusableInput("--focus goes with --fill.")
    if not given:
        return None
    if longest < 0 or percent < 0:
        raise UnusableInput("Sizes are above zero.")
    if longest:
        return Resize("longest", longest)
    if percent:
        return Resize("percent", percent)
    mode: Mode = "fit" if fit else "fill"
    sides = re.fullmatch(r"(\d+)x(\d+)", (fit or fill).lower())
    if not sides or not int(sides.group(1)) or not int(sides.group(2)):
        raise UnusableInput(f"--{mode} takes width and height in pixels like 1200x800, not {fit or fill!r}.")
    return Resize(mode, int(sides.group(1)), int(sides.group(2)), _focus(focus))


def _focus(text: str) -> tuple[float, float] | None:
    if not text:
        return None
    try:
        x, y = (float(part) for part in text.split(","))
    except ValueError:
        x = y = -1.0
    if not (0 <= x <= 1 and 0 <= y <= 1):
        raise UnusableInput(f"--focus takes two shares from 0 to 1 like 0.5,0.3, not {text!r}.")
    return x, y
