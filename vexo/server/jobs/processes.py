"""Processes as they are named in leases and heartbeats, and whether one is certainly gone."""

from __future__ import annotations

import os
import socket
from pathlib import Path

GONE = 30.0
"""Seconds without a sign after which a worker counts as gone: six times as many as between two signs."""


def process_start(pid: int) -> str:
    """When a process of this machine began, so that another with its number is not taken for it; empty if unknown."""
    try:
        return Path(f"/proc/{pid}/stat").read_text(encoding="utf-8").rpartition(")")[2].split()[19]
    except (OSError, IndexError):
        return ""


def owner_name() -> str:
    """This process, as it is named in leases."""
    pid = os.getpid()
    return f"{socket.gethostname()}:{pid}:{process_start(pid)}"


def is_gone(owner: str) -> bool:
    """Whether the process that is named so was on this machine and is there no more."""
    host, _, pid = owner.rpartition(":")[0].rpartition(":")
    born = owner.rpartition(":")[2]
    return host == socket.gethostname() and pid.isdigit() and process_start(int(pid)) != born
