"""Certificates against OpenSSL, and what may be done with them."""

import stat
import subprocess
import tempfile
import unittest
from datetime import UTC, datetime, timedelta
from pathlib import Path

from meanbead.network import addresses
from meanbead.network.certificates import (
    RENEW_BEFORE,
    SERVER_LASTS,
    CertificateError,
    fingerprint_of,
    given_certificate,
    own_certificate,
)
from meanbead.network.secrets import cookie_key, write_private

NAMES, ADDRESSES = ["loft", "loft.local"], ["192.168.7.20", "fd00::7"]


class Case(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def openssl(self, *words: str) -> str:
        done = subprocess.run(["openssl", *words], capture_output=True, text=True, check=False)
        return done.stdout + done.stderr


class Own(Case):
    def test_openssl_accepts_it_for_its_names_and_addresses_and_no_others(self) -> None:
        made = own_certificate(self.folder, NAMES, ADDRESSES)
        trusted = ["verify", "-CAfile", str(made.authority)]
        for kind, name in (("hostname", "loft.local"), ("ip", "192.168.7.20"), ("ip", "fd00::7")):
            self.assertIn(": OK", self.openssl(*trusted, f"-verify_{kind}", name, str(made.certificate)))
        for kind, name in (("hostname", "elsewhere.test"), ("ip", "192.168.7.21")):
            self.assertNotIn(": OK", self.openssl(*trusted, f"-verify_{kind}", name, str(made.certificate)))
        told = self.openssl("x509", "-in", str(made.authority), "-noout", "-fingerprint", "-sha256")
        self.assertIn(made.fingerprint, told)
        self.assertEqual(made.fingerprint, fingerprint_of(made.authority or Path()))

    def test_the_authority_cannot_speak_for_other_sites(self) -> None:
        made = own_certificate(self.folder, NAMES, ADDRESSES)
        # Somebody who has its key signs a certificate for a bank.
        (self.folder / "bank.cnf").write_text("subjectAltName=DNS:bank.test\n")
        subject = ["-newkey", "rsa:2048", "-nodes", "-keyout", str(self.folder / "bank.key"), "-subj", "/CN=bank.test"]
        self.openssl("req", "-new", *subject, "-out", str(self.folder / "bank.csr"))
        signed = [
            "-CA",
            str(made.authority),
            "-CAkey",
            str(self.folder / "authority.key"),
            "-CAcreateserial",
            "-days",
            "30",
        ]
        files = ["-in", str(self.folder / "bank.csr"), "-out", str(self.folder / "bank.crt")]
        self.openssl("x509", "-req", *files, *signed, "-extfile", str(self.folder / "bank.cnf"))
        told = self.openssl("verify", "-CAfile", str(made.authority), str(self.folder / "bank.crt"))
        self.assertIn("permitted subtree violation", told)

    def test_it_stays_while_it_fits_and_follows_new_addresses_under_the_same_authority(self) -> None:
        first = own_certificate(self.folder, NAMES, ADDRESSES)
        kept = first.certificate.read_bytes()
        self.assertEqual(own_certificate(self.folder, NAMES, ADDRESSES), first)
        self.assertEqual(first.certificate.read_bytes(), kept)
        moved = own_certificate(self.folder, NAMES, ["192.168.7.99"])
        self.assertNotEqual(first.certificate.read_bytes(), kept)
        self.assertEqual(moved.fingerprint, first.fingerprint)

    def test_it_is_renewed_before_it_ends_and_phones_need_not_trust_anew(self) -> None:
        at = datetime(2027, 3, 1, tzinfo=UTC)
        first = own_certificate(self.folder, NAMES, ADDRESSES, at)
        just = own_certificate(self.folder, NAMES, ADDRESSES, first.ends_at - RENEW_BEFORE - timedelta(hours=1))
        self.assertEqual(just.ends_at, first.ends_at)
        later = own_certificate(self.folder, NAMES, ADDRESSES, first.ends_at - RENEW_BEFORE + timedelta(hours=1))
        self.assertGreater(later.ends_at, first.ends_at)
        self.assertEqual(later.fingerprint, first.fingerprint)
        # Years later the authority itself has to be another.
        ended = own_certificate(
            self.folder, NAMES, ADDRESSES, at + timedelta(days=3650) - SERVER_LASTS + timedelta(days=1)
        )
        self.assertNotEqual(ended.fingerprint, first.fingerprint)

    def test_a_clock_that_was_set_back_makes_it_anew(self) -> None:
        first = own_certificate(self.folder, NAMES, ADDRESSES, datetime(2030, 1, 1, tzinfo=UTC))
        back = own_certificate(self.folder, NAMES, ADDRESSES, datetime(2027, 1, 1, tzinfo=UTC))
        self.assertLess(back.ends_at, first.ends_at)

    def test_damaged_files_are_made_anew(self) -> None:
        made = own_certificate(self.folder, NAMES, ADDRESSES)
        made.certificate.write_text("damaged")
        again = own_certificate(self.folder, NAMES, ADDRESSES)
        self.assertIn(": OK", self.openssl("verify", "-CAfile", str(again.authority), str(again.certificate)))

    def test_keys_are_for_their_owner_only(self) -> None:
        made = own_certificate(self.folder / "tls", NAMES, ADDRESSES)
        for file in (made.key, self.folder / "tls" / "authority.key"):
            self.assertEqual(stat.S_IMODE(file.stat().st_mode), 0o600)
        self.assertEqual(stat.S_IMODE((self.folder / "tls").stat().st_mode), 0o700)


class Given(Case):
    def test_one_that_has_ended_or_does_not_belong_to_its_key_is_refused_with_a_sentence(self) -> None:
        made = own_certificate(self.folder, NAMES, ADDRESSES)
        self.assertEqual(given_certificate(made.certificate, made.key).ends_at, made.ends_at)
        with self.assertRaisesRegex(CertificateError, r"ended on .* Have it renewed"):
            given_certificate(made.certificate, made.key, made.ends_at + timedelta(days=1))
        with self.assertRaisesRegex(CertificateError, "clock"):
            given_certificate(made.certificate, made.key, datetime(2020, 1, 1, tzinfo=UTC))
        with self.assertRaisesRegex(CertificateError, "belong together"):
            given_certificate(made.certificate, self.folder / "authority.key")
        with self.assertRaisesRegex(CertificateError, "cannot be used"):
            given_certificate(self.folder / "none.crt", made.key)


class Secrets(Case):
    def test_the_cookie_key_is_made_once_and_for_its_owner_only(self) -> None:
        key = cookie_key(self.folder)
        self.assertGreater(len(key), 40)
        self.assertEqual(cookie_key(self.folder), key)
        file = self.folder / "secrets" / "cookie.key"
        self.assertEqual(stat.S_IMODE(file.stat().st_mode), 0o600)
        file.chmod(0o644)
        cookie_key(self.folder)
        self.assertEqual(stat.S_IMODE(file.stat().st_mode), 0o600)

    def test_a_file_that_was_left_behind_with_another_mode_does_not_lend_it(self) -> None:
        part = self.folder / "a.part"
        part.write_text("x")
        part.chmod(0o666)
        write_private(self.folder / "a", b"secret")
        self.assertEqual(stat.S_IMODE((self.folder / "a").stat().st_mode), 0o600)


class Addresses(unittest.TestCase):
    def test_none_of_them_is_this_machine_only(self) -> None:
        for address in addresses.machine_addresses():
            self.assertFalse(address.startswith(("127.", "169.254.", "fe80")) or address == "::1", address)

    def test_ipv6_stands_in_brackets(self) -> None:
        self.assertEqual([addresses.in_url(one) for one in ("fd00::7", "10.0.0.1")], ["[fd00::7]", "10.0.0.1"])


if __name__ == "__main__":
    unittest.main()
