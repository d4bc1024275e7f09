"""Headless Chromium from Debian, never a downloaded one."""

from __future__ import annotations

from typing import Any

import pytest


@pytest.fixture(scope="session")
def browser_type_launch_args(browser_type_launch_args: dict[str, Any]) -> dict[str, Any]:
    """Debian's browser, without its own talk to the network."""
    arguments = [
        "--no-sandbox",
        "--disable-gpu",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
    ]
    return {**browser_type_launch_args, "executable_path": "/usr/bin/chromium", "args": arguments}


@pytest.fixture(scope="session")
def browser_context_args(browser_context_args: dict[str, Any]) -> dict[str, Any]:
    """The size that every screen is designed for."""
    return {**browser_context_args, "viewport": {"width": 1280, "height": 800}}
