"""The browser as Debian ships it, and one open workroom for the tests that only look."""

from __future__ import annotations

import shutil

import pytest
from playwright.sync_api import expect

from tests.acceptance.workrooms import workroom
from tests.houses import own_port

# A simulation may run beside the browser, and two cores are shared by all.
expect.set_options(timeout=40_000)
FLAGS = [
    "--no-sandbox", "--use-angle=swiftshader", "--enable-unsafe-swiftshader", "--ignore-gpu-blocklist",
    "--disable-background-networking", "--disable-component-update", "--disable-sync", "--no-first-run",
    "--disable-quic",
]  # fmt: skip


@pytest.fixture(scope="session")
def browser_type_launch_args(browser_type_launch_args):
    found = shutil.which("chromium-headless-shell") or shutil.which("chromium")
    return {**browser_type_launch_args, "executable_path": found, "args": FLAGS}


@pytest.fixture(scope="session")
def browser_context_args(browser_context_args):
    # Half as many dots each way: the processor draws the stage here.
    return {**browser_context_args, "viewport": {"width": 1280, "height": 800}, "device_scale_factor": 0.5}


@pytest.fixture(scope="session")
def open_house(tmp_path_factory):
    with workroom(tmp_path_factory.mktemp("workroom"), own_port(8500)) as opened:
        yield opened
