"""The tables. Sizes are in bytes, times in UTC; addresses are compared byte for byte (utf8mb4_nopad_bin)."""

from ivory_thistle.store.tables.base import Base, Job, now
from ivory_thistle.store.tables.captures import Audit, Capture, CaptureFile, Fault, Finding, Image, Page, Placement
from ivory_thistle.store.tables.checks import Check, CheckedLoad
from ivory_thistle.store.tables.measurements import Measurement, PageScreen, PageWeight, Slot
from ivory_thistle.store.tables.runs import PageLoad, PageSaving, Rendition, Run, Sample, Task
from ivory_thistle.store.tables.sites import NamedRules, RoleChoice, Site, Verdict, WordingChoice

__all__ = [
    "Audit",
    "Base",
    "Capture",
    "CaptureFile",
    "Check",
    "CheckedLoad",
    "Fault",
    "Finding",
    "Image",
    "Job",
    "Measurement",
    "NamedRules",
    "Page",
    "PageLoad",
    "PageSaving",
    "PageScreen",
    "PageWeight",
    "Placement",
    "Rendition",
    "RoleChoice",
    "Run",
    "Sample",
    "Site",
    "Slot",
    "Task",
    "Verdict",
    "WordingChoice",
    "now",
]
