"""Cells of tables: nothing that a spreadsheet would run, and back as it was."""

from django.test import SimpleTestCase

from chargepath.base.cells import read_cell, rows_of, written_cell
from chargepath.base.errors import ReadingError


class Cells(SimpleTestCase):
    def test_what_a_spreadsheet_would_run_is_written_as_a_text_and_read_back(self):
        # OWASP, "CSV Injection": the characters that begin a formula.
        for text in ('=HYPERLINK("http://a")', "+1", "-2+3", "@SUM(1)", "\tx", "\rx"):
            with self.subTest(text=text):
                self.assertEqual((written_cell(text)[0], read_cell(written_cell(text))), ("'", text))
        for text in ("Tarn 4", "", "'quoted'", "3-4", "a=b"):
            with self.subTest(text=text):
                self.assertEqual((written_cell(text), read_cell(text)), (text, text))

    def test_a_cell_that_never_ends_is_said_with_its_line(self):
        with self.assertRaisesMessage(ReadingError, "a cell never ends"):
            list(rows_of('a,b\n"' + "x" * 200_000, ","))
        self.assertEqual(list(rows_of('a;"b;c"\n1;2', ";")), [["a", "b;c"], ["1", "2"]])
