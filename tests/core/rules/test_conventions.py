"""The house's vocabulary: schools, hours, shop; what is refused, and by which name."""

from __future__ import annotations

import unittest
from typing import Any, get_args

from pydantic import ValidationError

from meanbead.core.model import Material, Printer
from meanbead.core.model.finding import Finding, Remedy, SetTo
from meanbead.core.model.house import HouseRules
from meanbead.core.model.purpose import PURPOSES
from meanbead.core.model.shop import Attendance, Shop
from meanbead.core.rules.conventions import convention_label, topics


class Rules(unittest.TestCase):
    def test_every_school_of_the_model_has_a_name_and_a_reason(self) -> None:
        told = {topic.key: [school.value for school in topic.schools] for topic in topics()}
        for key, field in HouseRules.model_fields.items():
            self.assertEqual(told[key], list(get_args(field.annotation)))
        for topic in topics():
            self.assertTrue(topic.question.endswith("?"))
            for school in topic.schools:
                self.assertTrue(school.label)
                self.assertTrue(school.reason.endswith("."))

    def test_a_school_that_nobody_follows_is_refused(self) -> None:
        for key in HouseRules.model_fields:
            with self.subTest(key=key), self.assertRaises(ValidationError) as caught:
                HouseRules.model_validate({key: "no such school"})
            self.assertEqual(caught.exception.errors()[0]["loc"], (key,))

    def test_the_label_names_matter_and_school(self) -> None:
        self.assertEqual(
            convention_label(HouseRules(temperature="leave"), "temperature"),
            "Temperature and nozzle size: leave it alone",
        )


class Hours(unittest.TestCase):
    def test_hours_run_forward_on_at_least_one_day(self) -> None:
        wrong: tuple[dict[str, Any], ...] = (
            {"from_h": 20, "to_h": 8},
            {"from_h": 8, "to_h": 8},
            {"to_h": 25},
            {"days": ()},
            {"days": (7,)},
            {"turnaround_min": -1},
        )
        for value in wrong:
            with self.subTest(**value), self.assertRaises(ValidationError):
                Attendance.model_validate(value)
        self.assertEqual(Attendance.model_validate({"days": [0, 4]}).days, (0, 4))

    def test_the_hour_lies_in_the_week(self) -> None:
        self.assertEqual(Shop(now_h=167.9).now_h, 167.9)
        for hour in (168, -0.1):
            with self.assertRaises(ValidationError):
                Shop(now_h=hour)


class Machines(unittest.TestCase):
    def test_clean_acceleration_is_typical_by_the_kinematics_until_it_is_told(self) -> None:
        self.assertEqual(Printer(kinematics="bed_moving").clean_acceleration, 800)
        self.assertEqual(Printer(kinematics="gantry").clean_acceleration, 2500)
        self.assertEqual(Printer(clean_acceleration_mm_s2=2345).clean_acceleration, 2345)

    def test_overhang_limits_are_angles_from_upright(self) -> None:
        for angle in (10, 90):
            with self.assertRaises(ValidationError):
                Printer(overhang_limit_deg=angle)

    def test_fans_are_shares(self) -> None:
        self.assertEqual((Material().fan_min, Material().fan_max), (0, 1))
        with self.assertRaises(ValidationError):
            Material(fan_max=100)


class Words(unittest.TestCase):
    def test_a_finding_survives_being_stored(self) -> None:
        way = Remedy(label="3 walls", settings=[SetTo(key="walls", value=3), SetTo(key="skins.top_mm", value=None)])
        finding = Finding(
            rule="sliver", severity="waste", field="walls", sentence="One.", remedy="Another.", remedies=[way]
        )
        self.assertEqual(Finding.model_validate_json(finding.model_dump_json()), finding)

    def test_settings_keep_their_kind(self) -> None:
        for value in (3, 0.25, True, "grid", None):
            again = SetTo.model_validate_json(SetTo(key="any", value=value).model_dump_json())
            self.assertEqual((again.value, type(again.value)), (value, type(value)))

    def test_finer_purposes_ask_for_more(self) -> None:
        ridges = [PURPOSES[name].ridge_mm or 0 for name in ("Show piece", "Everyday", "Workhorse", "Draft")]
        self.assertEqual(ridges, sorted(ridges))
