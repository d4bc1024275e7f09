"""Snippets for web servers that choose among the files beside an original by what a browser accepts.

A browser names the formats that it shows in `Accept` (RFC 9110, section 12.5.1); `*/*` alone names none, and a weight
of 0 refuses one. Caches are told by `Vary: Accept` (section 12.5.5).
"""

from __future__ import annotations

import re
from collections.abc import Iterable

from ivory_thistle.core.formats.table import FORMATS, FormatName, extension_of
from ivory_thistle.core.formats.tiers import BASELINE, TIERS, modern_tiers
from ivory_thistle.core.rewriting.delivery import Delivery

NGINX, APACHE = "server-snippets/nginx.conf", "server-snippets/apache.htaccess"
_MARK = "light"


def server_snippets(deliveries: Iterable[Delivery]) -> dict[str, bytes]:
    """The snippets by path; empty where nothing was made."""
    every = [d for d in deliveries if d.files]
    if not every:
        return {}
    originals = sorted({re.escape(extension_of(d.path)) for d in every})
    offered = {tier: TIERS[tier].format for tier in modern_tiers()}
    formats = [f for f in offered.values() if any(n.format == f and n.tier != BASELINE for d in every for n in d.files)]
    plain = sorted({FORMATS[n.format].extensions[0] for d in every for n in d.files if n.tier == BASELINE})
    names = "|".join(originals)
    return {
        NGINX: _nginx(names, formats, plain).encode(),
        APACHE: _apache(names, formats, plain).encode(),
    }


def accepts(mime: str) -> str:
    """A regular expression for the Accept headers that name a type without refusing it."""
    return rf"(?:^|,)\s*{re.escape(mime)}\s*(?:;(?![^,]*q\s*=\s*0(?:\.0*)?\s*(?:[,;]|$))[^,]*)?(?:,|$)"


_ABOUT = """\
# Images at the addresses that they always had: a browser gets the lightest file beside the original that it shows.
# hills.jpg stands beside hills.jpg.light.avif and hills.jpg.light.webp. Take the whole folder structure over.
# A cache in front must keep one answer for each Accept header, as "Vary: Accept" tells it. Some content networks
# ignore that unless it is switched on there: else their visitors may get a format that they can't show.
# Who saves such a picture gets another format than its address says.
"""


def _nginx(names: str, formats: list[FormatName], plain: list[str]) -> str:
    maps = "".join(
        f"map $http_accept ${_MARK}_{f} {{\n"
        f"    default .{_MARK}.none;\n"
        f'    "~*{accepts(FORMATS[f].mime)}" .{_MARK}.{FORMATS[f].extensions[0]};\n'
        "}\n"
        for f in formats
    )
    tried = [*(f"$uri${_MARK}_{f}" for f in formats), *(f"$uri.{_MARK}.{extension}" for extension in plain)]
    return (
        f"{_ABOUT}\n# In http {{ }}:\n{maps}\n# In server {{ }}:\n"
        f"location ~* \\.(?:{names})$ {{\n"
        "    add_header Vary Accept;\n"
        f"    try_files {' '.join(tried)} $uri =404;\n"
        "}\n"
    )


def _apache(names: str, formats: list[FormatName], plain: list[str]) -> str:
    typed = "".join(f"AddType {FORMATS[f].mime} .{FORMATS[f].extensions[0]}\n" for f in formats)
    rules = "".join(
        f'    RewriteCond %{{HTTP:Accept}} "{accepts(FORMATS[f].mime)}" [NC]\n'
        f"    RewriteCond %{{REQUEST_FILENAME}}.{_MARK}.{FORMATS[f].extensions[0]} -f\n"
        f"    RewriteRule ^(.+\\.(?:{names}))$ $1.{_MARK}.{FORMATS[f].extensions[0]} [NC,T={FORMATS[f].mime},L]\n"
        for f in formats
    )
    rules += "".join(
        f"    RewriteCond %{{REQUEST_FILENAME}}.{_MARK}.{extension} -f\n"
        f"    RewriteRule ^(.+\\.(?:{names}))$ $1.{_MARK}.{extension} [NC,L]\n"
        for extension in plain
    )
    return (
        f"{_ABOUT}\n# As .htaccess in the site's root, or in its <Directory>; needs mod_rewrite and mod_headers.\n"
        f"{typed}<IfModule mod_rewrite.c>\n    RewriteEngine On\n{rules}</IfModule>\n"
        f'<IfModule mod_headers.c>\n    <FilesMatch "(?i)\\.(?:{names})(?:\\.{_MARK}\\.[a-z]+)?$">\n'
        "        Header merge Vary Accept\n    </FilesMatch>\n</IfModule>\n"
    )
