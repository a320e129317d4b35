#!/usr/bin/env python3
"""A picture of a page in a real browser, 1280 by 800, on a day of the demo's story.

    page_shot.py PICTURE PAGE [--packet | DAY]

With `--packet` a few of its lines are decided first, as a reviewer would.
"""

import sys
from pathlib import Path
from shutil import which

from playwright.sync_api import sync_playwright

DAY = "2026-06-24T09:00:00Z"


def main():
    picture, page_file, *more = sys.argv[1:]
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=which("chromium"), args=["--no-sandbox"])
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.clock.set_fixed_time(more[0] if more and more[0] != "--packet" else DAY)
        page.goto(Path(page_file).resolve().as_uri())
        if more == ["--packet"]:
            page.get_by_label("Put together by").select_option("by_nothing")
            page.get_by_label("Find").fill("leif engen")
            page.get_by_label("Find").blur()
            lines = page.locator("article")
            lines.nth(0).get_by_label("Certify", exact=True).check()
            lines.nth(1).locator("summary").click()
            page.evaluate("scrollTo(0, 0)")
        page.screenshot(path=picture)
        browser.close()


if __name__ == "__main__":
    main()
