"""What runs come to: held against plain sums, a numerical posterior, and limits that anybody can work out."""

from __future__ import annotations

import unittest
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError
from scipy import stats

from meanbead.core.errors import MeanBeadError
from meanbead.core.log import Printed, differences, fault_rate, real_time, saved, used
from meanbead.core.log.csv_table import Matched, guessed, lines_of, read_table
from meanbead.core.log.failures import PRIOR_FAILURES
from meanbead.core.log.used import share_done
from meanbead.core.model import Estimate
from meanbead.core.model.run import RunEntry, Snapshot

START = datetime(2026, 5, 1, 9, 0, tzinfo=UTC)


def predicted(print_s: float = 3600, whole_s: float = 4000, grams: float = 20, layers: int = 100) -> Estimate:
    told: dict[str, Any] = {"print_time_s": print_s, "whole_time_s": whole_s, "filament_g": grams, "layers": layers}
    return Estimate.model_construct(**told)


def entry(**said: Any) -> RunEntry:
    return RunEntry.model_validate({"state": "kept", **said})


class Times(unittest.TestCase):
    def test_what_a_panel_counts_is_converted_by_what_is_predicted_around_the_printing(self) -> None:
        for said, expected in (
            ({"time_s": 3700}, 3700),
            ({"time_s": 3700, "time_means": "with_heating"}, 3300),
            ({"ended_at": START + timedelta(seconds=5000)}, 4600),
            ({"time_s": 300, "time_means": "with_heating"}, None),  # less than the heating alone
            ({"ended_at": START}, None),
            ({"state": "stopped", "time_s": 900}, None),
            ({}, None),
        ):
            found = real_time(entry(**said), predicted(), START)
            self.assertEqual(None if found is None else found.print_s, expected, said)
        self.assertIsNone(real_time(entry(time_s=3700, time_means="with_heating"), None, START))

    def test_what_was_used_is_weighed_else_predicted_up_to_where_it_came(self) -> None:
        self.assertEqual(used(entry(weight_g=12), predicted(), 3, None).grams, 36)
        self.assertEqual(
            (used(entry(), predicted(), 2, None).grams, used(entry(), predicted(), 2, None).by), (40, "predicted")
        )
        half = entry(state="stopped", stopped_layer=50)
        self.assertEqual(used(half, predicted(), 1, None).grams, 10)
        self.assertEqual(share_done(entry(state="stopped", stopped_min=15), predicted()), 0.25)
        self.assertEqual(share_done(entry(state="stopped", stopped_layer=900), predicted()), 1.0)
        self.assertAlmostEqual(used(entry(), predicted(), 2, None).hours, 2 * 4000 / 3600)
        self.assertEqual(used(entry(), None, 1, None).grams, 0)

    def test_an_entry_that_contradicts_itself_is_refused(self) -> None:
        for said in ({"stopped_layer": 3}, {"faults": ["strings", "strings"]}, {"looks": 0}, {"time_s": 0}):
            with self.assertRaises(ValidationError):
                entry(**said)


class Saving(unittest.TestCase):
    @given(
        st.lists(
            st.tuples(st.floats(60, 1e5), st.floats(0.1, 2000), st.integers(1, 9), st.integers(1, 9)),
            min_size=1,
            max_size=12,
        )
    )
    def test_it_is_the_plain_sum_over_pieces(self, runs: list[tuple[float, float, int, int]]) -> None:
        told = saved([Printed(*run) for run in runs])
        first_s, first_g = runs[0][0] / runs[0][2], runs[0][1] / runs[0][2]
        seconds = grams = 0.0
        for print_s, filament_g, copies, plates in runs[1:]:
            for _ in range(copies * plates):
                seconds += first_s - print_s / copies
                grams += first_g - filament_g / copies
        self.assertAlmostEqual(told.hours, seconds / 3600, places=5)
        self.assertAlmostEqual(told.grams, grams, places=5)

    def test_one_recipe_saves_nothing(self) -> None:
        self.assertEqual(saved([Printed(100, 5, 1, 1)] * 7).hours, 0)
        self.assertEqual(saved([]).pieces, 0)


