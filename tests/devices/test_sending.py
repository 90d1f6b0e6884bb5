"""Ways to machines against their stand-ins, which fail as real ones do."""

import shutil
import tempfile
import threading
import unittest
from pathlib import Path
from unittest import mock

from meanbead.core.errors import MeanBeadError
from meanbead.devices import folder as folders
from meanbead.devices.machine_console import ConsoleWay, Link, bare_lines, checked_line
from meanbead.devices.reachable import own_addresses
from meanbead.devices.ways import Unreachable, WayDescription, way_to
from meanbead.simulators.machine import Faults, MachineServer, SimulatedMachine
from meanbead.simulators.web_store import WebStore

CONTENT = b"; a comment\n" + b"".join(
    b"G1 X%d Y%d E0.1 F1200 ; there\n" % (k % 90 + 20, k % 70 + 20) for k in range(300)
)
BARE = b"".join(line + b"\n" for line in bare_lines([CONTENT]))


def nothing(_: int) -> None:
    pass


class Addresses(unittest.TestCase):
    def test_only_ones_own_network_unless_it_was_allowed(self) -> None:
        self.assertEqual(own_addresses("192.168.7.9", allowed=False), ["192.168.7.9"])
        self.assertEqual(own_addresses("fd00::17", allowed=False), ["fd00::17"])
        # In many spellings, as somebody clever would write them.
        for host in ("127.0.0.1", "localhost", "::1", "2130706433", "0x7f.1", "::ffff:127.0.0.1", "8.8.8.8"):
            with self.subTest(host), self.assertRaises(MeanBeadError) as refused:
                own_addresses(host, allowed=False)
            self.assertEqual(refused.exception.field, "address")
            self.assertTrue(own_addresses(host, allowed=True))

    def test_where_no_device_can_be_is_refused_even_if_it_was_allowed(self) -> None:
        for host in ("169.254.169.254", "::ffff:169.254.169.254", "0.0.0.0", "224.0.0.1", "fe80::1", "2852039166"):
            with self.subTest(host), self.assertRaises(MeanBeadError):
                own_addresses(host, allowed=True)

    def test_a_name_is_held_to_every_address_that_it_stands_for(self) -> None:
        told = [(2, 1, 6, "", ("192.168.1.5", 0)), (2, 1, 6, "", ("169.254.169.254", 0))]
        with mock.patch("socket.getaddrinfo", return_value=told), self.assertRaises(MeanBeadError):
            own_addresses("printer.example", allowed=True)

    def test_a_name_that_nobody_has(self) -> None:
        with self.assertRaises(MeanBeadError):
            own_addresses("no.such.machine.invalid", allowed=True)


class Folder(unittest.TestCase):
    def setUp(self) -> None:
        self.path = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.way = way_to(WayDescription(kind="folder", folder=str(self.path)))

    def test_a_file_is_there_whole(self) -> None:
        self.assertIn("MB are free", self.way.test())
        told: list[int] = []
        self.way.send("A.GCO", iter([CONTENT[:100], CONTENT[100:]]), len(CONTENT), told.append)
        self.assertEqual((self.path / "A.GCO").read_bytes(), CONTENT)
        self.assertEqual(told, [100, len(CONTENT)])
        self.assertEqual(sorted(file.name for file in self.path.iterdir()), ["A.GCO"])

    def test_nothing_stays_of_one_that_broke_off(self) -> None:
        (self.path / "A.GCO").write_bytes(b"older")

        def breaking():
            yield CONTENT[:50]
            raise RuntimeError

        with self.assertRaises(RuntimeError):
            self.way.send("A.GCO", breaking(), len(CONTENT), nothing)
        self.assertEqual([(file.name, file.read_bytes()) for file in self.path.iterdir()], [("A.GCO", b"older")])

    def test_a_full_card_is_told_before_anything_is_written(self) -> None:
        with (
            mock.patch.object(shutil, "disk_usage", return_value=mock.Mock(free=1000)),
            self.assertRaises(MeanBeadError) as full,
        ):
            self.way.send("A.GCO", iter([CONTENT]), len(CONTENT), nothing)
        self.assertEqual(full.exception.code, "full")
        self.assertEqual(list(self.path.iterdir()), [])

    def test_places_that_are_none(self) -> None:
        for text in ("", "prints", str(self.path / "gone")):
            with self.subTest(text), self.assertRaises(MeanBeadError) as refused:
                folders.check_folder(text)
            self.assertEqual(refused.exception.field, "folder")
        (self.path / "own").mkdir()
        (self.path / "link").symlink_to(self.path / "own")
        with self.assertRaises(MeanBeadError):
            folders.check_folder(str(self.path / "link"), self.path / "own")
        with self.assertRaises(MeanBeadError):
            self.way.send("../out.gcode", iter([CONTENT]), len(CONTENT), nothing)


