"""Records from text: any common shape, nothing silently wrong, every rejected line counted."""

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

from chargepath.base.errors import ChargepathError, ReadingError
from chargepath.trace.table import decode, look, read


def understood(text: str):
    layout = look(text)
    return {column.role: column.name for column in layout.columns if column.role != "ignore"}, read(text, layout)


class CommonShapes(SimpleTestCase):
    def test_are_understood(self):
        rows = [
            ("t,v,i\n0,5.1,0.5\n1,5.0,1.0\n", [0, 1], [0.5, 1.0], [5.1, 5.0]),
            (
                "Zeit;Spannung [V];Strom [mA]\n12:00:01;5,10;500\n12:00:02,5;5,00;1000\n",
                [0, 1.5],
                [0.5, 1.0],
                [5.1, 5.0],
            ),
            ("I (mA)\tt (ms)\tU (mV)\n500\t0\t5100\n1000\t500\t5000\n", [0, 0.5], [0.5, 1.0], [5.1, 5.0]),
            (
                "a meter\nserial 7\n\nElapsed,VBUS,IBUS,Power\n0,5.1,0.5,2.5\n1,5.0,1.0,5\n",
                [0, 1],
                [0.5, 1.0],
                [5.1, 5.0],
            ),
            ("2026-03-01 23:59:59,5.1,0.5\n2026-03-02 00:00:01,5.0,1.0\n", [0, 2], [0.5, 1.0], [5.1, 5.0]),
            ("23:59:59 5.1 0.5\n00:00:01 5.0 1.0\n", [0, 2], [0.5, 1.0], [5.1, 5.0]),
            ("0.5\n1.0\n", [0, 1], [0.5, 1.0], None),
            ('"time","amps"\r\n"0","0.5"\r\n"1","1.0"\r\n', [0, 1], [0.5, 1.0], None),
        ]
        for text, seconds, amps, volts in rows:
            with self.subTest(text=text):
                _, reading = understood(text)
                np.testing.assert_allclose(reading.trace.seconds, seconds)
                np.testing.assert_allclose(reading.trace.amps, amps)
                if volts is None:
                    self.assertFalse(reading.trace.has_volts)
                else:
                    np.testing.assert_allclose(reading.trace.volts, volts)

    def test_milliamps_are_milliamps_however_the_heading_spells_them(self):
        """Read as amps a record would be a thousand times too high."""
        headings = """mA|current_mA|Current (mA)|I[mA]|I_ma|milliamps|MILLIAMPERES|current/mA|amps(mA)|mAmps
            milli-ampere|I (milliamps)|mamp|Strom mA|Ibus_mA"""
        for heading in headings.replace("\n", "|").split("|"):
            with self.subTest(heading=heading):
                _, reading = understood(f"time,{heading.strip()}\n0,70\n1,80\n2,90\n")
                np.testing.assert_allclose(reading.trace.amps, [0.07, 0.08, 0.09])

    def test_one_column_with_decimal_commas_is_one_column(self):
        rows = [
            ("0,07\n0,08\n0,07\n", [0.07, 0.08, 0.07]),
            ("amps\n1,05\n1,04\n", [1.05, 1.04]),
            ("0,07 A\n0,08 A\n", [0.07, 0.08]),
            ("70 mA\n80 mA\n", [0.07, 0.08]),
            ("0,1\n1,1\n2,2\n", [1.0, 1.0, 2.0]),  # counts up on the left: seconds and amps
            ("t,amps\n0,1\n1,2\n", [1.0, 2.0]),
        ]
        for text, amps in rows:
            with self.subTest(text=text):
                np.testing.assert_allclose(understood(text)[1].trace.amps, amps)
        layout = look("0,1\n1,1\n2,2\n", decimal_comma=True)
        np.testing.assert_allclose(read("0,1\n1,1\n2,2\n", layout).trace.amps, [0.1, 1.1, 2.2])
        self.assertEqual(len(look("0,07\n0,08\n", decimal_comma=False).columns), 2)

    def test_data_lines_get_roles_of_their_own(self):
        roles, reading = understood("time,V,A,D+,D-\n0,5,1,2.7,2.6\n1,5,1,2.7,2.6\n")
        self.assertEqual(roles, {"time": "time", "volts": "V", "amps": "A", "plus": "D+", "minus": "D-"})
        np.testing.assert_allclose(reading.trace.minus, 2.6)

    def test_power_and_charge_are_never_taken_for_current(self):
        for name in ("Power (W)", "Charge (mAh)", "Energy (Wh)", "Temp (°C)"):
            layout = look(f"time,{name}\n0,1.0\n1,1.1\n")
            self.assertEqual([column.role for column in layout.columns], ["time", "ignore"])
            with self.assertRaisesMessage(ReadingError, "no column is amps"):
                read("", layout)

    def test_each_rejected_line_is_named(self):
        text = "t,v,a\n0,5,1\nx,5,1\n2,5\n3,5,abc\n4,5,99\n\n6,5,nan\n7,5,1\n"
        _, reading = understood(text)
        self.assertEqual(reading.rejected, 5)
        self.assertEqual(
            [(reject.line, reject.reason) for reject in reading.rejects],
            [
                (3, "time 'x' is not a number"),
                (4, "has 2 columns, no amps"),
                (5, "amps 'abc' is not a number"),
                (6, "amps 99 is not possible"),
                (8, "amps 'nan' is not a number"),
            ],
        )
        np.testing.assert_allclose(reading.trace.seconds, [0, 7])

    def test_roles_can_be_corrected(self):
        text = "a;b;c\n1;5,1;0,5\n2;5,0;0,6\n"
        layout = look(text)
        self.assertEqual([column.role for column in layout.columns][1:], ["ignore", "ignore"])
        reading = read(text, layout.with_roles(["time", "volts", "amps"]))
        np.testing.assert_allclose(reading.trace.amps, [0.5, 0.6])
        self.assertIn("two columns are amps", layout.with_roles(["amps", "amps", "ignore"]).problem())

    def test_what_holds_no_samples_is_refused(self):
        for text in ("", "hello\nworld\n", "\x00\x01\x02", ";;;;\n;;;;\n"):
            with self.subTest(text=text), self.assertRaises(ReadingError):
                look(decode(text.encode()))


