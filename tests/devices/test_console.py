import socketserver
import threading
import unittest
from collections.abc import Callable
from typing import Any

from meanbead.core.errors import MeanBeadError
from meanbead.core.gcode import printer_from_report
from meanbead.devices.console import fetch_report
from meanbead.simulators.console import CHATTER, Console, ConsoleServer, on_terminal


class Served(unittest.TestCase):
    def serve(self, server: socketserver.TCPServer) -> str:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        host, port = server.server_address[:2]
        return f"{host!s}:{port}"

    def odd(self, answer: Callable[[socketserver.BaseRequestHandler], None]) -> str:
        class Handler(socketserver.BaseRequestHandler):
            def handle(self) -> None:
                answer(self)

        return self.serve(socketserver.ThreadingTCPServer(("127.0.0.1", 0), Handler))


class StandIn(Served):
    def test_over_the_network_and_on_a_terminal_it_tells_the_same_limits(self) -> None:
        for address in (self.serve(ConsoleServer()), on_terminal()):
            printer = printer_from_report(fetch_report(address, settle_s=0.3)).printer
            self.assertEqual(
                printer.acceleration_mm_s2.model_dump(),
                {"print": 1250, "travel": 1900, "retract": 1800, "wipe": "print"},
            )
            self.assertEqual((printer.max_speed_mm_s.x, printer.max_speed_mm_s.z), (280, 12))
            self.assertEqual(printer.corner.jerk.x, 9)

    def test_it_chatters_in_between_and_answers_what_it_does_not_know(self) -> None:
        heard: list[bytes] = []
        console = Console(heard.append, pace_s=0, seed=3)
        console.feed(b"M5")
        console.feed(b"03\nG28\n")
        text = b"".join(heard)
        self.assertTrue(any(chat.encode("latin-1") in text for chat in CHATTER))
        self.assertIn(b'Unknown command: "G28"', text)
        self.assertEqual(text.count(b"ok\n"), 2)


class Asking(Served):
    def fails(self, address: str, words: str, **keys: Any) -> None:
        with self.assertRaises(MeanBeadError) as caught:
            fetch_report(address, **keys)
        self.assertEqual(caught.exception.field, "address")
        self.assertIn(words, str(caught.exception))

    def test_addresses_that_are_none(self) -> None:
        for address in ("", "nowhere", "host:", "host:70000", ":80"):
            self.fails(address, "address")
        for address in ("/etc/passwd", "/dev/sda", "/dev/../etc/hosts"):
            self.fails(address, "serial device")
        self.fails("/dev/ttyUSB77", "cannot be opened")
        self.fails("127.0.0.1:1", "Nothing answers")

    def test_a_silent_line_ends_in_time(self) -> None:
        address = self.odd(lambda handler: handler.request.recv(10) and threading.Event().wait(3))  # type: ignore[arg-type]
        self.fails(address, "did not finish", timeout_s=0.6, settle_s=0.1)

    def test_a_line_that_never_rests_is_cut_off(self) -> None:
        def babble(handler: socketserver.BaseRequestHandler) -> None:
            try:
                while True:
                    handler.request.sendall(b"T:20 /0\n" * 200)
            except OSError:
                return

        self.fails(self.odd(babble), "did not finish", timeout_s=0.5, settle_s=0.2)

    def test_a_line_that_hangs_up(self) -> None:
        self.fails(self.odd(lambda handler: handler.request.sendall(b"start\n")), "", timeout_s=1, settle_s=0.1)
