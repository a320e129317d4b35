"""The page of a packet in a real browser: decided, searched, closed and opened again, saved, printed, read by all."""

import json
import re
import tomllib
import unittest
from importlib.resources import files

from tests import stores
from tests.acceptance.test_reviewing import DESK
from tests.browser import WITH_A_BROWSER, Browsing
from tests.packets import held_in
from tests.request.office import make_office
from tests.support import OFFICE_RULES, Prepared, inside, lay_out, records_inside

HOSTILE = [
    "</script><script>window.taken = 1</script>",
    '<img src="https://example.org/x" onerror="window.taken = 2">',
    "'; window.taken = 3; //{{ 7 * 7 }}${window.taken = 4}",
    "\u202egnorw\u202c \U0001f6a2 e\u0301 <!--",
]
REASONS = ["<svg onload='window.taken = 5'>", "javascript:window.taken = 6", "]]> --> </textarea>"]
PEOPLE = [
    {
        "id": f"h{at}",
        "name": name.replace("\0", ""),
        "title": "Clerk",
        "manager": "head",
        "department": name[:20].strip(),
    }
    for at, name in enumerate(HOSTILE)
]
GRANTS = [
    {"grant": f"h{at}-{nr}", "holder": f"identity:h{at}", "gives": gives, "until": "", "reason": REASONS[nr]}
    for at in range(len(HOSTILE))
    for nr, gives in enumerate(("role:dues/setter", "role:dues/waiver", "view dues:/tariffs"))
]
CATALOGUE = {
    **DESK,
    "identities": [*DESK["identities"], *PEOPLE],
    "grants": [*DESK["grants"], *GRANTS],
}


