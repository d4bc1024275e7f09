"""Custom properties on a page of one `p`, and the pictures that it then shows."""

from __future__ import annotations

# https://drafts.csswg.org/css-variables/#substitute-a-var
VARIABLES = [
    (":root {--a: url(x)} p {background: var(--a)}", ["x"]),
    (":root {--a: url(x)} p {--a: url(y)} p {background: var(--a)}", ["y"]),
    ("p {background: var(--none, url(f))}", ["f"]),
    ("p {background: var(--none, var(--nor, url(f)))}", ["f"]),
    (":root {--a: url(x), url(y)} p {background: var(--a)}", ["x", "y"]),
    (":root {--a: var(--b); --b: var(--a)} p {background: var(--a, url(f))}", ["f"]),
    (":root {--a: var(--b, url(x)); --b: var(--a, url(y))} p {background: var(--a)}", []),
    (":root {--a: var(--b); --b: var(--c, url(x)); --c: var(--c)} p {background: var(--a)}", ["x"]),
    (":root {--a: red; --b: var(--a)} p {--a: url(x); background: var(--b, url(y))}", []),
    (":root {--a: var(--none)} p {background: var(--a, url(f))}", ["f"]),
    (":root {--a: url(x)} p {--a: initial; background: var(--a, url(f))}", ["f"]),
    (":root {--a: url(x)} p {--a: inherit; background: var(--a, url(f))}", ["x"]),
    ("p {--a: url(x); background: image-set(var(--a) 1x)} p::before {--a: url(y); content: var(--a)}", ["x", "y"]),
    ("p {background: url(x)} p {background: var(--none)}", []),
    ("p {background: var(--A)} :root {--a: url(x)}", []),
]
