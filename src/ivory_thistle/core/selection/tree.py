"""The tree that a browser builds of a page (https://html.spec.whatwg.org/#parsing), scripting on but no script run."""

from __future__ import annotations

from typing import Any
from xml.etree.ElementTree import Element

from selectolax.lexbor import LexborDocumentOptions, LexborHTMLParser

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.references.markup import MOST_ATTRIBUTES, passing_over, tags

SVG, MATHML = "{http://www.w3.org/2000/svg}", "{http://www.w3.org/1998/Math/MathML}"
XLINK = "{http://www.w3.org/1999/xlink}"
_PREFIXES = {
    "xlink": XLINK,
    "xml": "{http://www.w3.org/XML/1998/namespace}",
    "xmlns": "{http://www.w3.org/2000/xmlns/}",
}
_MATHML_TEXT = frozenset(MATHML + name for name in ("mi", "mo", "mn", "ms", "mtext"))
_ANNOTATION = MATHML + "annotation-xml"
_HTML_INSIDE = _MATHML_TEXT | {SVG + name for name in ("foreignObject", "desc", "title")}
"""Elements of other languages that hold HTML."""
_MERGED = frozenset({"html", "body"})
"""A page has one of each: what further tags of it say is added to that."""
_HTML_ENCODINGS = ("text/html", "application/xhtml+xml")


def tree_of(text: str) -> Element:
    """The root element: HTML's names as they are, others as `{namespace}name`; what a `template` holds stands below it.

    Without comments. An `option` that is shown in a `selectedcontent` stands where the page wrote it alone. Raises
    UnusableInput for more attributes than an element may have.
    """
    _refuse_many_attributes(text)
    parser = LexborHTMLParser(text, scripting=True, options=LexborDocumentOptions.WO_EVENTS)
    assert parser.root is not None, "every page has a root"
    root = _element(parser.root, "")
    waiting = [(parser.root, root)]
    while waiting:
        node, element = waiting.pop()
        pieces: list[str] = []
        for child in _children(node, element.tag):
            if child.is_text_node:
                pieces.append(child.text_content)
            elif child.is_element_node:
                _end_text(element, pieces)
                inner = _element(child, _namespace(child.tag, element))
                element.append(inner)
                waiting.append((child, inner))
        _end_text(element, pieces)
    return root


def _refuse_many_attributes(text: str) -> None:
    """Since the library compares each attribute of an element with all others."""
    merged = 0
    for tag in tags(text, passing_over(_MERGED)):
        count = len(tag.attributes)
        if tag.name in _MERGED:
            count = merged = merged + count
        if count > MOST_ATTRIBUTES:
            raise UnusableInput(f"An element has more than {MOST_ATTRIBUTES:,} attributes.")


def _children(node: Any, tag: str) -> Any:
    if tag == "template":
        # The first holds its own content, the others that of templates in it.
        node = node.template_fragments()[0]
    return node.iter(include_text=True)


def _element(node: Any, namespace: str) -> Element:
    attributes = {name: value or "" for name, value in node.attributes.items()}
    if namespace:
        attributes = {_attribute(name): value for name, value in attributes.items()}
    return Element(namespace + node.tag, attributes)


def _attribute(name: str) -> str:
    """The name of an attribute of an element that is not HTML's."""
    prefix, _, local = name.partition(":")
    return _PREFIXES[prefix] + local if local and prefix in _PREFIXES else name


def _namespace(tag: str, parent: Element) -> str:
    """That of an element, empty for HTML's: the parser doesn't tell it, but it follows from the parent's.

    https://html.spec.whatwg.org/#tree-construction-dispatcher
    """
    language, closed, _ = parent.tag.rpartition("}")
    if parent.tag == _ANNOTATION:
        holds_html = parent.get("encoding", "").lower() in _HTML_ENCODINGS
    else:
        holds_html = not closed or parent.tag in _HTML_INSIDE
    if tag == "svg" and (holds_html or parent.tag == _ANNOTATION):
        return SVG
    if tag == "math" and holds_html:
        return MATHML
    if tag in ("mglyph", "malignmark") and parent.tag in _MATHML_TEXT:
        return MATHML
    return "" if holds_html else language + closed


def _end_text(element: Element, pieces: list[str]) -> None:
    """Gives an element the text that was met in it since its last child."""
    if not pieces:
        return
    if len(element):
        element[-1].tail = "".join(pieces)
    else:
        element.text = "".join(pieces)
    pieces.clear()