@WITH_A_BROWSER
@stores.ABOUT_ANSWERS
class Page(Browsing, Prepared, unittest.TestCase):
    @classmethod
    def prepare(cls, folder):
        at = lay_out(folder / "desk", CATALOGUE, OFFICE_RULES)
        inside("gather", cwd=at)
        words = ("--where", 'manager eq "head"', "--by-manager", "--due", "2099-06-30", "--undecided", "revoke")
        inside("review", "open", "--yes", "june", *words, "--as", "auditor", cwd=at)
        inside("review", "packets", "june", "--out", "packets", "--as", "auditor", cwd=at)
        return at

    def setUp(self):
        super().setUp()
        self.file = self.here / "packets" / "head.html"

    def opened(self, context):
        page = context.new_page()
        page.goto(self.file.as_uri())
        page.wait_for_selector("article")
        return page

    def save(self, page):
        with page.expect_download() as download:
            page.get_by_role("button", name="Save answers").click()
        file = self.here / download.value.suggested_filename
        download.value.save_as(file)
        return file

    def shows(self, page, decided):
        """Waits until a page says how many lines are decided; where it never does, the failure says what there is."""
        from playwright.sync_api import TimeoutError as Waited

        try:
            page.locator(".bar").filter(has_text=decided).wait_for()
        except Waited:
            there = page.evaluate("JSON.stringify(Object.entries(localStorage))")
            self.fail(f"not {decided!r}: {page.inner_text('.bar')!r}, with {there}")

    def line(self, page, text, nr=0):
        return page.locator("article").filter(has_text=text).nth(nr)

    def test_decided_by_mouse_kept_over_a_closed_window_saved_and_taken(self):
        with self.window() as context:
            page, other = self.opened(context), self.opened(context)
            self.assertIn("0 of 16 decided", page.inner_text(".bar"))
            self.assertIn("Lines that nobody decides in time are revoked.", page.inner_text("header"))
            ann = page.locator("section").filter(has_text="Ann Clerk (ann)")
            ann.get_by_label("Certify", exact=True).nth(0).check()
            revoked = ann.locator("article").nth(1)
            revoked.locator("summary").click()
            revoked.get_by_label("Revoke", exact=True).check()
            self.assertIn("Still missing: Why?", revoked.inner_text())
            self.assertIn("1 of 16 decided", page.inner_text(".bar"))
            page.keyboard.type("left the team")
            self.assertIn("2 of 16 decided", page.inner_text(".bar"))
            project = page.locator("section").filter(has_text="Bo Clerk (bo)").locator("article").nth(1)
            project.get_by_label("Make less").check()
            project.get_by_label("Until which day?").fill("2026-09-30")
            project.get_by_label("Why?").fill("until the project ends")
            page.close()
            self.shows(other, "3 of 16 decided")
            page = self.opened(context)
            self.assertIn("3 of 16 decided", page.inner_text(".bar"))
            self.assertIn("What you decided before is here again.", page.inner_text(".bar"))
            file = self.save(page)
        answers = {it["line"]: it for it in json.loads(file.read_text())["answers"]}
        self.assertEqual(sorted(it["decision"] for it in answers.values()), ["certify", "reduce", "revoke"])
        self.assertEqual([it["opened"] for it in answers.values() if it["decision"] == "revoke"], [True])
        words = ("review", "take", file, "--as", "auditor", "--format", "json")
        told = json.loads(inside(*words, cwd=self.here).stdout)
        self.assertEqual((told["certify"], told["revoke"], told["reduce"], told["refused"]), (1, 1, 1, []))
        kept = {it["line"]: it for it in records_inside("review", "lines", "june", cwd=self.here)}
        self.assertEqual({it: kept[it]["decision"] for it in answers}, {n: it["decision"] for n, it in answers.items()})

    def test_found_grouped_and_shown(self):
        with self.window() as context:
            page = self.opened(context)
            page.get_by_label("Find").fill("(bo) waiver")
            self.assertEqual(page.locator("article").count(), 1)
            page.get_by_label("Find").fill("no such thing")
            self.assertIn("No line fits.", page.inner_text("main"))
            page.get_by_label("Find").fill("")
            page.get_by_label("Put together by").select_option("by_role")
            titles = page.locator("section h2").all_inner_texts()
            self.assertEqual(titles, ["dues/setter", "dues/waiver", "none"])
            setters = page.locator("section").filter(has=page.get_by_role("heading", name="dues/setter"))
            setters.get_by_role("button", name="Revoke").click()
            self.assertIn("Say why first", page.inner_text(".bar"))
            setters.get_by_label("Why? (for all of these)").fill("nobody sets tariffs any more")
            setters.get_by_role("button", name="Revoke").click()
            self.assertIn("5 of 16 decided", page.inner_text(".bar"))
            page.get_by_label("Show").select_option("open")
            self.assertEqual(page.locator("article").count(), 11)
            page.get_by_label("Show").select_option("decided")
            self.assertEqual(page.locator("article").count(), 5)

    def test_decided_by_keys_alone(self):
        with self.window() as context:
            page = self.opened(context)
            page.locator("article").nth(0).focus()
            for key in ("e", "c", "n", "r"):
                page.keyboard.press(key)
            page.keyboard.type("crane")  # a letter in a text is a letter
            self.assertIn("2 of 16 decided", page.inner_text(".bar"))
            page.locator("article").nth(0).focus()
            page.keyboard.press("u")
            self.assertIn("1 of 16 decided", page.inner_text(".bar"))
            page.keyboard.press("/")
            page.keyboard.type("waiver")
            self.assertEqual(page.get_by_label("Find").input_value(), "waiver")

    def test_names_are_data_and_nothing_else(self):
        with self.window() as context:
            page = self.opened(context)
            for section in page.locator("summary").all():
                section.click()
            page.get_by_label("Find").fill("window.taken")
            self.assertGreater(page.locator("article").count(), 2)
            self.assertIsNone(page.evaluate("window.taken ?? null"))
            self.assertEqual(page.locator("img, svg, iframe, textarea").count(), 0)
            self.assertEqual(page.locator("script").count(), 4)
            self.assertIn(HOSTILE[1], page.inner_text("main"))
            self.assertNotIn("\u202e", page.content())
        with self.window(breaks="Content Security Policy") as context:
            page = self.opened(context)
            refused = page.evaluate(
                "() => { const s = document.createElement('script'); s.textContent = 'window.taken = 9';"
                " document.body.append(s); return window.taken ?? null }"
            )
            self.assertIsNone(refused, "what is written into the page later does not run either")

    def test_its_policy_allows_nothing_from_outside(self):
        policy = self.file.read_text().split('Content-Security-Policy" content="')[1].split('"')[0]
        allowed = dict(part.strip().split(" ", 1) for part in policy.split(";"))
        self.assertEqual(allowed["default-src"], "'none'")
        self.assertRegex(allowed["script-src"], r"^'sha256-[^ ]+'$")
        self.assertRegex(allowed["style-src"], r"^'sha256-[^ ]+'$")
        self.assertNotIn("http", policy)

    def test_everybody_can_read_it(self):
        for width, height in ((1280, 800), (390, 844)):
            for scheme in ("light", "dark"):
                with self.subTest(width=width, scheme=scheme), self.window(width, height, scheme) as context:
                    page = self.opened(context)
                    page.locator("summary").nth(0).click()
                    page.locator("article").nth(0).get_by_label("Certify", exact=True).check()
                    page.locator("article").nth(1).get_by_label("Pass on", exact=True).check()
                    self.assertEqual(self.accessible(page), [])
                    wide = page.evaluate("document.documentElement.scrollWidth <= innerWidth")
                    self.assertTrue(wide, "nothing has to be scrolled sideways")

    def test_printed_it_holds_every_line_with_its_evidence(self):
        with self.window() as context:
            page = self.opened(context)
            page.emulate_media(media="print")
            content = page.pdf(format="A4")
            self.assertTrue(content.startswith(b"%PDF"))
            page.evaluate("dispatchEvent(new Event('beforeprint'))")
            self.assertEqual(page.locator("article").count(), 16)
            self.assertEqual(page.locator("details[open]").count(), 16)
            self.assertFalse(page.get_by_role("button", name="Save answers").is_visible())

    def test_what_a_page_shows_is_what_was_signed(self):
        with self.window() as context:
            page = self.opened(context)
            page.locator("article").nth(0).get_by_label("Certify", exact=True).check()
            honest = json.loads(self.save(page).read_text())
            self.assertEqual(honest["digest"], honest["seal"]["digest"])
            altered = self.file.read_text().replace("role:dues/waiver", "role:dues/reader")
            self.assertNotEqual(altered, self.file.read_text())
            self.file.write_text(altered)
            page.reload()
            self.shows(page, "1 of 16 decided")
            forged = json.loads(self.save(page).read_text())
            self.assertNotEqual(forged["digest"], forged["seal"]["digest"])

    def test_what_is_decided_is_kept_at_once(self):
        with self.window() as context:
            page = self.opened(context)
            kept = page.evaluate(
                "() => { document.querySelector('article input[type=radio]').click();"
                " return JSON.stringify(localStorage) }"
            )
        self.assertIn("certify", kept)

    def test_of_two_windows_neither_undoes_what_the_other_decides(self):
        with self.window() as context:
            one, other = self.opened(context), self.opened(context)
            for nr, page in enumerate((one, other, one, other)):
                page.locator("article").nth(nr).get_by_label("Certify", exact=True).check()
            one.locator("article").nth(4).get_by_label("Certify", exact=True).check()
            one.locator("article").nth(4).get_by_role("button", name="Undo").click()
            for page in (one, other):
                self.shows(page, "4 of 16 decided")
                self.assertEqual(page.locator("article.done").count(), 4)
                page.reload()
                self.shows(page, "4 of 16 decided")

    def test_what_an_earlier_page_kept_is_there(self):
        with self.window() as context:
            page = self.opened(context)
            page.locator("article").nth(0).get_by_label("Certify", exact=True).check()
            page.evaluate(
                "() => { const all = [], whole = Object.keys(localStorage)[0].match(/^(.*) ([^ ]+)$/)[1];"
                " for (const [place, own] of Object.entries(localStorage))"
                " all.push([Number(place.slice(whole.length + 1)), JSON.parse(own)]);"
                " localStorage.clear(); localStorage[whole] = JSON.stringify(all) }"
            )
            page.reload()
            self.shows(page, "1 of 16 decided")
            page.locator("article.done").get_by_role("button", name="Undo").click()
            page.reload()
            self.shows(page, "0 of 16 decided")

    def test_going_on_elsewhere_from_a_saved_file(self):
        with self.window() as context:
            page = self.opened(context)
            page.locator("article").nth(0).get_by_label("Certify", exact=True).check()
            file = self.save(page)
        with self.window() as context:
            page = self.opened(context)
            self.assertIn("0 of 16 decided", page.inner_text(".bar"))
            page.get_by_label("Go on from an answer file").set_input_files(file)
            self.shows(page, "1 of 16 decided")
            file.write_text("{}")
            page.get_by_label("Go on from an answer file").set_input_files(file)
            page.locator(".bar").filter(has_text="no answers to this packet").wait_for()

    def test_every_text_of_a_packet_is_said_somewhere(self):
        pages = files("kathodos.output") / "pages"
        script, words = (pages / "packet.js").read_text(), tomllib.loads((pages / "packet.toml").read_text())
        made = {f"{one}_hint" for one in ("certify", "reduce", "revoke", "correct", "pass")}
        made |= {f"{one}_hint" for one in ("grant", "shorten", "deny", "ask")}
        made |= {f"undecided_{one}" for one in ("certify", "revoke")}
        said = {name for name in words if re.search(rf"\b{name}\b", script)} | made
        self.assertEqual(set(words) - said, set())
        named = set(re.findall(r"words\.(\w+)", script)) | set(re.findall(r"say\('(\w+)'", script))
        self.assertEqual(named - set(words), set())

    def test_in_another_language_where_the_texts_are_given(self):
        (self.here / "packet.toml").write_text('lang = "da"\ncertify = "Godkend"\nsave = "Gem svar"\n')
        inside("review", "packets", "june", "--out", "danish", "--as", "auditor", cwd=self.here)
        self.file = self.here / "danish" / "head.html"
        self.assertEqual(json.loads(held_in(self.file, "words"))["revoke"], "Revoke")
        with self.window() as context:
            page = self.opened(context)
            self.assertEqual(page.locator("html").get_attribute("lang"), "da")
            self.assertTrue(page.get_by_role("button", name="Gem svar").is_visible())
            self.assertTrue(page.get_by_label("Godkend", exact=True).nth(0).is_visible())
        (self.here / "packet.toml").write_text('colour = "green"\n')
        words = ("review", "packets", "june", "--out", "other", "--as", "auditor")
        self.assertIn("colour is none of the texts", inside(*words, cwd=self.here, status=3).stderr)


