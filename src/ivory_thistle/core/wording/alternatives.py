"""Images without alternative text: which of them only decorate, and what the others might say.

https://html.spec.whatwg.org/multipage/images.html#alt : empty where an image adds nothing to the text around it.
"""

from __future__ import annotations

from dataclasses import dataclass

from ivory_thistle.core.treatment.roles import Role
from ivory_thistle.core.wording.context import ImageContext
from ivory_thistle.core.wording.names import is_descriptive, words_of_name

_TINY = 24
"""CSS px up to which both sides of an image hold no content."""
_LONGEST = 125
"""Characters after which some screen readers break alternative text; common practice, no source."""


@dataclass(frozen=True, slots=True)
class Suggestion:
    """An alternative text and where it comes from; an empty one says that the image decorates."""

    text: str
    why: str


def suggested_alternative(image: ImageContext, role: Role, path: str) -> Suggestion | None:
    """What an image without alternative text might say; None where nothing around tells."""
    decorates = _why_decorative(image, role)
    if decorates:
        return Suggestion("", decorates)
    caption = image.caption.strip()
    if caption and len(caption) <= _LONGEST:
        return Suggestion(caption, "Its caption.")
    name = path.rsplit("/", 1)[-1].rsplit(".", 1)[0]
    if is_descriptive(name):
        said = " ".join(words_of_name(name))
        return Suggestion(said[:1].upper() + said[1:], "The name of its file.")
    if image.heading and len(image.heading) <= _LONGEST:
        return Suggestion(image.heading, "The heading above it.")
    return None


def _why_decorative(image: ImageContext, role: Role) -> str:
    """Why an image decorates, in words; empty where it does not seem to."""
    if image.hidden:
        return "It is hidden from assistive technology already."
    if image.linked:
        return "It stands in a link beside the link's own text." if image.link_text else ""
    if role == "decoration":
        return "It is a decoration by its place or name."
    if 0 < image.width <= _TINY and 0 < image.height <= _TINY:
        return f"It is no larger than {_TINY} px."
    return ""
