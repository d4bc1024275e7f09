"""The trees of pages against html5lib-tests, tree-construction: which elements stand where, with what attributes."""

from __future__ import annotations

import re
from collections.abc import Iterator
from xml.etree.ElementTree import Element

import pytest

from ivory_thistle.core.selection.tree import MATHML, SVG, XLINK, tree_of
from registries import members, python_source

pytestmark = pytest.mark.whole

Node = tuple[int, str, tuple[tuple[str, str], ...]]
_LANGUAGES = {"svg ": SVG, "math ": MATHML}
_PREFIXES = {
    "xlink ": XLINK,
    "xml ": "{http://www.w3.org/XML/1998/namespace}",
    "xmlns ": "{http://www.w3.org/2000/xmlns/}",
}
_LINE = re.compile(r"\| ( *)(.*)", re.DOTALL)
_ATTRIBUTE = re.compile(r'(?!")(.+?)="(.*)"', re.DOTALL)
_ELEMENT = re.compile(r"<([^!].*)>", re.DOTALL)


@pytest.fixture(scope="module")
def cases(tmp_path_factory: pytest.TempPathFactory) -> list[tuple[str, list[Node]]]:
    """Whole pages that are parsed with scripting on (or alike with it off), with their trees."""
    source = python_source("html5lib", "1.1", tmp_path_factory.mktemp("html5lib"))
    texts = members(source, r"tree-construction/.*\.dat$")
    return [case for text in texts for case in cases_of(text.decode(errors="replace"))]


def cases_of(text: str) -> Iterator[tuple[str, list[Node]]]:
    """What one file of the tests holds."""
    for case in re.split(r"(?:^|\n)#data\n", text)[1:]:
        head, _, document = case.partition("\n#document\n")
        if "#document-fragment" not in head and "#script-off" not in head:
            yield head.split("\n#errors")[0], nodes_told(document)


def nodes_told(document: str) -> list[Node]:
    """The elements of an expected tree; what a template holds stands right below it."""
    nodes: list[Node] = []
    contents: list[int] = []
    for line in re.split(r"\n(?=\| )", document.rstrip("\n")):
        found = _LINE.fullmatch(line)
        if not found:
            continue
        deep, words = len(found[1]) // 2, found[2]
        contents = [at for at in contents if at < deep]
        at = deep - len(contents)
        if words == "content":
            contents.append(deep)
        elif attribute := _ATTRIBUTE.fullmatch(words):
            level, tag, others = nodes[-1]
            nodes[-1] = level, tag, tuple(sorted((*others, (_named(attribute[1], _PREFIXES), attribute[2]))))
        elif element := _ELEMENT.fullmatch(words):
            nodes.append((at, _named(element[1], _LANGUAGES), ()))
    return nodes


def _named(name: str, namespaces: dict[str, str]) -> str:
    prefix = next((p for p in namespaces if name.startswith(p)), "")
    return namespaces.get(prefix, "") + name.removeprefix(prefix)


def nodes_built(root: Element) -> Iterator[Node]:
    """The elements of our tree in the same way."""
    waiting = [(0, root)]
    while waiting:
        level, at = waiting.pop()
        yield level, at.tag, tuple(sorted(at.attrib.items()))
        waiting += [(level + 1, child) for child in reversed(at)]


def test_elements_stand_where_they_should(cases: list[tuple[str, list[Node]]]) -> None:
    """All but those whose scripts change the page, and those that rest on rules for `select` dropped since."""
    judged = [case for case in cases if "<select" not in case[0] and "<script>document." not in case[0]]
    assert len(judged) > 1_300
    wrong = [text for text, told in judged if list(nodes_built(tree_of(text))) != told]
    assert wrong == []