@WITH_A_BROWSER
@stores.ABOUT_ANSWERS
class PageOfRequests(Browsing, Prepared, unittest.TestCase):
    @classmethod
    def prepare(cls, folder):
        at = make_office(folder)
        for who, reason in (("ann", HOSTILE[0]), ("bo", HOSTILE[1]), ("cy", "short & sweet")):
            inside("request", "ask", "one", "--reason", reason, "--yes", "--as", who, cwd=at)
        inside("request", "packets", "--out", "packets", "--as", "x", cwd=at)
        return at

    def test_decided_by_mouse_and_keys_saved_and_taken(self):
        with self.window() as context:
            page = context.new_page()
            page.goto((self.here / "packets" / "olga.html").as_uri())
            page.wait_for_selector("article")
            self.assertIn("0 of 3 decided", page.inner_text(".bar"))
            self.assertEqual(self.accessible(page), [])
            ann, bo, cy = (page.locator("section").filter(has_text=it) for it in ("(ann)", "(bo)", "(cy)"))
            ann.locator("summary").click()
            self.assertIn(HOSTILE[0], ann.inner_text())
            ann.get_by_label("Grant for less long").check()
            ann.get_by_label("Until which day?").fill("2026-06-30")
            bo.locator("article").focus()
            page.keyboard.press("d")
            self.assertIn("Still missing: Why?", bo.inner_text())
            page.keyboard.type("not bo")
            cy.get_by_label("Ask back").check()
            cy.get_by_label("What do you ask?").fill("For what?")
            self.assertIn("3 of 3 decided", page.inner_text(".bar"))
            self.assertEqual(page.evaluate("window.taken"), None)
            with page.expect_download() as download:
                page.get_by_role("button", name="Save answers").click()
            file = self.folder / "answers.json"
            download.value.save_as(file)
        told = inside("request", "take", file, "--as", "x", cwd=self.here).stdout
        self.assertIn("Took 1 granted for less long, 1 denied, 1 asked back; 0 answers refused.", told)
        states = {it["whom"]: it["state"] for it in records_inside("request", "list", cwd=self.here)}
        self.assertEqual(states, {"ann": "granted", "bo": "denied", "cy": "open"})