NUMBERS = st.floats(0, 3, allow_nan=False).map(lambda value: round(value, 3))


class Fuzzed(SimpleTestCase):
    @given(
        st.lists(st.tuples(NUMBERS, NUMBERS), min_size=3, max_size=30),
        st.sampled_from([",", ";", "\t"]),
        st.booleans(),
        st.permutations(["time", "volts", "amps"]),
        st.sets(st.integers(0, 29), max_size=5),
    )
    @settings(max_examples=80)
    def test_headed_columns_in_any_order_give_their_own_values(self, samples, delimiter, comma, order, spoilt):
        """No silent wrong column: what is read under amps is what was written under amps, line by line."""
        comma = comma and delimiter != ","
        heads = {"time": "time [s]", "volts": "voltage [V]", "amps": "current [A]"}
        lines, kept = [delimiter.join(heads[role] for role in order)], []
        for index, (amps, sag) in enumerate(samples):
            row = {"time": f"{index:.1f}", "volts": f"{5 - sag / 10:.4f}", "amps": f"{amps:.3f}"}
            if index in spoilt:
                row["amps"] = "??"
            else:
                kept.append((index, amps))
            cells = [row[role].replace(".", ",") if comma else row[role] for role in order]
            lines.append(delimiter.join(cells))
        text = "\n".join(lines)
        if not kept:
            return
        layout = look(text)
        self.assertEqual([column.role for column in layout.columns], list(order))
        reading = read(text, layout)
        self.assertEqual(reading.rejected, len(samples) - len(kept))
        np.testing.assert_allclose(reading.trace.amps, [amps for _, amps in kept], atol=1e-9)
        np.testing.assert_allclose(reading.trace.seconds, np.array([at for at, _ in kept]) - kept[0][0], atol=1e-9)

    @given(st.binary(max_size=400) | st.text(alphabet='0123456789.,;:\t\n-+eE "aV#', max_size=300).map(str.encode))
    @settings(max_examples=200)
    def test_anything_is_read_or_refused_in_words_and_every_line_accounted_for(self, raw):
        text = decode(raw)
        try:
            layout = look(text)
            if layout.problem():
                return
            reading = read(text, layout)
        except ChargepathError as error:
            self.assertTrue(error.what)
            return
        self.assertTrue(np.isfinite(reading.trace.amps).all())
        self.assertGreaterEqual(len(text.splitlines()), reading.rejected)
