"""By which names and addresses other devices reach this machine."""

from __future__ import annotations

import ipaddress
import json
import shutil
import socket
import subprocess

LOOPBACK = frozenset({"127.0.0.1", "localhost", "[::1]", "::1"})


def host_names() -> list[str]:
    """This machine's name, and the one by which a small network's own name service finds it."""
    short = socket.gethostname().split(".")[0].lower()
    return [short, f"{short}.local"] if short and short != "localhost" else []


def machine_addresses() -> list[str]:
    """Addresses of this machine's network cards, those that lead elsewhere first; loopback and link-local ones left out."""
    found = [*_towards_elsewhere(), *_of_cards()]
    kept: list[str] = []
    for text in found:
        address = ipaddress.ip_address(text)
        if not (address.is_loopback or address.is_link_local or address.is_unspecified) and text not in kept:
            kept.append(text)
    return kept


def _towards_elsewhere() -> list[str]:
    """The address from which this machine would send; nothing is sent."""
    found = []
    for family, elsewhere in ((socket.AF_INET, "192.0.2.1"), (socket.AF_INET6, "2001:db8::1")):
        try:
            with socket.socket(family, socket.SOCK_DGRAM) as probe:
                probe.connect((elsewhere, 9))
                found.append(str(probe.getsockname()[0]))
        except OSError:
            continue
    return found


def _of_cards() -> list[str]:
    """What the system's own command lists; empty where there is none."""
    command = shutil.which("ip", path="/usr/sbin:/sbin:/usr/bin:/bin")
    if command is None:
        return []
    try:
        told = subprocess.run(
            [command, "-json", "address"], capture_output=True, text=True, timeout=5, check=True
        ).stdout
        return [card["local"] for link in json.loads(told) for card in link.get("addr_info", []) if "local" in card]
    except (OSError, subprocess.SubprocessError, ValueError, TypeError, AttributeError):
        return []


def in_url(host: str) -> str:
    """A host as it stands in an address: IPv6 in brackets."""
    return f"[{host}]" if ":" in host else host
