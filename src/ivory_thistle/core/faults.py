"""Faults in users' files and pages: values that are collected and shown, never exceptions."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

FaultKind = Literal[
    "unreadable-file",
    "unreadable-image",
    "truncated-image",
    "too-many-pixels",
    "wrong-extension",
    "wrong-case",
    "unreadable-page",
    "unreadable-address",
    "unsafe-entry",
    "srcset-unusable",
    "srcset-mixed",
    "srcset-duplicate",
    "sizes-missing",
    "sizes-unused",
    "sizes-unusable",
    "media-unusable",
    "picture-source",
    "viewport-missing",
    "labels-corrected",
    "alternative-left",
]


@dataclass(frozen=True, slots=True)
class Fault:
    """One thing wrong in a file: `path` within the site, `line` (from 1) where it is known."""

    kind: FaultKind
    path: str
    message: str
    line: int | None = None
