"""Rules that can never match, overlap or repeat each other are found; good ones and the library are not blamed."""

import unittest
from importlib.resources import files

from kathodos.model.toml import TomlText, toml_text
from kathodos.rules.checking import FAULT, NOTE, check_rules
from kathodos.rules.reading import read_rules
from tests.support import OFFICE, OFFICE_RULES, basis_of, rules_of


def library():
    """The files of the library as they would lie in a workspace."""
    found = (it for it in (files("kathodos") / "rules" / "library").iterdir() if it.name.endswith(".toml"))
    return [toml_text(f"rules/{it.name}", it.read_text()) for it in sorted(found, key=lambda it: it.name)]


class Checks(unittest.TestCase):
    def faults(self, text):
        return [it.what + " " + it.remedy for it in check_rules(basis_of(OFFICE), rules_of(text)) if it.kind == FAULT]

    def test_what_can_never_match(self):
        for old, new, expected in (
            ("edit dues:/tariffs/**", "edti dues:/tariffs/**", "dues has no action edti (duty 'set') Nearest: edit"),
            (
                "edit dues:/tariffs/**",
                "edit dues:/tarifs/2026",
                "no resource answers to dues:/tarifs/2026",
            ),
            ("edit dues:/tariffs/**", "edit due:/tariffs", "there is no system due (duty 'set') Nearest: dues"),
            ('within = "site"', 'within = "sight"', "no resource has the attribute 'sight'"),
            ('title eq "Clerk"', 'titel eq "Clerk"', "no identity has the attribute 'titel' of who Nearest: title"),
            ('title eq "Clerk"', 'title eq "Clark"', "who selects nobody"),
        ):
            found = self.faults(OFFICE_RULES.replace(old, new))
            self.assertTrue(any(expected in text for text in found), (expected, found))
        self.assertEqual(self.faults(OFFICE_RULES), [])

    def test_duties_that_one_permission_gives_and_rules_that_are_the_same(self):
        wide = OFFICE_RULES.replace("approve dues:/waivers/**", "view dues:/tariffs/**")
        self.assertIn("the duties 'set' and 'waive' overlap: edit dues:/tariffs/** gives view", self.faults(wide)[0])
        part = OFFICE_RULES.replace("approve dues:/waivers/**", "view dues:/tariffs/2026")
        self.assertEqual(self.faults(part), [], "who edits all need not be one who views one")
        (_, conflict), rest = OFFICE_RULES.split("[[conflict]]"), ""
        again = OFFICE_RULES + "[[conflict]]" + conflict.split("[[need]]")[0].replace("D-1", "D-2") + rest
        self.assertEqual(self.faults(again), ["it keeps the same duties apart as D-1 Take one of the two away."])

    def test_the_library_waits_for_its_duties_and_is_whole(self):
        rules = read_rules(library())
        self.assertGreaterEqual(len(rules.conflicts), 40)
        self.assertGreaterEqual(len(rules.topics()), 6)
        for rule in rules.conflicts:
            self.assertTrue(rule.description and rule.remedy and rule.reference, rule.id)
        remarks = check_rules(basis_of(OFFICE), rules)
        self.assertEqual({it.kind for it in remarks}, {NOTE})
        duties = {duty.name for rule in rules.conflicts for duty in rule.duties}
        self.assertEqual(duties, set(rules.duties), "every duty is named by a rule, and every rule's duty is there")

    def test_one_file_of_duties_brings_the_rules_to_life(self):
        held = [it for it in library() if not it.name.endswith("/duties.toml")]
        (generic,) = (it for it in library() if it.name.endswith("/duties.toml"))
        stated = {
            **generic.content["duties"],
            "set prices": ["edit dues:/tariffs/**"],
            "waive charges": {"all": ["approve dues:/waivers/**"]},
        }
        rules = read_rules([*held, TomlText(generic.name, {"duties": stated}, "")])
        from kathodos.findings.conflicts.states import find_conflicts

        basis = basis_of(OFFICE)
        found = find_conflicts(basis, rules.conflicts)
        self.assertEqual([it.name(basis.index) for it in found], ["AR-1/ann"])


if __name__ == "__main__":
    unittest.main()
