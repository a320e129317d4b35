"""Lines that add the others up are no records; anything else that looks a little like them is one."""

import unittest
from pathlib import Path

from kathodos.formats.csv import read_csv
from kathodos.formats.raw import Format
from kathodos.formats.totals import without_totals
from tests.support import Scratch


class Totals(Scratch, unittest.TestCase):
    def read(self, text):
        file = Path(self.folder) / "t.csv"
        file.write_text(text, encoding="utf-8")
        raw = without_totals(file.name, read_csv(file, Format()))
        return raw.columns[0].listed(), [(it.line, it.value) for it in raw.problems]

    def test_lines_with_totals_are_told_and_left_out(self):
        for word in ("Total", "SUMME:", "Gesamt", "Total général", "Suma total =", "Totale", "Razem"):
            rows, told = self.read(
                f"id,hours,pay\na,1,2\n{word},,17\nb,3,4\n{word},4,1.234,\n".replace("234,\n", "234\n")
            )
            self.assertEqual(rows, ["a", "b"], word)
            self.assertEqual([line for line, _ in told], [3, 5], word)
            self.assertEqual(told[0][1], f"{word}; 17")

    def test_what_is_no_total_stays(self):
        rows, told = self.read(
            "id,name,n\nTotal,Tina Total,\nSum,,.\nSumme,,viele\nTotally,,1\nSum,1,2\nb,,1\n,Total,none\n"
        )
        self.assertEqual((rows, told), (["Total", "Sum", "Summe", "Totally", "Sum", "b", None], []))


if __name__ == "__main__":
    unittest.main()
