"""A proof as one HTML page that needs no network and no script, to be sent to whoever has to agree."""

from __future__ import annotations

from base64 import b64encode

from jinja2 import Environment, PackageLoader, StrictUndefined

from ivory_thistle.core.formats.table import FORMATS
from ivory_thistle.core.reports.sentences import plain_bytes
from ivory_thistle.workflows.proving import Proof

MOST_SHOWN = 60


def proof_html(proof: Proof, title: str, most: int = MOST_SHOWN) -> bytes:
    """The page; of more renditions than `most`, the others are listed without pictures. Names are text in it."""
    environment = Environment(
        loader=PackageLoader("ivory_thistle", "workflows"), autoescape=True, undefined=StrictUndefined,
        trim_blocks=True, lstrip_blocks=True,
    )  # fmt: skip
    environment.filters |= {
        "size": plain_bytes, "embedded": _embedded, "label": lambda name: FORMATS[name].label,
        "sentence": lambda words: f"{words[:1].upper()}{words[1:]}",
    }  # fmt: skip
    text = environment.get_template("proof_page.html").render(
        title=title, shown=proof.proven[:most], others=proof.proven[most:], unjudged=proof.unjudged,
        before=sum(one.bytes_before for one in proof.proven),
        asking=sum(bool(one.asked.reasons) for one in proof.proven),
    )  # fmt: skip
    return text.encode()


def _embedded(picture: bytes) -> str:
    return f"data:image/webp;base64,{b64encode(picture).decode()}"
