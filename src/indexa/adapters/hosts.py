"""Which hosts a source may be on: names, addresses and networks that whoever runs the server lists."""

from __future__ import annotations

import socket
from collections.abc import Iterable
from ipaddress import IPv4Address, IPv4Network, IPv6Address, IPv6Network, ip_address, ip_network
from typing import NamedTuple, TypeAlias

from indexa.adapters.errors import SourceError

IP: TypeAlias = IPv4Address | IPv6Address
Network: TypeAlias = IPv4Network | IPv6Network


class _Entry(NamedTuple):
    """One entry of the list: a name or a network, and the one port that it allows; 0 stands for any."""

    name: str
    network: Network | None
    port: int


class HostRules:
    """The list, for example "localhost", "10.1.0.0/16", "db.example:5432", "[::1]:5432"."""

    def __init__(self, listed: Iterable[str]) -> None:
        self._entries = [_entry(text.strip()) for text in listed if text.strip()]

    def check(self, host: str, port: int) -> None:
        """Raise SourceError unless a connection to this host and port is allowed.

        A name must be listed itself, an address itself or by its network. Each address that a name stands for is looked
        at too: none may lead to this very machine or its surroundings unless that is listed.
        """
        bare = host.strip().removeprefix("[").removesuffix("]")
        address = _ip(bare)
        listed = [entry for entry in self._entries if self._fits(entry, bare, address)]
        if not listed:
            raise SourceError(
                "host-not-allowed",
                f"Indexa may not connect to “{host}”.",
                "Whoever runs this server can add the host to INDEXA_SOURCE_HOSTS.",
            )
        if all(entry.port and entry.port != port for entry in listed):
            raise SourceError(
                "port-not-allowed",
                f"Indexa may connect to “{host}” on port {listed[0].port} only, not on {port}.",
                "Whoever runs this server can add the port to INDEXA_SOURCE_HOSTS.",
            )
        if address is None:
            for found in _addresses(bare, port):
                self._check_address(host, found)

    @staticmethod
    def _fits(entry: _Entry, host: str, address: IP | None) -> bool:
        if address is not None:
            return entry.network is not None and address.version == entry.network.version and address in entry.network
        return entry.network is None and entry.name == host.lower()

    def _check_address(self, host: str, address: IP) -> None:
        address = getattr(address, "ipv4_mapped", None) or address
        by_network = any(self._fits(entry, "", address) for entry in self._entries)
        inward = address.is_loopback or address.is_link_local or address.is_unspecified or address.is_multicast
        if inward and not by_network:
            raise SourceError(
                "host-not-allowed",
                f"“{host}” stands for the address {address}, which Indexa may not connect to.",
                "Whoever runs this server can add the address to INDEXA_SOURCE_HOSTS.",
            )


def _entry(text: str) -> _Entry:
    name, port = text, 0
    if text.startswith("["):
        name, _, rest = text[1:].partition("]")
        port = _port(rest.removeprefix(":"))
    elif text.count(":") == 1:
        name, _, rest = text.partition(":")
        port = _port(rest)
    try:
        return _Entry("", ip_network(name, strict=False), port)
    except ValueError:
        return _Entry(name.lower(), None, port)


def _port(text: str) -> int:
    return int(text) if text.isdigit() else 0


def _ip(text: str) -> IP | None:
    try:
        return ip_address(text)
    except ValueError:
        return None


def _addresses(host: str, port: int) -> list[IP]:
    """Return the addresses that a name stands for; none where it is unknown, which the driver tells better."""
    try:
        found = socket.getaddrinfo(host, port or None, type=socket.SOCK_STREAM)
    except (OSError, UnicodeError, OverflowError):
        return []
    return [ip_address(str(place[0]).partition("%")[0]) for *_, place in found]
