"""Which cause comes first: held against the Beta distribution's own mean, and against workshops whose truth is known."""

from __future__ import annotations

import unittest

import numpy as np
from scipy import integrate, stats

from meanbead.core.faults import CureCount, Evidence, counted, knowledge, ordered, proof
from meanbead.core.faults.evidence import Standing
from meanbead.core.faults.knowledge import JournalKind
from meanbead.core.faults.order import PRIOR_TRIES, chance
from meanbead.core.log import Difference
from meanbead.core.model.run import RunEntry

NONE = CureCount()


class Order(unittest.TestCase):
    def test_the_chance_is_the_mean_of_the_posterior(self) -> None:
        for prior, tried, cured in ((0.3, 0, 0), (0.3, 1, 1), (0.05, 9, 2), (0.9, 30, 3)):
            before = stats.beta(prior * PRIOR_TRIES, (1 - prior) * PRIOR_TRIES)

            def weight(p: float, prior: stats.rv_frozen = before, k: int = cured, n: int = tried) -> float:
                return float(prior.pdf(p) * stats.binom.pmf(k, n, p))

            whole = integrate.quad(weight, 0, 1, limit=200)[0]
            mean = integrate.quad(lambda p, w=weight: p * w(p), 0, 1, limit=200)[0] / whole
            self.assertAlmostEqual(chance(prior, CureCount(tried, cured)), mean, places=5)

    def test_without_tries_or_evidence_practitioners_order_stands(self) -> None:
        known = knowledge()
        for fault in known.faults.values():
            found = ordered(fault, known, {}, {})
            self.assertEqual([one.prior for one in found], sorted(fault.causes.values(), reverse=True))

    def test_evidence_and_tries_move_it_and_never_below_what_they_say(self) -> None:
        known = knowledge()
        fault = known.faults["strings"]
        keys = list(fault.causes)

        def place(cause: str, standing: Standing = "unknown", count: CureCount = NONE) -> int:
            found = ordered(fault, known, {cause: Evidence(standing=standing)}, {("strings", cause): count})
            return [one.cause.key for one in found].index(cause)

        for cause in keys:
            self.assertLessEqual(place(cause, "beyond"), place(cause))
            self.assertGreaterEqual(place(cause, "within"), place(cause))
            self.assertLessEqual(place(cause, count=CureCount(6, 6)), place(cause))
            self.assertGreaterEqual(place(cause, count=CureCount(6, 0)), place(cause))

    def test_what_a_chain_has_tried_in_vain_gives_way_to_what_it_has_not(self) -> None:
        known = knowledge()
        for fault in known.faults.values():
            fresh = ordered(fault, known, {}, {})
            for one in fresh:
                found = ordered(fault, known, {}, {}, {one.cause.key: 7})
                moved = next(other for other in found if other.cause.key == one.cause.key)
                self.assertEqual((moved.in_vain, moved.chance), (7, one.chance))
                # By hand: it keeps a fifth, and stands behind all that weigh more than that.
                ahead = sum(other.prior > one.prior / 5 + 1e-9 for other in fresh if other is not one)
                self.assertGreaterEqual(found.index(moved), ahead, fault.key)

    def test_a_workshop_learns_its_own_truth_whatever_was_judged(self) -> None:
        """In simulated workshops one cause, hidden and different in each, cures nine tries in ten, the others one in twenty.
        Whoever always tries the first finds it in the end: after ninety tries it stands first in 19 of 20 workshops."""
        known, right = knowledge(), 0
        fault = known.faults["gaps"]
        for seed in range(60):
            rng = np.random.default_rng(seed)
            truth = list(fault.causes)[seed % len(fault.causes)]
            counts: dict[tuple[str, str], CureCount] = {}
            for _ in range(90):
                first = ordered(fault, known, {}, counts)[0].cause.key
                cured = rng.random() < (0.9 if first == truth else 0.05)
                last = counts.get(("gaps", first), CureCount())
                counts["gaps", first] = CureCount(last.tried + 1, last.cured + cured)
            right += ordered(fault, known, {}, counts)[0].cause.key == truth
        self.assertGreaterEqual(right, 57)


