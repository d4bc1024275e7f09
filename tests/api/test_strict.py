"""What is asked is taken as it is meant, or refused with a documented problem: no value is guessed."""

from __future__ import annotations

import http.client
import json
from collections.abc import Iterator
from typing import Any
from urllib.parse import urlsplit

import pytest

from application import Application
from ivory_thistle.api.schema_file import openapi_document
from pictures import write_site

pytestmark = pytest.mark.database
DOCUMENT = openapi_document()
ODD = {"integer": [False, True, "7", 1.5], "number": [False, "7"], "boolean": [0, 1, "true"], "string": [7, True]}


def resolved(schema: dict[str, Any]) -> dict[str, Any]:
    while "$ref" in schema:
        schema = DOCUMENT["components"]["schemas"][schema["$ref"].rpartition("/")[2]]
    return schema


def wrong_values(schema: dict[str, Any], depth: int = 0) -> Iterator[Any]:
    """Values that are of another type in one place; what stands around is as little as is allowed."""
    schema = resolved(schema)
    if "anyOf" in schema:
        kinds = {resolved(one).get("type") for one in schema["anyOf"]}
        for one in schema["anyOf"]:
            yield from (v for v in wrong_values(one, depth) if not taken_by(v, kinds))
    elif schema.get("type") in ODD and "enum" not in schema:
        yield from ODD[schema["type"]]
    elif schema.get("type") == "array" and depth < 4:
        yield from ([value] for value in wrong_values(schema["items"], depth + 1))
    elif schema.get("type") == "object" and depth < 4:
        for name, one in schema.get("properties", {}).items():
            yield from ({name: value} for value in wrong_values(one, depth + 1))


def taken_by(value: Any, kinds: set[str | None]) -> bool:
    return (isinstance(value, str) and "string" in kinds) or (
        isinstance(value, int | float) and not isinstance(value, bool) and bool(kinds & {"number", "integer"})
    )


CASES = [
    (method, path, value)
    for path, operations in DOCUMENT["paths"].items()
    for method, operation in operations.items()
    if (body := operation.get("requestBody", {}).get("content", {}).get("application/json"))
    for value in wrong_values(body["schema"])
]


def test_no_value_of_another_type_is_taken(application: Application) -> None:
    """Every field of every body: a truth value is no number, a text is none either."""
    assert len(CASES) > 100
    assert ("patch", "/api/v1/sites/{site_id}", {"connections": [{"wait_ms": False}]}) in CASES
    for method, path, value in CASES:
        for name in ("site_id", "capture_id", "run_id", "image_id"):
            path = path.replace(f"{{{name}}}", "1")
        answer = application.client.request(method, path, json=value)
        assert answer.status_code == 422, (method, path, value, answer.text)
        assert answer.json()["type"] == "urn:ivory-thistle:invalid-request", (method, path, value, answer.text)


@pytest.mark.parametrize("letters", [16_000, 70_000, 1_000_000])
def test_an_address_that_is_too_long_is_a_documented_problem(application: Application, letters: int) -> None:
    """Longer than the server reads at all: it says so as every other problem is said."""
    connection = http.client.HTTPConnection(urlsplit(application.address).netloc)
    connection.request("GET", f"/api/v1/sites?x={'x' * letters}")
    answer = connection.getresponse()
    assert answer.status == 400 and answer.headers["content-type"] == "application/problem+json"
    assert json.loads(answer.read())["detail"] == (
        "This request can't be understood, or its address has more than 16,000 bytes."
    )
    connection.close()


def test_a_run_of_no_body_and_of_an_empty_one_is_of_the_whole_site(application: Application, tmp_path: Any) -> None:
    """A selection that was made and is empty is refused."""
    folder = write_site(tmp_path / "site")
    site = application.client.post("/api/v1/sites/from-folder", json={"folder": str(folder)}).json()
    capture = f"/api/v1/captures/{site['capture']['id']}"
    application.wait(capture, ("done",))
    images = []
    for body in (None, {}):
        run = application.client.post(f"{capture}/runs?fidelity=fixed", json=body).json()
        images.append(run["total"])
        application.client.post(f"/api/v1/runs/{run['id']}/stop")
        application.wait(f"/api/v1/runs/{run['id']}", ("stopped", "done"))
    assert images[0] == images[1] > 1
    refused = application.client.post(f"{capture}/runs", json={"ids": []})
    assert refused.status_code == 422 and refused.json()["detail"] == "Choose at least one image."


@pytest.mark.parametrize("path", ["rules.toml", "budgets.toml"])
@pytest.mark.parametrize(
    "text",
    [
        ".".join(["a"] * 25_000) + " = 1",
        "[" + ".".join(["a"] * 25_000) + "]",
        "[[" + " . ".join(['"a"'] * 25_000) + "]]",
        'x = [ """a"""", { ' + ".".join(["a"] * 25_000) + ' = 1, y = "" } ]',
    ],
)
def test_names_of_many_parts_are_refused_at_once(application: Application, path: str, text: str) -> None:
    """What reads TOML takes time that grows with the square of them; here it is never asked to."""
    site = application.client.get("/api/v1/sites").json()[0]["id"]
    answer = application.client.put(f"/api/v1/sites/{site}/{path}", json={"toml": text})
    assert answer.status_code == 422, answer.text
    assert answer.json()["detail"] == "This is no TOML of ours: a name has more than 32 parts."
