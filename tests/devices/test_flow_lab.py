"""The simulated hot end and scale, and what reads them."""

import socketserver
import threading
import unittest
from unittest import mock

from meanbead.core.errors import MeanBeadError
from meanbead.core.learn.flow import plan_flow_test
from meanbead.core.model import Material, Nozzle, Printer
from meanbead.devices import flow_run
from meanbead.devices.scale import Weight, read_line, read_weight
from meanbead.simulators.hotend import HotendServer, SimulatedHotend
from meanbead.simulators.scale import ScaleServer
from tests.devices.test_console import Served


class Scale(Served):
    def test_lines_of_several_makes_are_read_and_damaged_ones_are_not(self) -> None:
        for line, wanted in (
            ("ST,+   1.02 g", Weight(1.02, 0.01, True)),
            ("US,-  12.345 g", Weight(-12.345, 0.001, False)),
            ("S S    120 mg", Weight(0.12, 0.001, True)),
            ("  3.1 g", Weight(3.1, 0.1, True)),
            ("ST,GS,+0.50 kg", Weight(500, 10, True)),
        ):
            self.assertEqual(read_line(line), wanted, line)
        for line in ("", "ST,+ 1.0", "1.2.3 g", "ST,+ 1.02 g?", "hello", "ST,+   1.\x00"):
            self.assertIsNone(read_line(line), line)

    def test_it_waits_until_the_scale_rests(self) -> None:
        address = self.serve(ScaleServer(lambda: 1.2345, step_g=0.001, interval_s=0.002))
        self.assertEqual(read_weight(address), Weight(1.234, 0.001, True))

    def test_one_that_never_rests_or_is_not_there_says_so(self) -> None:
        class Restless(socketserver.BaseRequestHandler):
            def handle(self) -> None:
                for at in range(40):
                    self.request.sendall(f"ST,+ {at}.00 g\r\n".encode())

        address = self.serve(socketserver.ThreadingTCPServer(("127.0.0.1", 0), Restless))
        with self.assertRaises(MeanBeadError) as caught:
            read_weight(address, 0.4)
        self.assertIn("rest", str(caught.exception))
        for nowhere in ("127.0.0.1:1", "scale"):
            with self.assertRaises(MeanBeadError) as caught:
                read_weight(nowhere, 0.4)
            self.assertEqual(caught.exception.field, "scale_address")


class Hotend(Served):
    def setUp(self) -> None:
        patched = mock.patch.object(flow_run, "SETTLE_S", 0.05)
        patched.start()
        self.addCleanup(patched.stop)
        self.hotend = SimulatedHotend(hurry=2000)
        self.address = self.serve(HotendServer(self.hotend))
        (self.step, *_) = plan_flow_test(Printer(), Nozzle(), Material(), [215]).steps

    def test_a_strand_is_fed_as_planned_and_not_below_its_temperature(self) -> None:
        with self.assertRaises(MeanBeadError):
            flow_run.run_step(self.address, self.step)
        self.assertEqual(self.hotend.fed_mm, 0)
        self.hotend.heat(215, wait=True)
        ran = flow_run.run_step(self.address, self.step)
        self.assertEqual(ran.strand, "straight")
        self.assertAlmostEqual(self.hotend.fed_mm, self.step.settle_mm + self.step.length_mm, places=3)
        # Only the measured length hangs there: what settled was cut off.
        self.assertAlmostEqual(self.hotend.collected_g, self.step.expected_g * self.hotend.hidden.drive, delta=0.02)
        flow_run.stop(self.address)
        self.assertEqual(self.hotend.target_c, 0)

    def test_two_at_once_are_told_to_wait(self) -> None:
        self.hotend.heat(215, wait=True)
        self.hotend.hurry = 40
        first = threading.Thread(target=flow_run.run_step, args=(self.address, self.step))
        first.start()
        with self.assertRaises(MeanBeadError) as caught:
            while first.is_alive():
                flow_run.read_temp_c(self.address)
        self.assertIn("another strand", str(caught.exception))
        flow_run.stop(self.address)  # switching off waits for the strand instead
        self.assertEqual(self.hotend.target_c, 0)
        first.join()


if __name__ == "__main__":
    unittest.main()
