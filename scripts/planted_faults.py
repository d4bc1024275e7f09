"""`python scripts/planted_faults.py`: whether the tests of every day catch faults, one planted in each package.

Each fault is planted in a copy of the tree, and the part of the daily tests that is named beside it is run there. What
that part catches, the whole of the daily tests does. Exit code 1 where fewer than 18 of the 20 are caught.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
ENOUGH = 18
_NOT_COPIED = shutil.ignore_patterns(".git", ".venv", ".data", "node_modules", "__pycache__", ".*_cache", ".hypothesis")


@dataclass(frozen=True, slots=True)
class Fault:
    """A line of a file as it is, as it would be wrong, and the daily tests that have to do with it."""

    file: str
    right: str
    wrong: str
    tests: str


FAULTS = (
    Fault("core/rewriting/html.py", "new.bytes >= self.images[delivery.path].facts.bytes",
          "new.bytes < self.images[delivery.path].facts.bytes", "core/test_rewriting.py"),
    Fault("core/selection/candidates.py", "if density >= wanted)", "if density > wanted)",
          "core/test_selection.py browser/test_selection_judge.py"),
    Fault("core/treatment/choice.py", "if m.encoded.bytes < facts.bytes]", "if m.encoded.bytes > facts.bytes]",
          "core/test_treatment.py core/test_worth.py"),
    Fault("core/treatment/ladder.py", "if facts.frames > 1 and not rules.animations:",
          "if facts.frames > 1 and rules.animations:", "core/test_ladder.py core/test_moving.py core/test_rules.py"),
    Fault("core/budgets/policy.py", "not 0 < value <= MOST[name]", "not 0 <= value <= MOST[name]",
          "core/test_policy.py core/test_hostile.py"),
    Fault("core/findings/images.py", "if facts.metadata_bytes >= METADATA_BYTES:",
          "if facts.metadata_bytes < METADATA_BYTES:", "core/test_findings.py"),
    Fault("core/search/search.py", "fitting = [p for p in tries.points.values() if p.score >= fidelity]",
          "fitting = [p for p in tries.points.values() if p.score < fidelity]",
          "core/test_search.py core/test_making.py"),
    Fault("core/references/srcset.py", 'if unit == "w" and _INTEGER.match(number) and width is None',
          'if unit == "w" and width is None', "core/test_selection.py browser/test_selection_judge.py"),
    Fault("core/proof/queue.py", "if one.margin < 0:", "if one.margin > 0:", "core/test_proof.py"),
    Fault("core/quality/likeness.py", "if self.score < LEAST_SCORE:", "if self.score > LEAST_SCORE:",
          "core/test_likeness.py"),
    Fault("core/wording/alternatives.py", "if 0 < image.width <= _TINY and 0 < image.height <= _TINY:",
          "if 0 < image.width >= _TINY and 0 < image.height <= _TINY:", "core/test_wording.py"),
    Fault("core/reports/audience.py", "return {name: part / total for name, part in parts.items()}",
          "return {name: part for name, part in parts.items()}", "core/test_reports.py"),
    Fault("core/cells.py", "if bare.startswith(_FORMULA) else cell\n\n\ndef",
          "if not bare.startswith(_FORMULA) else cell\n\n\ndef",
          "core/test_cells.py"),
    Fault("intake/archive.py", "if unpacked > limits.bytes:", "if unpacked < 0:", "intake/test_intake.py"),
    Fault("intake/har.py", "(200 <= status < 300 or status == 304)", "(200 <= status < 600)", "intake/test_har.py"),
    Fault("store/jobs.py", "if not _changed(session, table, job, (State.WAITING,), begun):",
          "if not _changed(session, table, job, tuple(State), begun):", "store/test_jobs.py"),
    Fault("workflows/storing.py", "broken_count=len(page.broken),", "broken_count=len(_first(page.broken)) + 1,",
          "api/test_api.py"),
    Fault("workflows/into_site.py", "elif isinstance(one.content, bytes):\n            links",
          "elif True:\n            links",
          "workflows/test_into_site.py"),
    Fault("api/guard.py", 'method in ("GET", "HEAD")\n', "bool(method)\n", "api/test_access.py"),
    Fault("api/access.py", "if hmac.compare_digest(t.encode(), token.encode())), None)",
          "if t.encode() != token.encode()), None)", "api/test_access.py"),
)  # fmt: skip


def main() -> int:
    """Plants each, and tells of each."""
    caught = 0
    with tempfile.TemporaryDirectory(prefix="thistle-faults-") as name:
        tree = Path(name) / "tree"
        shutil.copytree(ROOT, tree, ignore=_NOT_COPIED, symlinks=True)
        every = " ".join(dict.fromkeys(test for fault in FAULTS for test in fault.tests.split()))
        if _fails(tree, every):
            raise SystemExit("The tests fail without any fault; mend that first.")
        for number, fault in enumerate(FAULTS, 1):
            place = tree / "src/ivory_thistle" / fault.file
            was = place.read_text()
            assert was.count(fault.right) == 1, f"{fault.file} no longer holds {fault.right!r} once"
            place.write_text(was.replace(fault.right, fault.wrong))
            is_caught = _fails(tree, fault.tests)
            place.write_text(was)
            caught += is_caught
            print(
                f"{number:2} {'caught' if is_caught else 'MISSED':<7} {fault.file}: {fault.wrong.strip()}", flush=True
            )
    print(f"{caught} of {len(FAULTS)} faults are caught by tests of every day.")
    return caught < ENOUGH


def _fails(tree: Path, tests: str) -> bool:
    """Whether a test fails; tests that can't be run at all catch nothing."""
    paths = os.pathsep.join(str(tree / part) for part in ("src", "demo"))
    # The front end's types are made by npm packages, which are not copied.
    left_out = "tests/api/test_api.py::test_the_types_of_the_front_end_are_current"
    call = [sys.executable, "-m", "pytest", "-x", "--deselect", left_out, *(f"tests/{test}" for test in tests.split())]
    environment = os.environ | {"PYTHONPATH": paths, "PYTHONSAFEPATH": "1"}
    done = subprocess.run(call, cwd=tree, env=environment, capture_output=True, text=True, check=False)
    if done.returncode not in (0, 1):
        raise SystemExit(f"The tests can't be run: {done.stdout[-2000:]}{done.stderr[-2000:]}")
    return done.returncode == 1


if __name__ == "__main__":
    sys.exit(main())
