"""Messages between the service and a confined process, as JSON and sealed memory: nothing in them can be run.

A message is four bytes of length, JSON, and file descriptors (SCM_RIGHTS). Arrays, and bytes from `LARGE` on, lie in memory that is
sealed against change (memfd_create(2)): the receiver maps it and can rely on what it has checked.
"""

from __future__ import annotations

import base64
import fcntl
import json
import mmap
import os
import socket
import struct
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import fields, is_dataclass
from fractions import Fraction
from typing import Any

import numpy as np

LARGE = 1 << 16  # bytes
MOST_JSON = 256 << 20  # bytes
FILES_AT_ONCE = 32  # descriptors in one message
KINDS = "buif"  # of numpy's types, what arrays may hold
F_ADD_SEALS, F_GET_SEALS = 1033, 1034
SEALS = 0x1 | 0x2 | 0x4 | 0x8  # against more seals, shrinking, growing and writing
_types: dict[str, type[Any]] = {}


class WireError(Exception):
    """The other side has closed the connection, or has sent what nothing here sends."""


def carried(kind: type[Any]) -> type[Any]:
    """Has instances of a dataclass go over the wire. It is made anew of its fields."""
    _types[kind.__name__] = kind
    return kind


def send(connection: socket.socket, message: Any) -> None:
    """Sends a message. Raises WireError where the other end is closed, TimeoutError after the connection's time."""
    handles: list[int] = []
    try:
        text = json.dumps(_packed(message, handles), separators=(",", ":")).encode()
        head = struct.pack("<I", len(text))
        if handles:
            sent = socket.send_fds(connection, [head], handles)
            head = head[sent:]
        connection.sendall(head + text)
    except (BrokenPipeError, ConnectionError) as error:
        raise WireError(str(error)) from error
    finally:
        for handle in handles:
            os.close(handle)


def receive(connection: socket.socket) -> Any:
    """The next message. Raises WireError where none can come any more, TimeoutError after the connection's time."""
    handles: list[int] = []
    try:
        head, handles, _, _ = socket.recv_fds(connection, 4, FILES_AT_ONCE)
        head += _exactly(connection, 4 - len(head)) if head else b""
        if not head:
            raise WireError("the connection is closed")
        (length,) = struct.unpack("<I", head)
        if length > MOST_JSON:
            raise WireError("a message is too long")
        try:
            return _unpacked(json.loads(_exactly(connection, length)), handles)
        except (ValueError, KeyError, IndexError, TypeError, AttributeError, RecursionError, OSError) as error:
            if isinstance(error, TimeoutError | ConnectionError):
                raise
            raise WireError(f"a message cannot be read ({type(error).__name__})") from error
    except ConnectionError as error:
        raise WireError(str(error)) from error
    finally:
        for handle in handles:
            os.close(handle)


def _exactly(connection: socket.socket, length: int) -> bytes:
    parts, left = [], length
    while left > 0:
        part = connection.recv(min(left, 1 << 20))
        if not part:
            raise WireError("the connection is closed")
        parts.append(part)
        left -= len(part)
    return b"".join(parts)


def _packed(value: Any, handles: list[int]) -> Any:
    if isinstance(value, bool | int | float | str) or value is None:
        return value
    if isinstance(value, bytes):
        if len(value) < LARGE:
            return {"$": "bytes", "base64": base64.b64encode(value).decode()}
        return {"$": "memory", "at": _sealed(memoryview(value), handles), "size": len(value)}
    if isinstance(value, np.ndarray):
        whole = np.ascontiguousarray(value)
        at = _sealed(memoryview(whole.data).cast("B") if whole.size else memoryview(b""), handles)
        return {"$": "array", "at": at, "type": whole.dtype.str, "shape": list(whole.shape)}
    if isinstance(value, Fraction):
        return {"$": "fraction", "of": [value.numerator, value.denominator]}
    if isinstance(value, list | tuple | range):
        return [_packed(one, handles) for one in value]
    if isinstance(value, dict):
        return {"$": "map", "of": [[key, _packed(one, handles)] for key, one in value.items()]}
    if is_dataclass(value) and _types.get(type(value).__name__) is type(value):
        packed = {one.name: _packed(getattr(value, one.name), handles) for one in fields(value)}
        return {"$": "made", "type": type(value).__name__, "of": packed}
    raise TypeError(f"a {type(value).__name__} does not go over the wire")


def _unpacked(value: Any, handles: list[int]) -> Any:
    """Lists arrive as tuples, since the dataclasses that hold them are compared and hashed."""
    if isinstance(value, list):
        return tuple(_unpacked(one, handles) for one in value)
    if not isinstance(value, dict):
        return value
    match value["$"]:
        case "bytes":
            return base64.b64decode(value["base64"])
        case "memory":
            return _mapped(handles[value["at"]], value["size"])[:]
        case "array":
            return _array(handles[value["at"]], value["type"], value["shape"])
        case "fraction":
            return Fraction(*value["of"])
        case "map":
            return {key: _unpacked(one, handles) for key, one in value["of"]}
        case "made":
            return _types[value["type"]](**{name: _unpacked(one, handles) for name, one in value["of"].items()})
    raise ValueError("unknown kind of value")


def _pieces(data: memoryview) -> Iterator[memoryview]:
    step = 1 << 30  # the most that one call writes is a little less than 2 GB
    return (data[at : at + step] for at in range(0, len(data), step))


def _sealed(data: memoryview, handles: list[int]) -> int:
    """Memory that holds these bytes and cannot be changed any more: its place among the handles."""
    handle = os.memfd_create("aurelon", os.MFD_CLOEXEC | os.MFD_ALLOW_SEALING)
    handles.append(handle)
    for piece in _pieces(data):
        while piece:
            piece = piece[os.write(handle, piece) :]
    fcntl.fcntl(handle, F_ADD_SEALS, SEALS)
    return len(handles) - 1


def _mapped(handle: int, size: int) -> mmap.mmap | bytes:
    """Sealed memory, mapped. Raises ValueError where it could still be changed, or is not as long as stated."""
    if fcntl.fcntl(handle, F_GET_SEALS) & SEALS != SEALS or os.fstat(handle).st_size != size:
        raise ValueError("memory is not sealed, or of another size")
    return mmap.mmap(handle, size, access=mmap.ACCESS_COPY) if size else b""


def _array(handle: int, kind: str, shape: list[int]) -> np.ndarray[Any, Any]:
    dtype = np.dtype(kind)
    if dtype.kind not in KINDS or any(not isinstance(edge, int) or edge < 0 for edge in shape):
        raise ValueError("an array of this type or shape does not go over the wire")
    size = dtype.itemsize
    for edge in shape:
        size *= edge
    mapped = _mapped(handle, size)
    return np.frombuffer(mapped, dtype).reshape(shape) if size else np.zeros(shape, dtype)


def shut(connection: socket.socket) -> None:
    """Closes a connection in any state, and wakes what waits on it."""
    with suppress(OSError):
        connection.shutdown(socket.SHUT_RDWR)
    connection.close()
