"""Which addresses a device may have: the user's own network, and nothing that a clever name leads to.

A name is resolved once, every address that it stands for is looked at, and the connection goes to one of just these: a name that
says something else a moment later changes nothing.
"""

from __future__ import annotations

import ipaddress
import socket

from meanbead.core.errors import MeanBeadError
from meanbead.devices.console import split_address

__all__ = ["own_addresses", "within_reach"]

_PRIVATE = tuple(
    ipaddress.ip_network(text)
    for text in ("10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "fc00::/7", "100.64.0.0/10")
)
_NEVER = tuple(
    ipaddress.ip_network(text)
    for text in ("0.0.0.0/8", "169.254.0.0/16", "224.0.0.0/4", "240.0.0.0/4", "::/128", "fe80::/10", "ff00::/8")
)
"""Link-local (where clouds keep their secrets), unspecified, multicast and reserved: no device of a workshop is there."""


def own_addresses(host: str, *, allowed: bool, field: str = "address") -> list[str]:
    """The addresses of a host, as numbers, if a device may be there.

    Private networks may; this machine itself and the outside only where the owner has ``allowed`` it by hand; link-local,
    multicast and reserved ones never. Raises :class:`MeanBeadError`, naming ``field``.
    """
    try:
        told = socket.getaddrinfo(host, None, type=socket.SOCK_STREAM)
    except (OSError, UnicodeError):
        raise MeanBeadError(
            f"No machine is called “{host:.80}” here.", field=field, remedy="Check the name, or give its number."
        ) from None
    found = list(dict.fromkeys(str(entry[4][0]).partition("%")[0] for entry in told))
    for text in found:
        address = ipaddress.ip_address(text)
        if isinstance(address, ipaddress.IPv6Address) and address.ipv4_mapped is not None:
            address = address.ipv4_mapped
        if any(address in network for network in _NEVER if network.version == address.version):
            raise MeanBeadError(
                f"{host:.80} is {address}: no device of a workshop is at such an address.",
                field=field,
                remedy="Give the machine's own address in your network.",
            )
        own = any(address in network for network in _PRIVATE if network.version == address.version)
        if not own and not allowed:
            where = "on this computer itself" if address.is_loopback else "outside your own network"
            raise MeanBeadError(
                f"{host:.80} is {address}, {where}.",
                field=field,
                remedy="If it is meant, the owner allows it by hand, beside the address.",
            )
    return found


def within_reach(address: str, *, allowed: bool, field: str = "address") -> str:
    """A console's or scale's address, ``host:port`` or a serial device, with the host as the very number that was looked at. Raises
    :class:`MeanBeadError` where no device of the workshop may be there; see :func:`own_addresses`."""
    address = address.strip()
    if address.startswith("/"):
        return address
    host, port = split_address(address, field)
    number = own_addresses(host, allowed=allowed, field=field)[0]
    return f"[{number}]:{port}" if ":" in number else f"{number}:{port}"
