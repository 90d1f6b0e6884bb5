"""Tables that people kept themselves, cell by cell: how times, days, figures and outcomes are written, and what is refused."""

from __future__ import annotations

import unittest
from datetime import UTC, datetime, timedelta, timezone
from typing import Any

from meanbead.core.errors import MeanBeadError
from meanbead.core.log.csv_table import (
    FIELDS,
    MOST_BYTES,
    MOST_ROWS,
    Matched,
    RunField,
    RunLine,
    guessed,
    lines_of,
    read_table,
)

FAULTS = {"stringing": "Stringing", "lifted": "Lifted corners"}


def line(**cells: str) -> RunLine:
    """One run of a table whose columns hold these fields; its part is named unless that is said."""
    given: dict[Any, str] = {"part": "Hook"} | cells
    text = ";".join(FIELDS[field][0] for field in given) + "\n" + ";".join(f'"{cell}"' for cell in given.values())
    return lines_of(read_table(text.encode()), Matched(columns=tuple(given)), FAULTS)[0]


def seconds(text: str, unit: str = "minutes") -> float | None:
    table = read_table(f'part,time\nHook,"{text}"\n'.encode())
    columns: tuple[RunField, ...] = ("part", "real_time")
    found = lines_of(table, Matched.model_validate({"columns": columns, "time_unit": unit}), FAULTS)[0]
    assert (found.real_s is None) == bool(found.problems or not text), found
    return found.real_s


class Files(unittest.TestCase):
    def refused(self, data: bytes, words: str) -> None:
        with self.assertRaises(MeanBeadError) as problem:
            read_table(data)
        self.assertIn(words, str(problem.exception))
        self.assertEqual(problem.exception.field, "file")

    def test_the_delimiter_is_the_one_of_the_headings(self) -> None:
        for mark in ",;\t":
            table = read_table(f"part{mark} time \nHook{mark}12\n".encode())
            self.assertEqual((table.headings, table.rows), (["part", "time"], [["Hook", "12"]]))

    def test_commas_in_headings_and_figures_do_not_split_a_table_of_semicolons(self) -> None:
        table = read_table(b'Part;Weight, g\n"Hook";12,5\n')
        self.assertEqual((table.headings, table.rows), (["Part", "Weight, g"], [["Hook", "12,5"]]))
        self.assertEqual(read_table(b'Part,"Weight; g"\nHook,3\n').headings, ["Part", "Weight; g"])
        self.assertEqual(read_table(b"Part\nHook, large\n").rows, [["Hook, large"]])

    def test_umlauts_come_in_whatever_the_table_was_saved_as(self) -> None:
        for coding in ("utf-8", "utf-8-sig", "latin-1"):
            self.assertEqual(read_table("part\nBügel\n".encode(coding)).rows, [["Bügel"]], coding)

    def test_empty_lines_are_none_and_short_rows_are_filled_up(self) -> None:
        table = read_table(b"part,time,note\n\nHook\n , ,\nPin,5,x,too much\n")
        self.assertEqual(table.rows, [["Hook", "", ""], ["Pin", "5", "x"]])

    def test_headings_alone_and_nothing_are_no_table(self) -> None:
        for data in (b"", b"part,time\n", b"\n\n", b"part,time\n,\n"):
            self.refused(data, "no rows")

    def test_as_many_rows_and_bytes_as_are_promised_and_not_one_more(self) -> None:
        head = b"part\n"
        self.assertEqual(len(read_table(head + b"x\n" * MOST_ROWS).rows), MOST_ROWS)
        self.refused(head + b"x\n" * (MOST_ROWS + 1), "20,000 rows")
        read_table(head + b"x" * 1000 + b"\n")
        self.refused(head + b"\n" * (MOST_BYTES - len(head) + 1), "8 MB")

    def test_what_is_no_text_says_so(self) -> None:
        self.refused(b"PK\x03\x04\0\0", "no CSV file")


class Times(unittest.TestCase):
    def test_hours_and_minutes_with_colons(self) -> None:
        for text, meant in (("1:25", 5100), ("0:05", 300), ("1:23:45", 5025), ("26:00", 93_600)):
            self.assertEqual(seconds(text), meant, text)

    def test_units_written_out_or_in_short(self) -> None:
        for text, meant in (
            ("1 h 23 min", 4980),
            ("1h23m", 4980),
            ("2 hours", 7200),
            ("45 min", 2700),
            ("90 s", 90),
            ("1 d 2 h", 93_600),
            ("1 day 30 minutes 5 seconds", 88_205),
        ):
            self.assertEqual(seconds(text), meant, text)

    def test_a_bare_number_is_in_the_unit_that_was_said(self) -> None:
        for unit, factor in (("minutes", 60), ("hours", 3600), ("seconds", 1)):
            self.assertEqual(seconds("12", unit), 12 * factor)
            self.assertEqual(seconds("1,5", unit), 1.5 * factor)

    def test_nothing_is_not_known_and_no_time_is_a_problem(self) -> None:
        self.assertIsNone(seconds(""))
        for text in ("0", "0:00", "soon", "-5", "1:234", "60000:00", "h"):
            self.assertIsNone(seconds(text), text)