class Web(unittest.TestCase):
    def setUp(self) -> None:
        self.store = WebStore("a-token")
        self.store.run()
        self.addCleanup(self.store.server_close)
        self.addCleanup(self.store.shutdown)

    def way(self, token: str = "a-token", **keys: object):
        told = {"kind": "web", "url": self.store.url, "allowed": True, "certificate": self.store.certificate} | keys
        return way_to(WayDescription.model_validate(told), token)

    def test_put_and_webdav(self) -> None:
        self.way().test()
        self.way().send("a.gcode", iter([CONTENT]), len(CONTENT), nothing)
        self.assertIn("WebDAV", self.way(webdav=True).test())
        self.way(webdav=True).send("b.gcode", iter([CONTENT]), len(CONTENT), nothing)
        self.assertEqual(self.store.files, {"a.gcode": CONTENT, "b.gcode": CONTENT})
        self.assertIn("PUT /files/b.gcode.part", self.store.asked)

    def test_a_wrong_token_is_said_and_nothing_stays(self) -> None:
        for webdav in (False, True):
            with self.assertRaises(MeanBeadError) as refused:
                self.way("another", webdav=webdav).send("a.gcode", iter([CONTENT]), len(CONTENT), nothing)
            self.assertEqual(refused.exception.field, "token")
            self.assertNotIn("another", str(refused.exception))
        self.assertEqual(self.store.files, {})

    def test_what_breaks_off_is_taken_back(self) -> None:
        self.store.faults.breaks_after_bytes = 1000
        for webdav in (False, True):
            with self.assertRaises(Unreachable):
                self.way(webdav=webdav).send("a.gcode", iter([CONTENT[:2000], CONTENT[2000:]]), len(CONTENT), nothing)
        self.assertEqual(self.store.files, {})

    def test_a_full_store_and_one_that_sends_us_elsewhere(self) -> None:
        self.store.faults.room_bytes = 10
        with self.assertRaises(MeanBeadError) as full:
            self.way().send("a.gcode", iter([CONTENT]), len(CONTENT), nothing)
        self.assertEqual(full.exception.code, "full")
        self.store.faults.redirect = "http://169.254.169.254/latest/"
        with self.assertRaises(MeanBeadError) as elsewhere:
            self.way().test()
        self.assertIn("elsewhere", str(elsewhere.exception))
        self.assertFalse([line for line in self.store.asked if "latest" in line])

    def test_a_certificate_that_nobody_knows(self) -> None:
        with self.assertRaises(MeanBeadError) as refused:
            self.way(certificate="").test()
        self.assertEqual(refused.exception.field, "certificate")

    def test_a_token_never_goes_over_plain_http(self) -> None:
        with self.assertRaises(MeanBeadError):
            way_to(WayDescription(kind="web", url="http://192.168.1.9/files/"), "a-token")
        for url in ("ftp://x/", "https://user:word@x/", "https://x/?a=1", "nonsense"):
            with self.subTest(url), self.assertRaises(MeanBeadError):
                way_to(WayDescription(kind="web", url=url))

    def test_an_address_that_was_not_allowed(self) -> None:
        with self.assertRaises(MeanBeadError):
            self.way(allowed=False).test()
        self.assertEqual(self.store.asked, [])


