"""`python -m ivory_thistle.api.link --data FOLDER`: prints an address that lets one browser in, once."""

from __future__ import annotations

import argparse
import re
import sys
from pathlib import Path

import httpx

from ivory_thistle.api.access import LINKS


def main() -> int:
    """Asks the application that has the data folder; 2 where none runs, with one line that says so."""
    parser = argparse.ArgumentParser(prog="thistle link", description=__doc__)
    parser.add_argument("--data", type=Path, required=True)
    data: Path = parser.parse_args().data
    try:
        secret = (data / "secret").read_text().strip()
        who = re.search(r"http://127\.0\.0\.1:\d+", (data / "application.lock").read_text())
        if who is None:
            raise FileNotFoundError
        answer = httpx.post(who.group() + LINKS, headers={"authorization": f"Bearer {secret}"}, timeout=10)
        print(answer.raise_for_status().json()["address"])
    except PermissionError:
        print(f"{data} belongs to another user.", file=sys.stderr)
        return 2
    except (OSError, httpx.HTTPError):
        print(f"No application runs on {data}; start it with ./thistle start.", file=sys.stderr)
        return 2
    return 0


if __name__ == "__main__":
    sys.exit(main())
