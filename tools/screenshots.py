"""Takes the pictures of the README from fresh demo data, at 1280 x 800."""

import os
import signal
import subprocess
import sys
import tempfile
from pathlib import Path

import httpx
from playwright.sync_api import Page, sync_playwright

from standins.made_worlds import Habits, make_world

ROOT = Path(__file__).resolve().parent.parent
OUT = ROOT / "docs/screenshots"
PORT, WORLD_PORT = 8140, 8141
BASE = f"http://127.0.0.1:{PORT}"
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking"]


def link(page: Page, path: str, selector: str) -> str:
    """Where the first link of a kind on a page leads."""
    page.goto(BASE + path)
    return page.locator(selector).first.get_attribute("href") or "/"


def take(page: Page, name: str, path: str) -> None:
    """One picture."""
    page.goto(BASE + path)
    page.wait_for_timeout(600)
    page.screenshot(path=OUT / f"{name}.png")
    print(name)


def take_all(page: Page) -> None:
    """Sign in and walk through the main views."""
    page.goto(f"{BASE}/sign-in")
    page.get_by_text("Imogen Hartwell").click()
    views = {
        "today": "/",
        "catalogue": "/catalogue",
        "family": "/products/SA",
        "listings": "/listings",
        "coverage": "/listings/coverage",
        "gaps": "/listings/gaps",
        "prices": "/prices",
        "orders": "/orders",
        "board": "/orders/board",
        "order": link(page, "/orders?invoiced=all&shipped=all", "td.sku a"),
        "listing": link(page, "/listings?state=refused&channel=hagglet&q=HP", "td.sku a"),
        "stock": "/stock/PT-24-INK",
        "walk": link(page, "/dispatch?stage=picking", "a[href*='/pick-lists/']"),
        "channel": "/setup/channels/hagglet",
        "plan": "/setup/warehouses/millrace/plan",
    }
    for name, path in views.items():
        take(page, name, path)
    bench(page)
    bring_a_file(page)
    page.goto(f"{BASE}/listings?channel=hagglet&state=live")
    page.locator("[data-why*='/why/quantity/']").nth(3).click()
    page.locator("#why .ladder").wait_for()
    page.wait_for_timeout(400)
    page.screenshot(path=OUT / "why.png")
    move_in(page)


def bench(page: Page) -> None:
    """The pack bench with a shipment on it."""
    page.goto(f"{BASE}/dispatch?stage=to+pack")
    links = page.locator("td a[href*='/dispatch/shipments/']").all()
    numbers = [int(one.get_attribute("href").rpartition("/")[2]) for one in links]
    page.goto(f"{BASE}/dispatch/bench?shipment={max(numbers)}")
    page.wait_for_timeout(600)
    page.screenshot(path=OUT / "bench.png")


def move_in(page: Page) -> None:
    """The proposal of a seller who lists on two channels already. It is the last picture, because
    what the demo lists there is replaced.
    """
    made = make_world(3, Habits(listings=160, channels=("hagglet", "loomstead"), no_gtin=0.3))
    for channel, listings in made.listings.items():
        there = f"http://127.0.0.1:{WORLD_PORT}/world/{channel}/listings"
        httpx.put(there, json={"listings": listings}, timeout=30).raise_for_status()
    page.goto(f"{BASE}/setup/move-in")
    for key in ("corvello", "ownshop"):
        page.locator(f"input[name=channel][value={key}]").uncheck()
    page.get_by_role("button", name="Read and propose").click()
    page.get_by_text("would become").wait_for(timeout=120_000)
    page.wait_for_timeout(600)
    page.screenshot(path=OUT / "move-in.png")


def bring_a_file(page: Page) -> None:
    """The demo's messy file: its mapping and its rehearsal."""
    page.goto(f"{BASE}/imports")
    with page.expect_download() as taken:
        page.get_by_role("link", name="supplier list, messy.csv").click()
    with tempfile.TemporaryDirectory() as folder:
        file = f"{folder}/supplier list, messy.csv"
        taken.value.save_as(file)
        page.locator("#f-file").set_input_files(file)
        page.get_by_role("button", name="Read the file").click()
        page.locator(".mapping").wait_for()
    page.get_by_role("button", name="Rehearse").click()
    page.locator(".job-say .big").wait_for()
    page.wait_for_timeout(600)
    page.screenshot(path=OUT / "rehearsal.png")


def main() -> None:
    """Start a demo of its own, take the pictures, stop it."""
    OUT.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        command = [
            sys.executable,
            "-m",
            "relvan",
            "demo",
            "--port",
            str(PORT),
            "--world-port",
            str(WORLD_PORT),
            "--data",
            f"{folder}/data",
        ]
        demo = subprocess.Popen(
            command, stdout=subprocess.PIPE, text=True, env={**os.environ, "PYTHONUNBUFFERED": "1"}
        )
        try:
            assert demo.stdout is not None
            for line in demo.stdout:
                if "Ctrl+C" in line:
                    break
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(
                    executable_path="/usr/bin/chromium", args=FLAGS
                )
                take_all(browser.new_page(viewport={"width": 1280, "height": 800}))
                browser.close()
        finally:
            demo.send_signal(signal.SIGTERM)
            demo.wait(timeout=30)


if __name__ == "__main__":
    main()
