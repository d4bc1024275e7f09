"""The interface does what its description says, for requests of every shape (schemathesis)."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis.checks import CHECKS, load_all_checks

from application import Application
from ivory_thistle.api.schema_file import openapi_document

pytestmark = pytest.mark.database
# Watching goes on until what is watched ends; clearing would take the other tests' sites.
MOST_JOBS = 120
LEFT_OUT = ("/events", "/room/clear")
# What no schema can tell (that a folder is there, that a text is TOML) is refused with words, by 422.
load_all_checks()
TAKEN = CHECKS.get_one("positive_data_acceptance")
OPERATIONS: dict[str, Any] = {
    operation.label: operation
    for found in schemathesis.openapi.from_dict(openapi_document()).get_all_operations()
    if not (operation := found.ok()).path.endswith(LEFT_OUT)
}


@pytest.fixture(scope="module")
def read(application: Application, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Application]:
    """The application with a site that was read, so that small numbers lead to something.

    Jobs that were started by chance are stopped at the end: other tests' would wait for them.
    """
    folder: Path = tmp_path_factory.mktemp("site")
    (folder / "index.html").write_text("<!doctype html><title>x</title><p>x")
    site = application.client.post("/api/v1/sites/from-folder", json={"folder": str(folder)}).json()
    application.wait(f"/api/v1/captures/{site['capture']['id']}", ("done",))
    yield application
    stop_everything(application)


def stop_everything(application: Application) -> None:
    """Stops whatever is going, of every kind of job."""
    for kind in ("checks", "measurements", "runs", "captures"):
        for number in range(1, MOST_JOBS):
            deadline = time.monotonic() + 60
            while application.client.post(f"/api/v1/{kind}/{number}/stop").json().get("going"):
                assert time.monotonic() < deadline, f"{kind} {number} goes on"
                threading.Event().wait(0.1)


@pytest.mark.parametrize("label", OPERATIONS)
def test_no_request_breaks_anything(request: pytest.FixtureRequest, read: Application, label: str) -> None:
    """No 5xx, and every answer is of a documented status, type and shape."""

    @settings(
        max_examples=10 if request.config.getoption("whole") else 2, derandomize=True, database=None, phases=(Phase.explicit, Phase.generate),
        suppress_health_check=list(HealthCheck),
    )  # fmt: skip
    @given(case=OPERATIONS[label].as_strategy())
    def asked(case: schemathesis.Case) -> None:
        headers = dict(read.client.headers)
        case.call_and_validate(base_url=read.address, headers=headers, timeout=30, excluded_checks=[TAKEN])

    asked()
