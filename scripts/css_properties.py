"""Writes down which CSS properties the installed Chromium knows: scripts/css_properties.py"""

from __future__ import annotations

from pathlib import Path
from textwrap import wrap

from playwright.sync_api import sync_playwright

from ivory_thistle.core import selection
from ivory_thistle.intake.chromium import browser_binary

_MODULE = Path(selection.__path__[0]) / "css_properties.py"
_HEAD = '''"""The CSS properties that Chromium knows: written by scripts/css_properties.py."""

from __future__ import annotations
'''
_NAMES = """() => {
  const named = [];
  for (const name in document.documentElement.style) named.push(name.replace(/[A-Z]/g, (c) => '-' + c.toLowerCase()));
  const all = [...named, ...named.map((name) => '-' + name), 'all', 'float'];
  return [...new Set(all)].filter((name) => CSS.supports(name, 'inherit')).sort();
}"""


def main() -> None:
    """Asks the browser for every name, and whether it is one of CSS."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=browser_binary(), args=["--no-sandbox"])
        names: list[str] = browser.new_page().evaluate(_NAMES)
        browser.close()
    lines = "\n".join(wrap(" ".join(names), 116, break_on_hyphens=False, break_long_words=False))
    _MODULE.write_text(
        f'{_HEAD}\n_NAMES = """\n{lines}\n"""\nPROPERTIES = frozenset(_NAMES.split())\n', encoding="ascii"
    )


if __name__ == "__main__":
    main()
