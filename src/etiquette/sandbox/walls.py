"""What a child of the door cannot do, whatever a file makes of it: no network, no file of the shop, nothing written but
in its own folder, no signal to anybody.

Two walls of the Linux kernel, both raised by the child against itself and for good: Landlock (files, TCP, signals;
kernel documentation, userspace-api/landlock) and seccomp (system calls; userspace-api/seccomp_filter). What a kernel
does not know is left out, and said by `stand`. The calls are made by number, because the C library has none for them.
"""

import ctypes
import errno
import os
import platform
import struct
import sys
from collections.abc import Iterable
from pathlib import Path

_LIBC = ctypes.CDLL(None, use_errno=True)
_PR_SET_NO_NEW_PRIVS, _PR_SET_SECCOMP, _SECCOMP_MODE_FILTER = 38, 22, 2
_CREATE_RULESET, _ADD_RULE, _RESTRICT_SELF = 444, 445, 446  # the same number on every architecture
_EXECUTE, _WRITE_FILE, _READ_FILE, _READ_DIR = 1, 2, 4, 8
_OF_FILES = (1 << 13) - 1
"""All rights of the first version of Landlock; REFER, TRUNCATE and IOCTL_DEV came with versions 2, 3 and 5."""
_LATER = ((2, 1 << 13), (3, 1 << 14), (5, 1 << 15))
_ON_A_FILE = _EXECUTE | _WRITE_FILE | _READ_FILE | 1 << 14 | 1 << 15
_READ = _EXECUTE | _READ_FILE | _READ_DIR
_TCP, _SCOPES = 0b11, 0b11
"""Bind and connect (version 4); abstract sockets and signals (version 6)."""

READABLE = (
    "/usr", "/lib", "/lib64", "/bin", "/etc/fonts", "/etc/alternatives", "/etc/ld.so.cache", "/etc/localtime",
    "/var/cache/fontconfig", "/dev/urandom", "/dev/zero",
)  # fmt: skip
"""Programs and fonts. Not the home folder, not the data of the shop, not /proc, where other processes' secrets are."""

AUDIT_ARCH = {"x86_64": 0xC000003E, "aarch64": 0xC00000B7}
REFUSED = {
    "x86_64": (41, 53, 425, 101, 310, 311, 321, 323, 298, 248, 249, 250, 165, 166, 155, 272, 308),
    "aarch64": (198, 199, 425, 117, 270, 271, 280, 282, 241, 217, 218, 219, 40, 39, 41, 97, 268),
}
"""socket, socketpair, io_uring_setup, ptrace, process_vm_readv, process_vm_writev, bpf, userfaultfd, perf_event_open,
add_key, request_key, keyctl, mount, umount2, pivot_root, unshare, setns."""


def stand(writable: Iterable[Path], reads: Iterable[Path] = ()) -> tuple[str, ...]:
    """Raise the walls round this process and all that it starts: it may write below `writable` alone, and read these,
    `reads`, and programs. Returns the names of the walls that stand."""
    if _LIBC.prctl(_PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0):
        return ()
    packages = [path for path in sys.path if path.endswith(("site-packages", "dist-packages"))]
    programs = [*READABLE, sys.prefix, sys.base_prefix, *packages]
    readable = [*reads, *map(Path, programs), Path(__file__).parents[2]]
    raised = []
    if _landlock(readable, [*writable, Path(os.devnull)]):
        raised.append("landlock")
    if _seccomp():
        raised.append("seccomp")
    return tuple(raised)


def landlock_version() -> int:
    """The kernel's version of Landlock; 0: it has none."""
    return max(0, int(_LIBC.syscall(_CREATE_RULESET, None, ctypes.c_size_t(0), ctypes.c_uint32(1))))


def _landlock(readable: Iterable[Path], writable: Iterable[Path]) -> bool:
    version = landlock_version()
    if version == 0:
        return False
    handled = _OF_FILES | sum(right for since, right in _LATER if version >= since)
    attributes = struct.pack("=QQQ", handled, _TCP if version >= 4 else 0, _SCOPES if version >= 6 else 0)
    size = 24 if version >= 6 else 16 if version >= 4 else 8
    rules = int(_LIBC.syscall(_CREATE_RULESET, attributes[:size], ctypes.c_size_t(size), ctypes.c_uint32(0)))
    if rules < 0:
        return False
    try:
        for path in readable:
            _allow(rules, path, _READ & handled)
        for path in writable:
            _allow(rules, path, handled)
        return int(_LIBC.syscall(_RESTRICT_SELF, rules, ctypes.c_uint32(0))) == 0
    finally:
        os.close(rules)


def _allow(rules: int, path: Path, rights: int) -> None:
    """`rights` on everything below `path`; what is not there needs none."""
    try:
        handle = os.open(path, os.O_PATH | os.O_CLOEXEC)
    except OSError:
        return
    try:
        rule = struct.pack("=Qi", rights if path.is_dir() else rights & _ON_A_FILE, handle)
        if _LIBC.syscall(_ADD_RULE, rules, 1, rule, ctypes.c_uint32(0)):
            raise OSError(ctypes.get_errno(), f"Landlock takes no rule for {path}")
    finally:
        os.close(handle)


class _Program(ctypes.Structure):
    _fields_ = (("length", ctypes.c_ushort), ("filter", ctypes.c_void_p))


def _seccomp() -> bool:
    machine = platform.machine()
    if machine not in REFUSED:
        return False
    load, equal, at_least, end = 0x20, 0x15, 0x35, 0x06  # classic BPF: LD|W|ABS, JMP|JEQ|K, JMP|JGE|K, RET|K
    allow, refuse, kill = 0x7FFF0000, 0x00050000 | errno.EPERM, 0x80000000
    numbers = REFUSED[machine]
    steps = [
        (load, 0, 0, 4),  # the architecture
        (equal, 1, 0, AUDIT_ARCH[machine]),
        (end, 0, 0, kill),
        (load, 0, 0, 0),  # the number of the call
        (at_least, len(numbers) + 1, 0, 0x40000000),  # numbers of another calling convention would go round the list
        *((equal, len(numbers) - place, 0, number) for place, number in enumerate(numbers)),
        (end, 0, 0, allow),
        (end, 0, 0, refuse),
    ]
    code = b"".join(struct.pack("=HBBI", *step) for step in steps)
    held = ctypes.create_string_buffer(code, len(code))
    program = _Program(len(steps), ctypes.cast(held, ctypes.c_void_p).value)
    return int(_LIBC.prctl(_PR_SET_SECCOMP, _SECCOMP_MODE_FILTER, ctypes.byref(program), 0, 0)) == 0