class Days(unittest.TestCase):
    def moment(self, text: str, day_first: bool = True, hours: int = 0) -> datetime | None:
        columns: tuple[RunField, ...] = ("part", "started")
        table = read_table(f'part,started\nHook,"{text}"\n'.encode())
        zone = timezone(timedelta(hours=hours))
        return lines_of(table, Matched(columns=columns, day_first=day_first), FAULTS, zone)[0].started_at

    def test_day_or_month_first_as_was_said_and_years_of_two_digits(self) -> None:
        for text in ("3.11.2026", "3/11/26", "03-11-2026"):
            self.assertEqual(self.moment(text), datetime(2026, 11, 3, tzinfo=UTC), text)
            self.assertEqual(self.moment(text, day_first=False), datetime(2026, 3, 11, tzinfo=UTC), text)

    def test_times_of_day_are_those_of_the_workshop_unless_they_say_their_own(self) -> None:
        self.assertEqual(self.moment("3.11.2026 18:30", hours=2), datetime(2026, 11, 3, 16, 30, tzinfo=UTC))
        self.assertEqual(self.moment("2026-11-03T18:30", hours=2), datetime(2026, 11, 3, 16, 30, tzinfo=UTC))
        self.assertEqual(self.moment("2026-11-03T18:30+00:00", hours=2), datetime(2026, 11, 3, 18, 30, tzinfo=UTC))

    def test_days_that_there_are_not(self) -> None:
        for text in ("31.2.2026", "3.13.2026", "yesterday", "1989-12-31", "2201-01-01"):
            self.assertIsNone(self.moment(text), text)
        self.assertIsNotNone(self.moment("1990-01-01"))


class Cells(unittest.TestCase):
    def test_figures_with_units_and_either_mark_of_decimals(self) -> None:
        found = line(weight_g="12,5 g", layer_height_mm="0.2mm", nozzle_temp_c="215 °C", bed_temp_c="0")
        self.assertEqual((found.weight_g, found.layer_height_mm, found.nozzle_temp_c), (12.5, 0.2, 215))
        self.assertEqual((found.bed_temp_c, found.problems), (0, []))

    def test_nothing_weighs_nothing_and_no_nozzle_is_at_nothing(self) -> None:
        for field in ("weight_g", "predicted_g", "layer_height_mm", "line_width_mm", "nozzle_temp_c"):
            for text in ("0", "-3", "many", "1-2"):
                found = line(**{field: text})
                self.assertIsNone(getattr(found, field), (field, text))
                self.assertEqual(len(found.problems), 1, (field, text))

    def test_outcomes_in_the_words_of_people(self) -> None:
        for outcome, words in (
            ("kept", ("kept", "OK", "x", "1", "finished", "")),
            ("scrapped", ("bad", "No", "0", "waste")),
            ("stopped", ("aborted", "Cancelled", "interrupted")),
        ):
            for word in words:
                found = line(outcome=word)
                self.assertEqual((found.outcome, found.problems), (outcome, []), word)
        self.assertIn("neither kept", line(outcome="hmm").problems[0])

    def test_looks_from_one_to_five(self) -> None:
        self.assertEqual([line(looks=text).looks for text in ("1", "3.4", "5", "")], [1, 3, 5, None])
        for text in ("6", "0.4", "5.6"):
            found = line(looks=text)
            self.assertEqual((found.looks, len(found.problems)), (None, 1), text)

    def test_faults_by_name_or_key_once_each_and_others_are_kept_as_words(self) -> None:
        found = line(faults="Stringing, lifted / stringing; ghosts", note="grey")
        self.assertEqual((found.faults, found.note), (["stringing", "lifted"], "grey; faults: ghosts"))
        self.assertEqual(line(faults="ghosts").note, "faults: ghosts")

    def test_a_run_of_no_part_and_more_than_any_spool_are_told(self) -> None:
        self.assertEqual(line(part="", note="grey").problems, ["It names no part."])
        self.assertEqual(line(weight_g="50000").problems, [])
        self.assertIn("more than any spool", line(weight_g="50001").problems[0])

    def test_long_cells_are_cut_and_rows_are_counted_from_the_files_first_line(self) -> None:
        found = line(part="p" * 300, note="n" * 3000)
        self.assertEqual((len(found.part), len(found.note), found.row), (120, 2000, 2))


class Columns(unittest.TestCase):
    def test_every_field_is_guessed_by_its_own_name_and_each_word_that_it_is_known_by(self) -> None:
        self.assertEqual(guessed([name for name, _ in FIELDS.values()]).columns, tuple(FIELDS))
        for field, (_, names) in FIELDS.items():
            for name in names:
                self.assertEqual(guessed([f"{name.title()}"]).columns, (field,), name)

    def test_two_columns_of_one_field_and_too_few_are_refused_by_name(self) -> None:
        table = read_table(b"a,b\n1,2\n")
        twice: tuple[RunField, ...] = ("part", "part")
        with self.assertRaisesRegex(MeanBeadError, "matched to Part"):
            lines_of(table, Matched(columns=twice), FAULTS)
        with self.assertRaisesRegex(MeanBeadError, "2 columns, 1 are matched"):
            lines_of(table, Matched(columns=twice[:1]), FAULTS)
        self.assertEqual(lines_of(table, Matched(columns=("part", None)), FAULTS)[0].part, "1")


if __name__ == "__main__":
    unittest.main()