class Rates(unittest.TestCase):
    def test_the_rate_is_the_posterior_of_a_poisson_process(self) -> None:
        """Against a posterior that is summed on a grid, without the closed form."""
        for house, failed, hours in ((0.01, 0, 0.0), (0.01, 3, 150.0), (0.05, 0, 400.0), (0.002, 12, 90.0)):
            told = fault_rate(house, failed, 40, hours, "Heron")
            rate = np.linspace(1e-7, 1.0, 400_001)
            weight = stats.gamma.pdf(rate, PRIOR_FAILURES, scale=house / PRIOR_FAILURES)
            weight = weight * rate**failed * np.exp(-rate * hours)
            weight /= weight.sum()
            self.assertAlmostEqual(told.per_hour, float((rate * weight).sum()), places=4)
            below = np.interp([told.low, told.high], rate, np.cumsum(weight))
            np.testing.assert_allclose(below, [0.05, 0.95], atol=2e-3)

    def test_nine_in_ten_intervals_hold_the_truth_where_the_house_is_about_right(self) -> None:
        rng, held = np.random.default_rng(3), 0
        for _ in range(1500):
            truth = rng.gamma(PRIOR_FAILURES, 0.01 / PRIOR_FAILURES)  # machines as the house's figure thinks of them
            hours = rng.uniform(10, 800)
            told = fault_rate(0.01, int(rng.poisson(truth * hours)), 1000, hours, "x")
            held += told.low <= truth <= told.high
        self.assertAlmostEqual(held / 1500, 0.9, delta=0.025)

    def test_more_hours_narrow_it_and_counts_that_cannot_be_are_refused(self) -> None:
        widths = [(one := fault_rate(0.01, k, 500, 100.0 * k, "x")).high - one.low for k in (1, 4, 16)]
        self.assertEqual(widths, sorted(widths, reverse=True))
        for bad in ((0.01, -1, 3, 1.0), (0.01, 4, 3, 1.0), (0.01, 0, 0, -1.0)):
            with self.assertRaises(ValueError):
                fault_rate(*bad, "x")


class Otherwise(unittest.TestCase):
    def test_chosen_things_are_told_from_what_follows(self) -> None:
        old = Snapshot.model_validate(
            {"choices": {"layer_height_mm": 0.2}, "settings": {"layer_height_mm": 0.2, "top_layers": 4, "infill": {"density": 0.15}},
             "nozzle": {"id": 1, "name": "a"}, "spool": {"id": 1, "name": "s"}}
        )  # fmt: skip
        new = Snapshot.model_validate(
            {"choices": {"layer_height_mm": 0.3}, "settings": {"layer_height_mm": 0.3, "top_layers": 3, "infill": {"density": 0.15}},
             "nozzle": {"id": 2, "name": "b"}, "spool": {"id": 1, "name": "s"}}
        )  # fmt: skip
        found = {one.key: one for one in differences(old, entry(), new, entry(nozzle_temp_c=215))}
        self.assertEqual(
            {key: one.what for key, one in found.items()},
            {"nozzle": "nozzle", "layer_height_mm": "setting", "top_layers": "follows"},
        )
        self.assertEqual((found["layer_height_mm"].before, found["layer_height_mm"].after), ("0.2 mm", "0.3 mm"))
        self.assertEqual(differences(old, entry(), old, entry()), [])
        hot = differences(old, entry(nozzle_temp_c=210), old, entry(nozzle_temp_c=220))
        self.assertEqual([one.what for one in hot], ["temperature"])

    def told(self, before: dict[str, Any], after: dict[str, Any]) -> list[tuple[str, str, str, str]]:
        found = differences(Snapshot.model_validate(before), entry(), Snapshot.model_validate(after), entry())
        return [(one.what, one.key, one.before, one.after) for one in found]

    def test_a_spool_is_told_where_both_are_known_and_are_others(self) -> None:
        one, other = ({"spool": {"id": number, "name": name}} for number, name in ((1, "red"), (2, "blue")))
        self.assertEqual(self.told(one, other), [("spool", "spool", "red", "blue")])
        for before, after in ((one, {}), ({}, one), (one, one), ({}, {})):
            self.assertEqual(self.told(before, after), [])

    def test_one_machine_described_otherwise_is_its_limits_and_another_machine_is_itself(self) -> None:
        slow, quick = ({"acceleration_mm_s2": {"print": value}} for value in (800, 1500))
        same = [{"machine": {"id": 1, "name": "Heron", "described": one}} for one in (slow, quick)]
        (told,) = self.told(*same)
        self.assertEqual((told[0], told[2:]), ("limits", ("800", "1500")))
        other = {"machine": {"id": 2, "name": "Kestrel", "described": quick}}
        self.assertEqual(self.told(same[0], other), [("machine", "machine", "Heron", "Kestrel")])

    def test_a_nozzle_or_plastic_that_was_described_otherwise_is_another(self) -> None:
        for what in ("nozzle", "material"):
            before, after = ({what: {"id": 1, "name": name, "described": {"x": name}}} for name in ("a", "b"))
            kind = "plastic" if what == "material" else what
            self.assertEqual(self.told(before, after), [(kind, kind, "a", "b")])

    def test_a_part_that_stands_otherwise_is_told_where_both_are_known(self) -> None:
        self.assertEqual([one[0] for one in self.told({"part_digest": "a"}, {"part_digest": "b"})], ["pose"])
        self.assertEqual(self.told({"part_digest": "a"}, {"part_digest": ""}), [])


