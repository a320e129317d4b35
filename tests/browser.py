"""A real browser without a window, in which pages are driven as people do it."""

import contextlib
import shutil
import unittest

BROWSER = next(filter(None, map(shutil.which, ("chromium", "chromium-browser", "google-chrome"))), None)
WITH_A_BROWSER = unittest.skipIf(BROWSER is None, "needs Chromium")
WCAG = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]


class Browsing:
    """A browser for each class, and for each test a window of its own that keeps what pages keep."""

    @classmethod
    def setUpClass(cls):
        from playwright.sync_api import sync_playwright

        super().setUpClass()
        playwright = cls.enterClassContext(sync_playwright())
        cls.chromium = playwright.chromium.launch(executable_path=BROWSER, args=["--no-sandbox"])
        cls.addClassCleanup(cls.chromium.close)

    @contextlib.contextmanager
    def window(self, width=1280, height=800, scheme="light", breaks=None):
        """A window. What a page asks the network for fails the test, and what goes wrong in it, `breaks` apart."""
        context = self.chromium.new_context(
            viewport={"width": width, "height": height}, color_scheme=scheme, accept_downloads=True
        )
        context.set_default_timeout(60_000)  # milliseconds: other tests may keep all processors busy
        asked, wrong = [], []
        context.on("request", lambda it: asked.append(it.url))
        context.on("weberror", lambda it: wrong.append(str(it.error)))
        context.on("console", lambda it: wrong.append(it.text) if it.type == "error" else None)
        yield context
        context.close()
        self.assertEqual([it for it in asked if not it.startswith(("file:", "blob:"))], [])
        self.assertEqual([it for it in wrong if breaks is None or breaks not in it], [])

    def accessible(self, page):
        """What axe-core finds against WCAG 2.2 AA, as texts."""
        from axe_playwright_python.sync_playwright import Axe

        found = Axe().run(page, options={"runOnly": WCAG}).response["violations"]
        return [f"{it['id']}: {node['html'][:120]}" for it in found for node in it["nodes"]]