def changed(key: str, before: str, after: str, what: str = "setting") -> Difference:
    return Difference.model_validate({"what": what, "key": key, "label": key, "before": before, "after": after})


class Proofs(unittest.TestCase):
    def told(
        self,
        differences: list[Difference],
        journal: tuple[JournalKind, ...] = (),
        tries: str = "",
        after: tuple[str, ...] = (),
        state: str = "kept",
        before: tuple[str, ...] = ("strings",),
    ):
        first = RunEntry(state="scrapped", faults=before)
        second = RunEntry.model_validate({"state": state, "faults": after})
        return proof(knowledge(), first, second, differences, journal, tries)

    def test_one_thing_counts_for_or_against_its_cause(self) -> None:
        cooler = [changed("nozzle_temp_c", "220 °C", "210 °C")]
        gone = self.told(cooler, tries="too_hot")
        self.assertEqual((gone.cause, gone.counts, gone.cured, gone.tells), ("too_hot", True, ["strings"], "cure"))
        stayed = self.told(cooler, after=("strings",))  # nobody said what was tried: it can be told
        self.assertEqual(
            (stayed.cause, stayed.counts, stayed.stayed, stayed.tells), ("too_hot", True, ["strings"], "no_cure")
        )
        hotter = self.told([changed("nozzle_temp_c", "210 °C", "220 °C")])
        self.assertEqual(hotter.cause, "")  # the other way is no try of it
        dried = self.told([], ("spool_dried",))
        self.assertEqual((dried.cause, dried.counts), ("wet_plastic", True))
        counts = counted([gone, stayed, dried, hotter])
        self.assertEqual(counts["strings", "too_hot"], CureCount(2, 1))
        self.assertEqual(counts["strings", "wet_plastic"], CureCount(1, 1))

    def test_what_follows_and_what_the_snapshots_show_too_is_one_thing(self) -> None:
        cooler = [
            changed("nozzle_temp_c", "220 °C", "210 °C"),
            changed("first_layer_nozzle_temp_c", "220 °C", "210 °C", "follows"),
        ]
        self.assertEqual(len(self.told(cooler).things), 1)
        swapped = self.told([changed("nozzle", "0.4", "0.4 new", "nozzle")], ("nozzle_swapped",))
        self.assertEqual(len(swapped.things), 1)
        brim = [changed("adhesion.kind", "skirt", "brim"), changed("adhesion.width_mm", "5 mm", "6 mm")]
        together = self.told(brim, tries="no_brim", before=("lifted_corners",))
        self.assertEqual((len(together.things), together.counts, together.cause), (1, True, "no_brim"))

    def test_several_things_prove_nothing_and_say_so(self) -> None:
        both = self.told([changed("nozzle_temp_c", "220 °C", "210 °C"), changed("walls", "2", "3")], tries="too_hot")
        self.assertEqual((both.counts, both.cause, both.tells), (False, "", "nothing"))
        self.assertIn("proves nothing", both.says)
        mixed = self.told([changed("nozzle_temp_c", "220 °C", "210 °C")], ("tightened",), "too_hot")
        self.assertFalse(mixed.counts)
        self.assertFalse(self.told([]).counts)
        self.assertFalse(counted([both, mixed]))

    def test_a_run_that_did_not_come_to_its_end_is_not_counted_as_cured(self) -> None:
        cooler = [changed("nozzle_temp_c", "220 °C", "210 °C")]
        for state in ("running", "stopped"):
            open_run = self.told(cooler, tries="too_hot", state=state)
            self.assertEqual((open_run.counts, open_run.cured), (False, []))
        seen = self.told(cooler, tries="too_hot", state="stopped", after=("strings",))
        self.assertTrue(seen.counts)


if __name__ == "__main__":
    unittest.main()
