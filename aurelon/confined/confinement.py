"""What a confined process may use: so much memory, so many open files, no new socket, no program, no file of the artist's.

Linux only: limits are those of setrlimit(2); system calls are refused by a filter of seccomp(2); files are fenced by landlock(7),
from Linux 5.13 on. Where the system lacks one of them, the others hold, and `confine` names what is missing.
"""

from __future__ import annotations

import ctypes
import os
import platform
import resource
import struct
import sys
import sysconfig
from collections.abc import Sequence
from pathlib import Path

import psutil

import aurelon

MOST_MEMORY = 8 << 30  # bytes: a picture of 150 MP in float32, as a decoder has it and as it is handed over, and what lies between
SHARE_OF_MACHINE = 0.7
OPEN_FILES = 256
LARGEST_FILE = 4 << 30  # bytes; what is handed over counts as a file

PR_SET_NO_NEW_PRIVS, SECCOMP_SET_MODE_FILTER, SECCOMP_FILTER_FLAG_TSYNC = 38, 1, 1
SECCOMP_ALLOW, SECCOMP_ERRNO, SECCOMP_KILL = 0x7FFF0000, 0x00050000, 0x80000000
EACCES = 13
# Instructions of the classic Berkeley packet filter, <linux/bpf_common.h>.
LOAD_WORD, JUMP_IF_EQUAL, JUMP_IF_AT_LEAST, RETURN = 0x20, 0x15, 0x35, 0x06
AT_NUMBER, AT_ARCHITECTURE = 0, 4  # offsets in struct seccomp_data
X32 = 0x40000000  # system calls of the x32 interface, which are others by the same numbers
# By machine: its AUDIT_ARCH value, the number of seccomp(2), and those of the calls that are refused.
CALLS: dict[str, tuple[int, int, dict[str, int]]] = {
    "x86_64": (
        0xC000003E,
        317,
        {
            "socket": 41, "connect": 42, "accept": 43, "bind": 49, "listen": 50, "execve": 59, "ptrace": 101, "accept4": 288,
            "process_vm_readv": 310, "process_vm_writev": 311, "execveat": 322, "io_uring_setup": 425,
        },
    ),
    "aarch64": (
        0xC00000B7,
        277,
        {
            "socket": 198, "bind": 200, "listen": 201, "accept": 202, "connect": 203, "execve": 221, "ptrace": 117, "accept4": 242,
            "process_vm_readv": 270, "process_vm_writev": 271, "execveat": 281, "io_uring_setup": 425,
        },
    ),
}  # fmt: skip
NETWORK = ("socket", "connect", "accept", "accept4", "bind", "listen")

# <linux/landlock.h>; the numbers of its calls are the same on every machine.
CREATE_RULESET, ADD_RULE, RESTRICT_SELF, CREATE_RULESET_VERSION, RULE_PATH_BENEATH = 444, 445, 446, 1, 1
READ_FILE, READ_FOLDER, EXECUTE = 1 << 2, 1 << 3, 1 << 0
READ = READ_FILE | READ_FOLDER | EXECUTE
FIRST_VERSION_RIGHTS = (1 << 13) - 1
RIGHTS_BY_VERSION = {1: FIRST_VERSION_RIGHTS, 2: (1 << 14) - 1, 3: (1 << 15) - 1}
SYSTEM = ("/usr", "/lib", "/lib64", "/bin", "/etc", "/opt", "/proc", "/sys", "/dev")


class _Filter(ctypes.Structure):
    _fields_ = (("count", ctypes.c_ushort), ("instructions", ctypes.c_char_p))


def confine(*, network: bool = False, readable: Sequence[Path] = ()) -> list[str]:
    """Confines this process for good; with `network` it may still connect, and it may read the paths that are named. What the
    system cannot hold back, each as the end of "... is not held back"."""
    missing = []
    _limit_resources()
    if not sys.platform.startswith("linux"):
        return ["the network", "the file system"]
    libc = ctypes.CDLL(None, use_errno=True)
    if libc.prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0) != 0:
        return ["the network", "the file system"]
    if not _fence_files(libc, readable):
        missing.append("the file system")
    if not _refuse_calls(libc, network=network):
        missing.append("the network")
    return missing


def allow_processor_time(seconds: float) -> None:
    """Has the system end this process after this many more processor seconds."""
    used = psutil.Process().cpu_times()
    _, hard = resource.getrlimit(resource.RLIMIT_CPU)
    wanted = int(used.user + used.system + seconds) + 1
    resource.setrlimit(resource.RLIMIT_CPU, (wanted if hard == resource.RLIM_INFINITY else min(wanted, hard), hard))


