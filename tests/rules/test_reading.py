"""Rules are read as written; what is wrong with one is told with file, line and remedy."""

import unittest

from kathodos.errors import DataError
from kathodos.model.toml import toml_text
from kathodos.rules.reading import read_rules

GOOD = """topic = "Harbour dues"

[[conflict]]
id = "DUES-1"
title = "Sets tariffs and waives dues"
severity = "high"
threshold = 2
within = "site"
[[conflict.duty]]
name = "set tariffs"
any = ["edit dues:/tariffs/**"]
[[conflict.duty]]
name = "waive dues"
any = ["approve dues:/waivers/**", "edit dues:/invoices/*/discount"]

[[fence]]
id = "DUES-9"
title = "Contractors stay out of the ledger"
who = 'employment eq "contractor"'
never = ["* dues:/ledger/**"]

[[need]]
id = "PILOT-1"
title = "Every pilot can read the roster"
who = 'department eq "Pilotage" and kind eq "person"'
must = ["view pilots:/roster"]
"""


def read(*texts):
    return read_rules([toml_text(f"rules/{at}.toml", text) for at, text in enumerate(texts)])


class Reading(unittest.TestCase):
    def test_the_format_of_the_manual(self):
        rules = read(GOOD)
        (conflict,), (need,) = rules.conflicts, rules.needs
        self.assertEqual((conflict.id, conflict.topic, conflict.severity, conflict.threshold, conflict.within),
                         ("DUES-1", "Harbour dues", "high", 2, "site"))  # fmt: skip
        self.assertEqual(
            [[str(permission) for permission in duty.permissions] for duty in conflict.duties],
            [["edit dues:/tariffs/**"], ["approve dues:/waivers/**", "edit dues:/invoices/*/discount"]],
        )
        self.assertEqual([str(permission) for permission in need.must], ["view pilots:/roster"])

    def test_what_is_wrong_is_told_with_its_line(self):
        for old, new, expected in (
            ('severity = "high"', 'severity = "grave"', r"rules/0.toml, line 6: severity is 'grave'"),
            ("threshold = 2", "threshold = 3", "2 duties and the threshold 3"),
            ("threshold = 2", "threshold = 1", "threshold 1"),
            ('within = "site"', "within = 3", "within"),
            ('name = "set tariffs"', "", "the key 'name' is missing"),
            ('any = ["edit dues:/tariffs/**"]', "any = []", "any names no permission"),
            ('"edit dues:/tariffs/**"', '"edit tariffs"', r"line 11: 'edit tariffs' is no permission"),
            ("who = 'department eq", "who = 'department is", "the filter who cannot be read"),
            ("[[need]]", "[need]", "two brackets"),
            ("threshold = 2", "treshold = 2", "line 7: there is no key 'treshold' here"),
            ('id = "PILOT-1"', 'id = "DUES-1"', "the id DUES-1 stands in this file twice"),
            ('topic = "Harbour dues"', "", "the key 'topic' is missing"),
        ):
            with self.assertRaisesRegex(DataError, expected):
                read(GOOD.replace(old, new))

    def test_an_id_stands_in_one_file_only(self):
        with self.assertRaisesRegex(DataError, r"rules/1.toml, line 4: the id DUES-1 stands in rules/0.toml too"):
            read(GOOD, GOOD)


if __name__ == "__main__":
    unittest.main()