class OverConsole(unittest.TestCase):
    def setUp(self) -> None:
        self.machine = SimulatedMachine()
        self.server = MachineServer(self.machine)
        threading.Thread(target=self.server.serve_forever, daemon=True).start()
        self.addCleanup(self.server.server_close)
        self.addCleanup(self.server.shutdown)
        self.described = WayDescription(kind="console", address=self.server.address, allowed=True)
        for name, value in (("ANSWER_S", 0.5), ("SETTLE_S", 0.02)):
            self.enterContext(mock.patch(f"meanbead.devices.machine_console.{name}", value))

    def send(self) -> None:
        way_to(self.described).send("PART0420.GCO", iter([CONTENT[:777], CONTENT[777:]]), len(CONTENT), nothing)

    def test_lines_with_checksums(self) -> None:
        self.assertEqual(checked_line(3, b"T0"), b"N3 T0*57\n")
        self.assertEqual(list(bare_lines([b"G1 X1 ; a\n\n; b\nG1", b" Y2"])), [b"G1 X1", b"G1 Y2"])

    def test_a_file_lies_on_the_card(self) -> None:
        self.assertIn("no file", way_to(self.described).test().replace("0 files lie", "no file lies"))
        self.send()
        self.assertEqual(self.machine.card, {"PART0420.GCO": BARE})
        self.assertIn("1 file lies", way_to(self.described).test())

    def test_damaged_lines_are_sent_again(self) -> None:
        self.machine.faults.garbled = 0.15
        self.send()
        self.assertEqual(self.machine.card["PART0420.GCO"], BARE)

    def test_a_full_card_leaves_nothing_behind(self) -> None:
        self.machine.faults.card_bytes = 2000
        with self.assertRaises(MeanBeadError) as full:
            self.send()
        self.assertEqual(full.exception.code, "full")
        self.assertEqual(self.machine.card, {})

    def test_a_line_that_dies_is_said_and_the_next_try_is_whole(self) -> None:
        self.machine.faults.dies_after_lines = 40
        with self.assertRaises(Unreachable):
            self.send()
        self.machine.faults = Faults()
        self.send()
        self.assertEqual(self.machine.card["PART0420.GCO"], BARE)

    def test_who_refuses_is_unreachable(self) -> None:
        self.machine.faults.refusing = True
        with self.assertRaises(Unreachable):
            way_to(self.described).test()

    def test_a_print_from_its_start_to_its_end(self) -> None:
        self.send()
        link = Link(self.described)
        self.addCleanup(link.close)
        self.assertEqual([file.name for file in link.files()], ["PART0420.GCO"])
        with self.assertRaises(MeanBeadError):
            link.start("OTHER.GCO")
        link.start("PART0420.GCO")
        self.assertTrue(link.status().printing)
        self.machine.pass_s(70)
        seen = link.status()
        assert seen.byte is not None
        assert seen.clock_s is not None
        self.assertTrue(0 < seen.byte < len(BARE))
        self.assertAlmostEqual(seen.clock_s, 70, delta=2)
        link.pause()
        self.machine.pass_s(500)
        self.assertAlmostEqual(link.status().clock_s or 0, seen.clock_s, delta=2)
        link.resume()
        self.machine.pass_s(5000)
        over = link.status()
        self.assertEqual((over.printing, over.done, over.restarted), (False, True, False))
        self.assertGreater(over.clock_s or 0, 70)
        self.assertEqual(self.machine.starts, 1)

    def test_no_file_is_sent_to_a_machine_that_prints(self) -> None:
        self.send()
        link = Link(self.described)
        self.addCleanup(link.close)
        link.start("PART0420.GCO")
        with self.assertRaises(MeanBeadError):
            ConsoleWay(self.described, link).send("B.GCO", iter([CONTENT]), len(CONTENT), nothing)

    def test_a_restart_in_the_middle_is_heard(self) -> None:
        self.send()
        link = Link(self.described)
        self.addCleanup(link.close)
        link.start("PART0420.GCO")
        self.machine.restart()
        seen = link.status()
        self.assertEqual((seen.printing, seen.done, seen.restarted, seen.clock_s), (False, False, True, 0.0))

    def test_on_a_new_line_the_emergency_stop_is_the_first_word(self) -> None:
        with mock.patch("meanbead.devices.machine_console.SETTLE_S", 30.0):
            opened = threading.Thread(target=lambda: Link(self.described, stop=True).close(), daemon=True)
            opened.start()
            for _ in range(50):
                if self.machine.stopped:
                    break
                threading.Event().wait(0.02)
        self.assertTrue(self.machine.stopped)
        self.assertTrue(opened.is_alive())  # it still listens for a greeting

    def test_the_emergency_stop_waits_for_nothing(self) -> None:
        self.send()
        link = Link(self.described)
        self.addCleanup(link.close)
        link.start("PART0420.GCO")
        with link._lock:  # somebody asks something else just now
            link.stop_at_once()
        for _ in range(100):
            if self.machine.stopped:
                break
            threading.Event().wait(0.02)
        self.assertTrue(self.machine.stopped)
        self.assertFalse(self.machine.printing)


if __name__ == "__main__":
    unittest.main()
