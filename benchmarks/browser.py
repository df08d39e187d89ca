"""The real browser that measures as people use the app."""

import os

from playwright.sync_api import Browser, Playwright

_FLAGS = ("--disable-gpu", "--disable-dev-shm-usage", "--no-first-run")


def launch(playwright: Playwright) -> Browser:
    """Start the system's Chromium; as root it cannot have its sandbox."""
    flags = [*_FLAGS, *(["--no-sandbox"] if os.geteuid() == 0 else [])]
    return playwright.chromium.launch(executable_path="/usr/bin/chromium", args=flags)
