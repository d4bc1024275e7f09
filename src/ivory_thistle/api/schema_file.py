"""`python -m ivory_thistle.api.schema_file`: prints the OpenAPI document that the front end's types come from."""

from __future__ import annotations

import json
from contextlib import nullcontext
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any, cast

from ivory_thistle.api.access import Access
from ivory_thistle.api.app import create_app
from ivory_thistle.api.services import Services


def openapi_document() -> dict[str, Any]:
    """The interface's OpenAPI document; needs no database."""
    with TemporaryDirectory() as folder:
        return create_app(lambda: nullcontext(cast(Services, None)), Access(Path(folder), port=0)).openapi()


if __name__ == "__main__":
    print(json.dumps(openapi_document(), indent=2, ensure_ascii=False))
