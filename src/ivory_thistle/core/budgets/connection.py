"""Connections: how long so many bytes take on lines that visitors have."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Connection:
    """A line of `bits` a second, on which the first byte comes after a round trip of `wait_ms`."""

    name: str
    bits: int
    wait_ms: int

    def seconds(self, size: int) -> float:
        """Seconds until `size` bytes are there, one round trip included; 0 for nothing."""
        return self.wait_ms / 1000 + size * 8 / self.bits if size else 0.0


DEFAULT_CONNECTIONS = (
    Connection("56 kbit/s modem", 56_000, 300),
    Connection("1 Mbit/s", 1_000_000, 100),
    Connection("1.6 Mbit/s, 150 ms", 1_600_000, 150),
    Connection("10 Mbit/s", 10_000_000, 50),
    Connection("50 Mbit/s", 50_000_000, 20),
)