def _limit_resources() -> None:
    machine = int(psutil.virtual_memory().total * SHARE_OF_MACHINE)
    mapped = psutil.Process().memory_info().vms
    _lower(resource.RLIMIT_AS, mapped + min(MOST_MEMORY, machine))
    _lower(resource.RLIMIT_NOFILE, OPEN_FILES)
    _lower(resource.RLIMIT_FSIZE, LARGEST_FILE)
    _lower(resource.RLIMIT_CORE, 0)


def _lower(what: int, most: int) -> None:
    _, hard = resource.getrlimit(what)
    wanted = most if hard == resource.RLIM_INFINITY else min(most, hard)
    resource.setrlimit(what, (wanted, wanted))


def _refuse_calls(libc: ctypes.CDLL, *, network: bool) -> bool:
    """Whether the calls are refused from now on, in every thread of this process."""
    known = CALLS.get(platform.machine())
    if known is None:
        return False
    architecture, seccomp, calls = known
    refused = sorted(number for name, number in calls.items() if not (network and name in NETWORK))

    def instruction(code: int, operand: int, if_true: int = 0, if_false: int = 0) -> bytes:
        return struct.pack("HBBI", code, if_true, if_false, operand)

    last = len(refused) + 1  # jumps from the first comparison of a number to the refusal
    program = [
        instruction(LOAD_WORD, AT_ARCHITECTURE),
        instruction(JUMP_IF_EQUAL, architecture, 1, 0),
        instruction(RETURN, SECCOMP_KILL),
        instruction(LOAD_WORD, AT_NUMBER),
        instruction(JUMP_IF_AT_LEAST, X32, last, 0),
        *(instruction(JUMP_IF_EQUAL, number, last - 1 - place, 0) for place, number in enumerate(refused)),
        instruction(RETURN, SECCOMP_ALLOW),
        instruction(RETURN, SECCOMP_ERRNO | EACCES),
    ]
    text = b"".join(program)
    flags = SECCOMP_FILTER_FLAG_TSYNC
    return bool(libc.syscall(seccomp, SECCOMP_SET_MODE_FILTER, flags, ctypes.byref(_Filter(len(program), text))) == 0)


def _fence_files(libc: ctypes.CDLL, readable: Sequence[Path]) -> bool:
    """Whether from now on only the system's files, Python's, Aurelon's own and those named can be opened."""
    version = libc.syscall(CREATE_RULESET, None, 0, CREATE_RULESET_VERSION)
    if version < 1:
        return False
    rights = RIGHTS_BY_VERSION[min(version, max(RIGHTS_BY_VERSION))]
    # struct landlock_ruleset_attr began with this one field; later kernels take the shorter structure.
    ruleset = libc.syscall(CREATE_RULESET, ctypes.byref(ctypes.c_uint64(rights)), 8, 0)
    if ruleset < 0:
        return False
    package = Path(aurelon.__file__).resolve().parent
    python = {sys.prefix, sys.base_prefix, *sysconfig.get_paths().values(), *(path for path in sys.path if "site-packages" in path)}
    for path, granted in (
        *((Path(place), READ) for place in (*SYSTEM, *sorted(python))),
        *((path, READ) for path in readable),
        *((path, rights) for path in (package, *_kernel_caches())),
    ):
        _grant(libc, ruleset, path, granted)
    done = bool(libc.syscall(RESTRICT_SELF, ruleset, 0) == 0)
    os.close(ruleset)
    return done


def _kernel_caches() -> list[Path]:
    """Where Numba keeps kernels that it cannot keep beside the code."""
    named = os.environ.get("NUMBA_CACHE_DIR")
    return [Path(named)] if named else [Path(os.environ.get("XDG_CACHE_HOME", Path.home() / ".cache")) / "numba"]


def _grant(libc: ctypes.CDLL, ruleset: int, path: Path, rights: int) -> None:
    """Grants what is beneath a path; a path that is missing needs nothing."""
    try:
        place = os.open(path, os.O_PATH | os.O_CLOEXEC)
    except OSError:
        return
    allowed = rights if path.is_dir() else rights & (READ_FILE | EXECUTE)
    libc.syscall(ADD_RULE, ruleset, RULE_PATH_BENEATH, ctypes.create_string_buffer(struct.pack("=Qi", allowed, place)), 0)
    os.close(place)