class Tables(unittest.TestCase):
    def lines(self, text: str, **how: Any):
        table = read_table(text.encode())
        matched = guessed(table.headings).model_copy(update=how)
        return lines_of(table, matched, {"strings": "Strings"})

    def test_times_and_days_are_read_as_people_write_them(self) -> None:
        told = {
            "90": 5400,
            "1:30": 5400,
            "1:30:30": 5430,
            "1 h 30 min": 5400,
            "1h30m": 5400,
            "90 min": 5400,
            "2d": 172_800,
            "45s": 45,
        }
        for text, seconds in told.items():
            self.assertEqual(self.lines(f"part;time\nx;{text}")[0].real_s, seconds, text)
        self.assertEqual(self.lines("part;time\nx;1,5", time_unit="hours")[0].real_s, 5400)
        for text, day in (("2026-03-04", (3, 4)), ("4.3.2026", (3, 4)), ("4/3/26 10:30", (3, 4))):
            at = self.lines(f"part;date\nx;{text}")[0].started_at
            assert at is not None
            self.assertEqual((at.month, at.day), day)
        other = self.lines("part;date\nx;3/4/2026", day_first=False)[0].started_at
        assert other is not None
        self.assertEqual((other.month, other.day), (3, 4))

    def test_what_cannot_be_read_says_so_and_spoils_no_other_row(self) -> None:
        found = self.lines("part;time;looks;result;date\nx;soon;9;maybe;31.2.2026\ny;10;4;ok;1.2.2026\n;5;;;")
        self.assertEqual([len(line.problems) for line in found], [4, 0, 1])
        self.assertEqual(found[1].looks, 4)

    @given(st.binary(max_size=400))
    def test_any_bytes_give_rows_or_a_sentence(self, data: bytes) -> None:
        try:
            table = read_table(data)
            lines_of(table, guessed(table.headings), {})
        except MeanBeadError as problem:
            self.assertTrue(str(problem))

    def test_a_bed_may_be_cold_and_a_nozzle_may_not(self) -> None:
        table = read_table(b"part,bed temp,nozzle temp\nCup,0,210\nCup,0 C,0\nCup,-5,210")
        cold, nozzle, below = lines_of(table, guessed(table.headings), {})
        self.assertEqual((cold.bed_temp_c, cold.problems), (0.0, []))
        self.assertIn("Nozzle", nozzle.problems[0])
        self.assertIn("Bed", below.problems[0])

    def test_what_no_entry_takes_is_a_problem_of_its_row(self) -> None:
        table = read_table(b"part,weight,looks,took\nCup,50000,5,1:00\nCup,50001,5,1:00\nCup,5,6,1:00\nCup,5,5,2000:00")
        lines = lines_of(table, guessed(table.headings), {})
        self.assertEqual([len(line.problems) for line in lines], [0, 1, 1, 1])
        for line in lines:
            if not line.problems:
                RunEntry(state=line.outcome, time_s=line.real_s, weight_g=line.weight_g, looks=line.looks)

    def test_each_field_is_guessed_once_and_columns_must_match(self) -> None:
        found = guessed(
            ["Part name", "Model", "Real time", "Time", "Bed temp", "Nozzle temp", "Layer height (mm)", "zzz"]
        )
        self.assertEqual(found.columns[:3:2], ("part", "real_time"))
        self.assertEqual(found.columns[4:], ("bed_temp_c", "nozzle_temp_c", "layer_height_mm", None))
        named = [one for one in found.columns if one]
        self.assertEqual(len(named), len(set(named)))
        table = read_table(b"a,b\n1,2")
        for columns in (("part",), ("part", "part")):
            with self.assertRaises(MeanBeadError):
                lines_of(table, Matched.model_validate({"columns": columns}), {})


if __name__ == "__main__":
    unittest.main()
